package postgresql

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/localpg"
	"tirelessowl/kits"
)

// pair runs a server and one that follows it, both of which know the keeper.
func pair(t *testing.T) (active, standby *localpg.Server, at map[*localpg.Server]string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	more := []string{"max_wal_senders=4", "shared_preload_libraries=pg_stat_statements"}
	dir, err := os.MkdirTemp("", "owl-pair-") // below it the user of the server gets through
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	active, err = localpg.Start(ctx, filepath.Join(dir, "a"), localpg.Options{Throwaway: true, Settings: more})
	require.NoError(t, err)
	t.Cleanup(active.Stop)
	runs(t, active, `CREATE ROLE keeper LOGIN PASSWORD 'a lamp on the pier'; GRANT pg_monitor TO keeper;
		CREATE EXTENSION pg_stat_statements; CREATE TABLE fares (ship text)`)
	standby, err = localpg.Start(ctx, filepath.Join(dir, "b"), localpg.Options{Throwaway: true, Settings: more, CopyOf: active})
	require.NoError(t, err)
	t.Cleanup(standby.Stop)
	at = map[*localpg.Server]string{}
	for _, s := range []*localpg.Server{active, standby} {
		c, err := pgx.ParseConfig(s.URL)
		require.NoError(t, err)
		at[s] = fmt.Sprint(c.Port)
	}
	return active, standby, at
}

func runs(t *testing.T, s *localpg.Server, statement string) {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), s.URL)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), statement)
	require.NoError(t, err)
}

// asked asks what a source of a shipped kit asks of a server, and returns values by their columns.
func asked(t *testing.T, name, source string, parameters map[string]string, port string) (by map[string]derive.Value, rows int) {
	t.Helper()
	text, err := kits.Files.ReadFile(name + ".yaml")
	require.NoError(t, err)
	k, err := kit.Parse(text, way.List{Driver.Describe()}, kinds.All)
	require.NoError(t, err)
	src, ok := k.Source(source)
	require.True(t, ok)
	q, ok := k.Question(src, domain.Device{}, parameters, kit.Talk{})
	require.True(t, ok)
	_, got := statement(t, "keeper", lamp, q.Ask["query"], src.Columns(), way.Settings{"port": port})
	require.Empty(t, got.Error)
	by = map[string]derive.Value{}
	for _, row := range got.Rows[:min(1, len(got.Rows))] {
		for i, c := range src.Columns() {
			by[c.As] = row.Values[i]
		}
	}
	return by, len(got.Rows)
}

func passes(t *testing.T, by map[string]derive.Value) {
	t.Helper()
	require.Equal(t, float64(verdict.Passes), by["verdict"].Num, by["says"].Text)
}

// What the kits ask, a real pair answers: the roles, and what happens when the standby stops applying, then receiving.
func TestWhatTheKitsAskOfAPair(t *testing.T) {
	active, standby, at := pair(t)
	server, _ := asked(t, "postgresql", "server", map[string]string{"long": "1"}, at[active])
	passes(t, server)
	for _, column := range []string{"uptime", "connections", "allowed", "commits", "version", "active"} {
		assert.NotEqual(t, derive.Missing, server[column].Kind, column)
	}
	assert.Equal(t, 1.0, server["active"].Num, "the one that asks")
	assert.Equal(t, 0.0, server["longest"].Num, "which does not count itself")
	assert.Equal(t, "none runs long", server["longest_by"].Text)
	assert.Equal(t, "suffice", server["rights"].Text)
	_, sizes := asked(t, "postgresql", "sizes", nil, at[active])
	assert.Equal(t, 1, sizes, "the one database that is no template")
	runs(t, active, "SELECT count(*) FROM generate_series(1, 100000)")
	slow, _ := asked(t, "postgresql", "statements", map[string]string{"slow": "0.0001"}, at[active])
	assert.Positive(t, slow["mean"].Num)
	assert.Regexp(t, "^SELECT", slow["statement"].Text, "what sets a password is kept by the server as it was typed, and is not asked for")
	age, _ := asked(t, "postgresql-backup", "backup", map[string]string{"finished": "now() - interval '90 s'"}, at[active])
	passes(t, age)
	assert.InDelta(t, 90, age["age"].Num, 0.001)

	role, _ := asked(t, "postgresql-active", "active", nil, at[active])
	passes(t, role)
	assert.Equal(t, []float64{0, 1}, []float64{role["role"].Num, role["followers"].Num})
	follower, n := asked(t, "postgresql-active", "followers", nil, at[active])
	assert.Equal(t, 1, n)
	assert.Equal(t, "streaming", follower["state"].Text)
	role, _ = asked(t, "postgresql-active", "active", nil, at[standby])
	passes(t, role)
	assert.Equal(t, 1.0, role["role"].Num, "a standby says that it is none")
	_, n = asked(t, "postgresql-active", "followers", nil, at[standby])
	assert.Zero(t, n)

	look := func() map[string]derive.Value {
		by, _ := asked(t, "postgresql-standby", "standby", nil, at[standby])
		passes(t, by)
		return by
	}
	write := func() { runs(t, active, "INSERT INTO fares SELECT 'Tern' FROM generate_series(1, 1000)") }
	write()
	require.Eventually(t, func() bool { return look()["behind"].Num == 0 }, 20*time.Second, 50*time.Millisecond)
	time.Sleep(300 * time.Millisecond)
	by := look()
	assert.Equal(t, []float64{1, 1, 1, 0}, []float64{by["role"].Num, by["receiver"].Num, by["apply"].Num, by["delay"].Num},
		"all is applied: the delay is 0 s though nothing is written")

	runs(t, standby, "SELECT pg_wal_replay_pause()")
	write()
	require.Eventually(t, func() bool { return look()["behind"].Num > 10_000 }, 20*time.Second, 50*time.Millisecond)
	by = look()
	assert.Equal(t, []float64{1, 0}, []float64{by["receiver"].Num, by["apply"].Num})
	assert.Positive(t, by["delay"].Num)
	runs(t, standby, "SELECT pg_wal_replay_resume()")
	require.Eventually(t, func() bool { return look()["delay"].Num == 0 }, 20*time.Second, 50*time.Millisecond)

	runs(t, standby, "ALTER SYSTEM SET primary_conninfo = ''")
	runs(t, standby, "SELECT pg_reload_conf()")
	require.Eventually(t, func() bool { return look()["receiver"].Num == 0 }, 20*time.Second, 50*time.Millisecond)
	by = look()
	assert.Equal(t, "no receiver runs", by["sender"].Text)
	assert.Positive(t, by["delay"].Num, "what is written now is not known")
	none, _ := asked(t, "postgresql-standby", "standby", nil, at[active])
	passes(t, none)
	assert.Equal(t, derive.Missing, none["receiver"].Kind, "an active server receives nothing, and is not told as stopped")
}

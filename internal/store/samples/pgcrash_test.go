package samples_test

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/localpg"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// PostgreSQL itself crashes under load: when one of its processes is killed it
// ends all others and recovers from its log. What was accepted is there after
// each recovery.
func TestPostgreSQLCrashesUnderLoad(t *testing.T) {
	ctx := t.Context()
	dir, err := os.MkdirTemp("", "owl-crash-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755)) // the server's own user must get through
	server, err := localpg.Start(ctx, filepath.Join(dir, "pg"), localpg.Options{})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	keys, err := store.OpenVault(filepath.Join(dir, "key"))
	require.NoError(t, err)
	db, err := store.Open(ctx, server.URL, keys)
	require.NoError(t, err)
	t.Cleanup(db.Close)
	_, err = db.Migrate(ctx)
	require.NoError(t, err)
	s := open(t, db, samples.Options{SealEvery: 512 * time.Millisecond, SpillFile: filepath.Join(dir, "spill")})
	a := account{doubtful: map[int]bool{}}
	n := 0
	load := func(batches int) {
		for range batches {
			require.NoError(t, s.Append(ctx, crashBatch(n)))
			n++
		}
	}
	for range 3 {
		load(60)
		var victim int
		require.Eventually(t, func() bool {
			conn, err := pgx.Connect(ctx, server.URL)
			if err != nil {
				return false // it recovers still
			}
			defer conn.Close(ctx)
			return conn.QueryRow(ctx, "SELECT pid FROM pg_stat_activity WHERE application_name = 'tireless-owl' LIMIT 1").
				Scan(&victim) ==
				nil
		}, 20*time.Second, 50*time.Millisecond)
		require.NoError(t, syscall.Kill(victim, syscall.SIGKILL))
		load(60)
	}
	require.Eventually(t, func() bool { load(1); return !s.Stats().Away }, 20*time.Second, 50*time.Millisecond)
	a.check(t, s, n)
	require.Eventually(t, func() bool { return s.Seal(ctx) == nil }, 20*time.Second, 50*time.Millisecond)
	_, err = s.FoldDue(ctx, s.Newest().AddDate(0, 0, 9))
	require.NoError(t, err)
	a.check(t, s, n)
	s.Stop()
	reader := samples.New(db.Pool(), nil)
	require.NoError(t, reader.Load(ctx))
	a.check(t, reader, n)
	assert.Positive(t, n)
	t.Logf("%d batches over 3 crashes, %d blocks spilled", n, s.Stats().Spilled)
}

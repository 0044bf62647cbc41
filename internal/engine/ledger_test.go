package engine

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// lot is one rule on one series, and what became of it by our own account.
type lot struct {
	rule    rule.Rule
	series  estate.Series
	level   domain.Level
	changes int
	raised  int // times that trouble began
}

// lots makes devices with several rules on each of their series.
func lots(t *testing.T, s *store.Store) (all []*lot, devices map[domain.ID]estate.Device) {
	t.Helper()
	ctx := t.Context()
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	var rules []rule.Rule
	for _, cause := range []string{"reach", "slow", "full"} {
		r, err := s.Rules.Save(ctx, rule.Rule{Name: cause, Title: "{device} " + cause, Kit: "k", Reading: "r", Cause: cause, Enabled: true,
			Condition: &limit.Condition{
				Side:    limit.Above,
				For:     rule.Hold{Values: 1},
				Recover: rule.Hold{Values: 1},
				Limits:  map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 90, Recover: 80}},
			}})
		require.NoError(t, err)
		rules = append(rules, r)
	}
	devices = map[domain.ID]estate.Device{}
	for n := range 4 {
		d, err := s.Devices.Add(
			ctx,
			domain.Device{
				PlaceID:   p.ID,
				Name:      fmt.Sprint("d-", n),
				Address:   netip.AddrFrom4([4]byte{192, 0, 2, byte(n + 1)}),
				CreatedAt: time.Now(),
			},
			"",
			nil,
		)
		require.NoError(t, err)
		devices[d.ID] = estate.Device{ID: d.ID, Name: d.Name}
		for i := range 2 {
			made, err := s.Series.Add(
				ctx,
				[]domain.Series{{DeviceID: d.ID, Kit: "k", Reading: fmt.Sprint("r", i), Name: "R", Interval: time.Minute}},
			)
			require.NoError(t, err)
			for _, r := range rules {
				all = append(
					all,
					&lot{
						rule:   r,
						series: estate.Series{ID: made[0].ID, DeviceID: d.ID, Name: "R", Kit: "k", Reading: "r", Every: time.Minute},
					},
				)
			}
		}
	}
	_, err = s.Plans.Save(
		ctx,
		plan.Plan{
			Name:    "Shore",
			Enabled: true,
			Steps: []plan.Step{
				{Key: "ticket", Title: "ticket", On: []domain.EventKind{domain.EventAlert, domain.EventRaised, domain.EventReopened},
					AtLeast: domain.LevelNotice, Kind: domain.DeliverTicket},
			},
		},
	)
	require.NoError(t, err)
	return all, devices
}

// The database loses its connections at any statement, again and again: every
// change is kept once, in its order, and nothing besides.
func TestEveryChangeIsKeptOnceWhateverTheDatabaseDoes(t *testing.T) {
	url := testkit.URL(t)
	s := testkit.OpenStore(t, url)
	all, devices := lots(t, s)
	killer, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer killer.Close(context.Background())
	r := rand.New(rand.NewPCG(8, 11))
	rec := recording(respond.New(s, nil, nil, nil, "", func() {}), nil)
	rec.begin()
	ctx, cancel := context.WithCancel(t.Context())
	var others sync.WaitGroup
	cuts := 0
	others.Go(func() {
		random := rand.New(rand.NewPCG(1, 2))
		pause := time.NewTimer(0)
		for cuts < 80 {
			select {
			case <-ctx.Done():
				return
			case <-pause.C: // a random moment, not a wait
				_, _ = killer.Exec(
					ctx,
					"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()",
				)
				cuts++
				pause.Reset(time.Duration(random.IntN(150_000)) * time.Microsecond)
			}
		}
	})
	at := time.Now().UTC().Truncate(time.Second)
	for n := range 300 {
		if n%(1+r.IntN(30)) == 0 { // now one by one, now many at once
			require.Eventually(t, func() bool { return rec.waiting.Load() == 0 }, time.Minute, time.Millisecond)
		}
		x := all[r.IntN(len(all))]
		to := domain.Level(r.IntN(4))
		if to == x.level {
			continue
		}
		at = at.Add(time.Second)
		rec.add(
			estate.Result{
				Judged: []estate.Judged{
					{
						Rule:       x.rule,
						Series:     x.series,
						Device:     devices[x.series.DeviceID],
						From:       x.level,
						To:         to,
						At:         at,
						FirstBadAt: at,
						Value:      95,
						Limit:      90,
					},
				},
			},
		)
		if x.level == domain.LevelNone {
			x.raised++
		}
		x.level = to
		x.changes++
	}
	require.Eventually(t, func() bool { return rec.waiting.Load() == 0 }, 2*time.Minute, time.Millisecond)
	cancel()
	others.Wait()
	rec.end(time.Minute)
	require.Greater(t, cuts, 20)
	assert.Zero(t, rec.setAside.Load())
	balance(t, s, all)
}

// balance compares what is stored with the account.
func balance(t *testing.T, s *store.Store, all []*lot) {
	t.Helper()
	ctx := context.Background()
	_ = s.Ping(ctx) // connections that were cut are found out here
	count := func(sql string, args ...any) (n int) {
		require.NoError(t, s.Pool().QueryRow(ctx, sql, args...).Scan(&n))
		return n
	}
	open := map[string]bool{} // by device and cause
	changes := 0
	for _, x := range all {
		of := []any{x.rule.ID, x.series.ID}
		assert.Equal(t, x.changes, count("SELECT count(*) FROM transitions WHERE rule_id = $1 AND series_id = $2", of...))
		assert.Equal(t, x.raised, count("SELECT count(*) FROM alerts WHERE rule_id = $1 AND series_id = $2", of...))
		lasting := count("SELECT count(*) FROM alerts WHERE rule_id = $1 AND series_id = $2 AND ended_at IS NULL", of...)
		assert.Equal(t, x.level > domain.LevelNone, lasting == 1)
		assert.Equal(t, int(x.level), count("SELECT coalesce(max(level), 0) FROM rule_states WHERE rule_id = $1 AND series_id = $2", of...))
		key := fmt.Sprint(x.series.DeviceID, x.rule.Cause)
		open[key] = open[key] || lasting == 1
		changes += x.changes
	}
	assert.Equal(t, changes, count("SELECT count(*) FROM transitions"))
	for key, lasts := range open {
		assert.Equal(t, lasts, count("SELECT count(*) FROM incidents WHERE device_id || cause = $1 AND state <> 'resolved'", key) == 1, key)
	}
	assert.Zero(
		t,
		count("SELECT count(*) FROM (SELECT FROM deliveries WHERE kind = 'ticket' GROUP BY incident_id HAVING count(*) > 1) x"),
		"never two tickets",
	)
	assert.Equal(
		t,
		count("SELECT count(*) FROM incidents"),
		count("SELECT count(*) FROM deliveries WHERE kind = 'ticket'"),
		"and one for each incident",
	)
	late := count("SELECT count(*) FROM (SELECT at, lag(at) OVER (ORDER BY id) AS before FROM transitions) x WHERE before > at")
	assert.Zero(t, late, "in their order")
}

package engine_test

import (
	"context"
	"fmt"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/testkit"
)

func answering(way.Question, int) derive.Fetched {
	return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0)}}}}
}

func (w world) exec(t *testing.T, sql string) {
	t.Helper()
	_, err := w.store.Pool().Exec(t.Context(), sql)
	require.NoError(t, err)
}

// A reload that the database does not answer leaves the device as it was, and
// is repeated until it succeeds; each of its statements may be the one.
func TestAReloadIsAllOrNothingAndRepeated(t *testing.T) {
	for _, table := range []string{"places", "overrides", "credentials", "devices", "endpoints", "fittings", "parts", "series", "sources"} {
		t.Run(table, func(t *testing.T) {
			t.Parallel()
			w := setup(t, "reachability")
			w.start(t, answering)
			require.Eventually(t, func() bool { return w.health(t) == domain.Fine }, 10*time.Second, 20*time.Millisecond)
			require.NoError(t, w.store.Fittings.Fit(t.Context(), domain.Fitting{DeviceID: w.device.ID, Kit: "system"}))
			loss := w.series(t)["loss"].ID
			w.exec(t, "ALTER TABLE "+table+" RENAME TO away")
			assert.Error(t, w.collector.Reload(t.Context(), w.device.ID), "it is not in force yet")
			before := w.store.Values.LatestIn([]domain.ID{loss})[loss].At
			require.Eventually(t, func() bool {
				w.collector.CollectNow(w.device.ID, "")
				return w.store.Values.LatestIn([]domain.ID{loss})[loss].At.After(before)
			}, 10*time.Second, 20*time.Millisecond, "it goes on collecting meanwhile")
			w.exec(t, "ALTER TABLE away RENAME TO "+table)
			require.Eventually(
				t,
				func() bool { return w.collector.CollectNow(w.device.ID, "") == 3 },
				10*time.Second,
				20*time.Millisecond,
				"the new kit is asked, too",
			)
		})
	}
}

// A gateway that is set at a place holds for the devices that were there.
func TestAGatewayOfAPlaceHoldsForAllBelowIt(t *testing.T) {
	w := setup(t, "reachability")
	ctx := t.Context()
	add := func(name, address string) domain.Device {
		d, err := w.store.Devices.Add(
			ctx,
			domain.Device{PlaceID: w.device.PlaceID, Name: name, Address: netip.MustParseAddr(address), CreatedAt: time.Now()},
			"",
			nil,
		)
		require.NoError(t, err)
		require.NoError(t, w.store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "reachability"}))
		return d
	}
	edge := add("np-edge-1", "192.0.2.254")
	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	w.collector = engine.NewCollector(w.store, w.kits, w.fetcher, judge, engine.Files{}, quiet)
	w.start(t, answering)
	require.NoError(t, w.collector.Reload(ctx, edge.ID))
	via, _ := judge.Way(ctx, w.device.ID)
	assert.Zero(t, via)

	require.NoError(
		t,
		w.store.Overrides.Set(
			ctx,
			domain.Override{PlaceID: w.device.PlaceID, Key: domain.SettingGateway, Value: fmt.Sprint(edge.ID)},
			edge.ID,
		),
	)
	late := add("np-kiosk-1", "192.0.2.9")
	require.NoError(t, w.collector.Reload(ctx, late.ID), "any reload takes it up for all")
	_, behind := judge.Way(ctx, edge.ID)
	assert.ElementsMatch(t, []domain.ID{w.device.ID, late.ID}, behind)
	via, _ = judge.Way(ctx, edge.ID)
	assert.Zero(t, via, "the gateway is not reached through itself")
}

// Whoever waits for a reload waits no longer than he said, also when the
// pipeline is busy and more commands are waiting than it holds.
func TestAReloadKeepsItsDeadline(t *testing.T) {
	w := setup(t, "reachability")
	w.start(t, answering)
	require.Eventually(t, func() bool { return w.health(t) == domain.Fine }, 10*time.Second, 20*time.Millisecond)
	conn, err := w.store.Pool().Acquire(t.Context())
	require.NoError(t, err)
	defer conn.Release()
	tx, err := conn.Begin(t.Context())
	require.NoError(t, err)
	_, err = tx.Exec(t.Context(), "LOCK TABLE devices IN ACCESS EXCLUSIVE MODE") // the pipeline stands still at it
	require.NoError(t, err)
	ended := make(chan error, 200)
	for range cap(ended) {
		go func() {
			ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
			defer cancel()
			ended <- w.collector.Reload(ctx, w.device.ID)
		}()
	}
	for range cap(ended) {
		select {
		case err := <-ended:
			require.ErrorIs(t, err, context.DeadlineExceeded)
		case <-time.After(10 * time.Second):
			t.Fatal("a reload waits beyond its deadline")
		}
	}
	require.NoError(t, tx.Rollback(t.Context()))
	require.NoError(t, w.collector.Reload(t.Context(), w.device.ID), "and it goes on")
}

// New rows that the database does not take at once lose none of their values.
func TestNewRowsWaitForTheDatabase(t *testing.T) {
	w := setup(t, "interfaces")
	var taken atomic.Int64
	start := time.Now().UTC().Add(-time.Hour)
	w.start(t, func(way.Question, int) derive.Fetched {
		n := taken.Add(1)
		rows := []derive.Row{port("1", "wan0", 6, 1)}
		if n > 1 {
			rows = append(rows, port("2", "lan1", 6, 1))
		}
		return derive.Fetched{At: start.Add(time.Duration(n) * time.Minute), Rows: rows}
	})
	require.Eventually(t, func() bool { return w.series(t)["wan0/state"].State == domain.SeriesOK }, 10*time.Second, 20*time.Millisecond)
	w.exec(t, "ALTER TABLE parts RENAME TO away")
	require.Eventually(
		t,
		func() bool { w.collector.CollectNow(w.device.ID, ""); return taken.Load() >= 5 },
		10*time.Second,
		20*time.Millisecond,
		"it goes on asking",
	)
	w.exec(t, "ALTER TABLE away RENAME TO parts")
	require.Eventually(t, func() bool { return w.series(t)["lan1/state"].State == domain.SeriesOK }, 20*time.Second, 20*time.Millisecond)
	w.collector.Stop()
	got, err := w.store.Values.Of(t.Context(), w.series(t)["lan1/state"].ID, start, start.Add(24*time.Hour))
	require.NoError(t, err)
	assert.Len(t, got, int(taken.Load())-1, "every answer but the first had it")
}

// A further version of a kit leaves what does not change alone: a counter has its rate at the very next look, and keeps
// its series; what is new begins.
func TestANextVersionOfAKitLeavesNoGap(t *testing.T) {
	w := setup(t, "interfaces")
	ctx := t.Context()
	t0 := time.Now().UTC().Add(-time.Hour)
	w.start(t, func(_ way.Question, n int) derive.Fetched {
		row := port("1", "eth0", 6, uint64(n)*750_000)
		row.Values = append(row.Values, num(7)) // of a column that only the next version asks for
		return derive.Fetched{At: t0.Add(time.Duration(n) * time.Minute), Rows: []derive.Row{row}}
	})
	newest := func() time.Time {
		id := w.series(t)["eth0/in"].ID
		return w.store.Values.LatestIn([]domain.ID{id})[id].At
	}
	look := func() {
		before := newest()
		w.collector.CollectNow(w.device.ID, "")
		require.Eventually(t, func() bool { return newest().After(before) }, 10*time.Second, 20*time.Millisecond)
	}
	require.Eventually(t, func() bool { return len(w.series(t)) > 0 }, 10*time.Second, 20*time.Millisecond)
	look()
	look()
	before, at := w.series(t)["eth0/in"], newest()

	text, err := w.kits.Version(ctx, testkit.Anyone, "interfaces", 1)
	require.NoError(t, err)
	document := strings.Replace(text.Document, "\nreadings:\n", "\nreadings:\n"+
		"  - {key: extra, name: Extra, of: interface, value: [extra]}\n", 1)
	const column = "      - {as: discontinuity, of: 1.3.6.1.2.1.31.1.1.1.19}\n"
	document = strings.Replace(document, column, column+"      - {as: extra, of: 1.3.6.1.2.1.2.2.1.99}\n", 1)
	_, err = w.kits.Bring(ctx, testkit.Anyone, document, 0)
	require.NoError(t, err)
	require.NoError(t, w.collector.ReloadAll(ctx))
	require.Eventually(t, func() bool { return w.collector.TakingUp() == domain.TakingUp{} }, 10*time.Second, 20*time.Millisecond)
	look()
	assert.Equal(t, before.ID, w.series(t)["eth0/in"].ID)
	assert.Equal(t, time.Minute, newest().Sub(at), "the very next look gave a rate: nothing began anew")
}

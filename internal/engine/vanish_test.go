package engine_test

import (
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
)

// watchPorts switches the rule on that ports must be up, before the start.
func (w world) watchPorts(t *testing.T) {
	t.Helper()
	rules, err := w.store.Rules.All(t.Context())
	require.NoError(t, err)
	for _, r := range rules {
		if r.Name == "Interface is down" {
			r.Enabled = true
			_, err = w.store.Rules.Save(t.Context(), r)
			require.NoError(t, err)
			return
		}
	}
	t.Fatal("no such rule")
}

// again is the device watched by a new collector.
func (w *world) again(t *testing.T) {
	t.Helper()
	w.collector.Stop()
	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	w.collector = engine.NewCollector(w.store, w.kits, w.fetcher, judge, engine.Files{}, quiet)
}

func (w world) openAlerts(t *testing.T) []domain.Alert {
	t.Helper()
	list, _, err := w.store.Alerts.Find(t.Context(), domain.AlertFilter{DeviceID: w.device.ID, Open: true, Limit: 10})
	require.NoError(t, err)
	return list
}

func (w world) health(t *testing.T) domain.Health {
	t.Helper()
	d, err := w.store.Devices.One(t.Context(), w.device.ID)
	require.NoError(t, err)
	return d.Health
}

func down(index, name string) derive.Row {
	row := port(index, name, 6, 1)
	row.Values[3] = num(2)
	return row
}

// A port that is down and then no longer there: nothing would ever say that
// it is fine again, so its trouble ends with it, also when we were away.
func TestTroubleOfAVanishedPartEnds(t *testing.T) {
	for _, restarted := range []bool{false, true} {
		w := setup(t, "interfaces")
		w.watchPorts(t)
		var fell, gone atomic.Bool
		w.start(t, func(way.Question, int) derive.Fetched {
			rows := []derive.Row{port("1", "wan0", 6, 1), port("2", "lan1", 6, 1)}
			if fell.Load() {
				rows[1] = down("2", "lan1")
			}
			if gone.Load() {
				rows = rows[:1]
			}
			return derive.Fetched{Rows: rows}
		})
		require.Eventually(
			t,
			func() bool { return w.series(t)["lan1/state"].State == domain.SeriesOK },
			10*time.Second,
			20*time.Millisecond,
		)
		fell.Store(true)
		require.Eventually(
			t,
			func() bool { w.collector.CollectNow(w.device.ID, ""); return len(w.openAlerts(t)) == 1 },
			10*time.Second,
			20*time.Millisecond,
		)
		alert := w.openAlerts(t)[0]
		assert.Equal(t, "lan1 of np-sw-1 is down", alert.Title)
		require.Eventually(t, func() bool { return w.health(t) == domain.Warning }, 10*time.Second, 20*time.Millisecond)
		if restarted {
			w.collector.Stop()
			_, err := w.store.Pool().Exec(t.Context(), "UPDATE parts SET gone_at = now() WHERE name = 'lan1'")
			require.NoError(t, err)
			w.again(t)
			gone.Store(true)
			require.NoError(t, w.collector.Start(t.Context()))
			t.Cleanup(w.collector.Stop)
		} else {
			gone.Store(true)
			w.collector.CollectNow(w.device.ID, "")
		}
		require.Eventually(
			t,
			func() bool { return len(w.openAlerts(t)) == 0 && w.health(t) == domain.Fine },
			10*time.Second,
			20*time.Millisecond,
		)
		ended, err := w.store.Alerts.One(t.Context(), alert.ID)
		require.NoError(t, err)
		assert.False(t, ended.EndedAt.IsZero())
		list, _, err := w.store.Incidents.Find(t.Context(), domain.IncidentFilter{DeviceID: w.device.ID})
		require.NoError(t, err)
		require.Len(t, list, 1)
		assert.Equal(t, domain.IncidentResolved, list[0].State, "its incident is resolved, too")
		w.collector.Stop()
	}
}

package engine_test

import (
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/uptime"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// A machine runs for 490 days; its agent is restarted after 3 more days, and
// both counters of the machine wrap. Neither is a start of the machine.
func TestAgentsRestartAndCountersWrapButTheMachineRuns(t *testing.T) {
	w := setup(t, "system")
	const day = 24 * time.Hour
	t0 := time.Now().UTC().Truncate(time.Hour).Add(-20 * day)
	booted := t0.Add(-490 * day)
	var days atomic.Int64
	ticks := func(since time.Duration) derive.Value {
		return num(float64(since % uptime.Round / (10 * time.Millisecond)))
	}
	w.start(t, func(q way.Question, n int) derive.Fetched {
		at := t0.Add(time.Duration(days.Load()) * day).Add(time.Duration(n) * time.Second)
		agent := at.Sub(booted)
		boots := 1.0
		if days.Load() >= 3 {
			agent, boots = at.Sub(t0.Add(3*day-time.Hour)), 2
		}
		sys := ticks(agent)
		got := derive.Fetched{At: at, Uptime: uint32(sys.Num), UptimeKnown: true}
		if q.Key == "system/since" {
			got.Rows = []derive.Row{{Values: []derive.Value{ticks(at.Sub(booted)), num(boots), num(agent.Seconds()), sys}}}
		}
		return got
	})
	at := func(day int64) domain.Device {
		days.Store(day)
		w.collector.CollectNow(w.device.ID, "")
		boots := w.series(t)["boots"].ID
		require.Eventually(t, func() bool {
			v, ok := w.store.Values.LatestIn([]domain.ID{boots})[boots]
			return ok && v.At.After(t0.Add(time.Duration(day)*24*time.Hour)) && w.collector.Stats().Aside == 0
		}, 10*time.Second, 10*time.Millisecond)
		d, err := w.store.Devices.One(t.Context(), w.device.ID)
		require.NoError(t, err)
		return d
	}
	require.Eventually(t, func() bool { return len(w.series(t)) == 7 }, 10*time.Second, 10*time.Millisecond)
	d := at(0)
	assert.WithinDuration(t, booted, d.BootedAt, 2*time.Second)
	assert.WithinDuration(t, booted, d.AgentSince, 2*time.Second)
	d = at(4)
	assert.WithinDuration(t, booted, d.BootedAt, 2*time.Second, "the agent was restarted, not the machine")
	assert.WithinDuration(t, t0.Add(3*day-time.Hour), d.AgentSince, 2*time.Second)
	d = at(10) // 500 days
	assert.WithinDuration(t, booted, d.BootedAt, 2*time.Second, "the counter wrapped")
}

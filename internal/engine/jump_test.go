package engine_test

import (
	"encoding/json"
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
	"tirelessowl/internal/store"
)

// The clock of the machine is set back by an hour, then forward by two: collecting
// goes on, rates stay true, an outage is noticed, and screens have the newest value.
func TestAClockThatIsSetStopsNothing(t *testing.T) {
	for _, set := range []time.Duration{-time.Hour, 3 * time.Minute, -3 * time.Minute} {
		w := setup(t, "interfaces", "reachability")
		t.Log("the clock is set by ", set)
		var off atomic.Int64
		clock := engine.NewClock(func() time.Time { return time.Now().Add(time.Duration(off.Load())) })
		judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
		judge.By(clock)
		w.collector = engine.NewCollector(w.store, w.kits, w.fetcher, judge, engine.Files{}, quiet)
		began := time.Now()
		var down atomic.Bool
		w.start(t, func(q way.Question, n int) derive.Fetched {
			if q.Key != "interfaces/table" {
				if down.Load() {
					return derive.Fetched{Error: "no answer", NoAnswer: true, Rows: []derive.Row{{Values: []derive.Value{{}, num(100)}}}}
				}
				return answering(q, n)
			}
			passed := time.Since(began) // 1,000,000 B a second
			return derive.Fetched{At: time.Now(), Uptime: uint32(passed / (10 * time.Millisecond)), UptimeKnown: true,
				Rows: []derive.Row{port("1", "wan0", 6, uint64(passed/time.Microsecond))}}
		})
		newest := func(name string) store.Latest {
			x := w.series(t)[name]
			return w.store.Values.LatestIn([]domain.ID{x.ID})[x.ID]
		}
		look := func(until func() bool) {
			require.Eventually(t, func() bool {
				w.collector.CollectNow(w.device.ID, "")
				return until()
			}, 20*time.Second, 100*time.Millisecond)
		}
		look(func() bool { return newest("wan0/in").Value > 0 })
		off.Store(int64(set))
		before := newest("wan0/in").At
		if set < 0 {
			look(func() bool { at := newest("wan0/in").At; return at.Before(before.Add(set/2)) && !at.IsZero() })
		} else {
			look(func() bool { return newest("wan0/in").At.After(before.Add(set / 2)) })
		}
		at := newest("wan0/in").At
		look(func() bool { return newest("wan0/in").At.After(at.Add(time.Second)) })
		got, err := w.store.Values.Of(t.Context(), w.series(t)["wan0/in"].ID, time.Now().Add(-3*time.Hour), time.Now().Add(3*time.Hour))
		require.NoError(t, err)
		for _, x := range got {
			assert.InEpsilon(t, 8e6, x.Value, 0.1, "1 MB a second × 8, also over the time at which the clock was set")
		}
		down.Store(true)
		look(func() bool { return w.health(t) == domain.Critical })
		text, err := w.store.Settings.Get(t.Context(), domain.SettingJump)
		require.NoError(t, err)
		var jump domain.Jump
		require.NoError(t, json.Unmarshal([]byte(text), &jump))
		assert.InDelta(t, set.Seconds(), jump.By.Seconds(), 0.5)
		w.collector.Stop()
	}
}

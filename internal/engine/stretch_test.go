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
)

// A stretch that is set at a place holds for what is asked, for the series and their parts,
// and is told where a value is explained.
func TestAStretchHoldsForAllThatIsAsked(t *testing.T) {
	w := setup(t, "reachability", "interfaces")
	var every atomic.Int64
	w.start(t, func(q way.Question, n int) derive.Fetched {
		every.Store(int64(q.Every))
		if q.Key == "reachability/probe" {
			return answering(q, n)
		}
		return derive.Fetched{Rows: []derive.Row{port("1", "eth0", 6, 1000)}}
	})
	inStretch := func(reach, table time.Duration) bool {
		list := w.series(t)
		return list["loss"].Interval == reach && list["eth0/in"].Interval == table
	}
	require.Eventually(t, func() bool { return inStretch(15*time.Second, time.Minute) }, 10*time.Second, 20*time.Millisecond)

	set := domain.Override{PlaceID: w.device.PlaceID, Key: domain.SettingStretch, Value: "4"}
	require.NoError(t, w.store.Overrides.Set(t.Context(), set, 0))
	require.NoError(t, w.collector.ReloadAll(t.Context()))
	stretched := func() bool { return inStretch(time.Minute, 4*time.Minute) }
	require.Eventually(t, stretched, 10*time.Second, 20*time.Millisecond, "4 × 15 s, 4 × 1 min")
	require.Eventually(t, func() bool {
		w.collector.CollectNow(w.device.ID, "")
		return time.Duration(every.Load()) >= time.Minute
	}, 10*time.Second, 20*time.Millisecond)
	trace, err := w.collector.WhyValue(t.Context(), w.series(t)["loss"])
	require.NoError(t, err)
	assert.Equal(t, "every 1\u00a0min", trace.Facts[0].Detail)
	assert.Contains(t, words(trace.Facts), "That is 4 × what the kit says: its place says so")

	// A part that comes then has series of the same stretch.
	w.fetcher.mu.Lock()
	before := w.fetcher.answer
	w.fetcher.answer = func(q way.Question, n int) derive.Fetched {
		if q.Key == "reachability/probe" {
			return before(q, n)
		}
		return derive.Fetched{Rows: []derive.Row{port("1", "eth0", 6, 1000), port("2", "eth1", 6, 1000)}}
	}
	w.fetcher.mu.Unlock()
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.series(t)["eth1/in"].Interval == 4*time.Minute }, 10*time.Second, 20*time.Millisecond)
}

package engine_test

import (
	"path/filepath"
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

// another is a collector as after a restart.
func (w world) another(files engine.Files) *engine.Collector {
	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "http://owl.example", func() {}), engine.NewHub(), quiet)
	return engine.NewCollector(w.store, w.kits, w.fetcher, judge, files, quiet)
}

// A counter that was looked at before a restart, or before a device was
// edited, gives a rate with the next look.
func TestCountersSurviveARestartAndAReload(t *testing.T) {
	w := setup(t, "interfaces")
	files := engine.Files{Looks: filepath.Join(t.TempDir(), "looks")}
	w.collector = w.another(files)
	t0 := time.Now().UTC().Add(-10 * time.Minute).Truncate(time.Second)
	answer := func(_ way.Question, n int) derive.Fetched {
		return derive.Fetched{At: t0.Add(time.Duration(n) * time.Minute), Rows: []derive.Row{port("2", "lan1", 6, uint64(n)*750_000)}}
	}
	rates := func() int {
		x := w.series(t)["lan1/in"]
		got, err := w.store.Values.Of(t.Context(), x.ID, t0.Add(-time.Hour), t0.Add(time.Hour))
		require.NoError(t, err)
		for _, s := range got {
			assert.InDelta(t, 100_000, s.Value, 1e-6, "750000 B in 60 s × 8")
		}
		return len(got)
	}
	looks := func(n int) func() bool {
		return func() bool {
			x := w.series(t)["lan1/state"]
			got, _ := w.store.Values.Of(t.Context(), x.ID, t0.Add(-time.Hour), t0.Add(time.Hour))
			return x.ID != 0 && len(got) == n
		}
	}
	w.start(t, answer)
	require.Eventually(t, looks(1), 10*time.Second, 20*time.Millisecond)
	require.NoError(t, w.collector.Reload(t.Context(), w.device.ID))
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, looks(2), 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, 1, rates(), "the reload did not forget the first look")
	w.collector.Stop()

	again := w.another(files)
	require.NoError(t, again.Start(t.Context()))
	t.Cleanup(again.Stop)
	again.CollectNow(w.device.ID, "")
	require.Eventually(t, looks(3), 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, 2, rates(), "nor did the restart")
	trace, err := again.WhyValue(t.Context(), domain.Series{ID: w.series(t)["lan1/in"].ID, DeviceID: w.device.ID})
	require.NoError(t, err)
	assert.Contains(t, words(trace.Facts), "from 1500000 to 2250000")
}

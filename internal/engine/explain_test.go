package engine_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/store/samples"
)

// words joins all texts of a trace.
func words(facts []why.Fact) (out string) {
	for _, f := range facts {
		out += f.Text + ": " + f.Detail + "\n" + words(f.Facts)
	}
	return out
}

func TestWhyAValueIsWhatItIs(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Add(-5 * time.Minute)
	w.start(t, func(_ way.Question, n int) derive.Fetched {
		octets := uint64(n) * 750_000
		if n == 3 {
			octets = 10 // the counter was cleared
		}
		return derive.Fetched{At: t0.Add(time.Duration(n) * time.Minute), Rows: []derive.Row{port("2", "lan1", 6, octets)}}
	})
	explain := func() string {
		trace, err := w.collector.WhyValue(t.Context(), w.series(t)["lan1/in"])
		require.NoError(t, err)
		assert.Contains(t, trace.Question, "In")
		return words(trace.Facts)
	}
	require.Eventually(t, func() bool { return len(w.series(t)) == 5 }, 10*time.Second, 20*time.Millisecond)
	assert.Contains(t, explain(), "this is the first")
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.series(t)["lan1/in"].State == domain.SeriesOK }, 10*time.Second, 20*time.Millisecond)
	text := explain()
	for _, want := range []string{
		"1.3.6.1.2.1.31.1.1.1.6", "every 1\u00a0min", "from 750000 to 1500000", "did not go down", "multiplied by 8",
		"It is row 2 of the device's table: no part has its name",
	} {
		assert.Contains(t, text, want)
	}
	assert.NotContains(t, text, "Counted now is", "only where a reading has several ways to count")
	w.collector.CollectNow(w.device.ID, "")
	assert.Eventually(t, func() bool {
		trace, err := w.collector.WhyValue(t.Context(), w.series(t)["lan1/in"])
		return err == nil && assert.ObjectsAreEqual(true, len(trace.Facts) > 2) && trace.Facts[2].Detail == "reset"
	}, 10*time.Second, 20*time.Millisecond, "a missing rate is explained, too")

	_, err := w.collector.WhyValue(t.Context(), domain.Series{ID: 999, DeviceID: w.device.ID})
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, err = w.collector.WhyValue(t.Context(), domain.Series{ID: 1, DeviceID: 999})
	assert.ErrorIs(t, err, domain.ErrNotFound)
	gone, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = w.collector.WhyValue(gone, domain.Series{ID: 999, DeviceID: w.device.ID})
	assert.Error(t, err)
}

func TestWhyOfAFailingValueShowsTheProblem(t *testing.T) {
	w := setup(t, "host-resources")
	w.start(t, func(way.Question, int) derive.Fetched {
		return derive.Fetched{Error: "no answer within 2 s, 2 tries", NoAnswer: true}
	})
	require.Eventually(t, func() bool { return w.series(t)["cpu"].State == domain.SeriesFailing }, 10*time.Second, 20*time.Millisecond)
	trace, err := w.collector.WhyValue(t.Context(), w.series(t)["cpu"])
	require.NoError(t, err)
	assert.Contains(t, words(trace.Facts), "Collecting it fails now: no answer within 2 s")
	assert.Contains(t, words(trace.Facts), "The mean of all rows is taken")
}

func TestHousekeeperFoldsAndDrops(t *testing.T) {
	w := setup(t, "reachability")
	ctx := t.Context()
	now := time.Now().UTC().Truncate(time.Hour)
	var batch []domain.SeriesSample
	for i := range 200 { // many enough that steps take less
		batch = append(
			batch,
			domain.SeriesSample{
				SeriesID: 1,
				Sample:   domain.Sample{At: now.AddDate(0, 0, -40).Add(time.Duration(i) * time.Second), Value: float64(i * 31 % 97)},
			},
		)
	}
	recent := domain.Sample{At: now.AddDate(0, 0, -3), Value: 7}
	require.NoError(t, w.store.Samples.Append(ctx, append(batch, domain.SeriesSample{SeriesID: 1, Sample: recent})))
	require.NoError(t, w.store.Samples.Seal(ctx))
	none := func(context.Context, time.Time) (int, error) { return 0, nil }
	h := engine.NewHousekeeper(w.store, samples.KeepFor(14*24*time.Hour), none, quiet)
	h.Round(ctx, now)
	got, err := w.store.Values.Of(ctx, 1, now.AddDate(0, 0, -50), now)
	require.NoError(t, err)
	assert.Equal(t, []domain.Sample{recent}, got, "the old day is gone, the newer one stays")
	series := domain.Series{ID: 1, Interval: time.Second}
	steps, width, resolution, err := w.store.Values.Range(ctx, series, now.AddDate(0, 0, -50), now, 50)
	require.NoError(t, err)
	assert.Equal(t, 24*time.Hour, width)
	assert.Equal(t, 24*time.Hour, resolution, "both days are folded")
	require.Len(t, steps, 2, "its step stays longer")
	assert.Equal(t, 96.0, steps[0].Max)
	h.Start(ctx)
	h.Stop()
	h.Stop()
}

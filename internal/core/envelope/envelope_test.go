package envelope

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

var t0 = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func samples(every time.Duration, values ...float64) []domain.Sample {
	out := make([]domain.Sample, len(values))
	for i, v := range values {
		out[i] = domain.Sample{At: t0.Add(time.Duration(i) * every), Value: v}
	}
	return out
}

func TestFoldKeepsThePeak(t *testing.T) {
	// Minutes 0–4 and 5–9: (1+1+99+1+1)/5 = 20.6 and (2×5)/5 = 2.
	rollups := Fold(samples(time.Minute, 1, 1, 99, 1, 1, 2, 2, 2, 2, 2), t0, 5*time.Minute)
	require.Len(t, rollups, 2)
	assert.Equal(t, domain.Rollup{At: t0, Count: 5, Min: 1, Avg: 20.6, Max: 99}, rollups[0])
	assert.Equal(t, domain.Rollup{At: t0.Add(5 * time.Minute), Count: 5, Min: 2, Avg: 2, Max: 2}, rollups[1])
}

func TestFoldLeavesGaps(t *testing.T) {
	in := append(samples(time.Minute, 1), domain.Sample{At: t0.Add(time.Hour), Value: 2})
	rollups := Fold(in, t0, 5*time.Minute)
	require.Len(t, rollups, 2)
	assert.Equal(t, t0.Add(time.Hour), rollups[1].At)
	assert.Empty(t, Fold(nil, t0, time.Minute))
}

func TestFoldBeforeTheStart(t *testing.T) {
	rollups := Fold([]domain.Sample{{At: t0.Add(-time.Second), Value: 1}}, t0, time.Minute)
	assert.Equal(t, t0.Add(-time.Minute), rollups[0].At)
}

func TestWidth(t *testing.T) {
	assert.Equal(t, 2*time.Minute, Width(t0, t0.Add(24*time.Hour), 800, time.Minute), "108 s rounds up to 120")
	assert.Equal(t, time.Minute, Width(t0, t0.Add(time.Minute), 800, time.Minute))
	assert.Equal(t, time.Minute, Width(t0, t0, 800, time.Minute))
}

func TestWidthAtTheEdges(t *testing.T) {
	assert.Equal(t, time.Minute, Width(t0, t0.Add(time.Minute), 1, time.Minute), "one point holds it all")
	assert.Equal(t, time.Minute, Width(t0, t0.Add(time.Hour), 0, time.Minute))
	assert.Equal(t, time.Minute, Width(t0, t0.Add(time.Nanosecond), 800, time.Minute), "never nothing")
	assert.Equal(t, 2*time.Minute, Width(t0, t0.Add(20*time.Minute), 10, time.Minute), "a whole multiple stays")
}

func TestSamplesBeforeTheStartFallIntoTheirOwnSlots(t *testing.T) {
	for before, want := range map[time.Duration]time.Duration{
		time.Minute: time.Minute, time.Minute + time.Second: 2 * time.Minute, time.Second: time.Minute, 0: 0,
		-59 * time.Second: 0,
	} {
		rollups := Fold([]domain.Sample{{At: t0.Add(-before), Value: 1}}, t0, time.Minute)
		assert.Equal(t, t0.Add(-want), rollups[0].At, before)
	}
}

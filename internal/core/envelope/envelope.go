// Package envelope reduces samples to rollups that keep the true lowest and
// highest value, so that no peak is lost on a long chart.
package envelope

import (
	"time"

	"tirelessowl/internal/domain"
)

// Fold groups samples (ordered by time) into rollups of equal width that start
// at from. A rollup without a sample is left out: gaps stay gaps.
//
//	min, max: exact; avg: arithmetic mean of the samples in the rollup.
func Fold(samples []domain.Sample, from time.Time, width time.Duration) []domain.Rollup {
	var rollups []domain.Rollup
	var sum float64
	for _, s := range samples {
		start := slot(s.At, from, width)
		n := len(rollups)
		if n == 0 || !rollups[n-1].At.Equal(start) {
			rollups = append(rollups, domain.Rollup{At: start, Min: s.Value, Max: s.Value})
			sum, n = 0, n+1
		}
		rollup := &rollups[n-1]
		sum += s.Value
		rollup.Count++
		rollup.Min, rollup.Max = min(rollup.Min, s.Value), max(rollup.Max, s.Value)
		rollup.Avg = sum / float64(rollup.Count)
	}
	return rollups
}

// Width returns the rollup width that gives at most points rollups between two
// times, rounded up to whole multiples of grain.
func Width(from, to time.Time, points int, grain time.Duration) time.Duration {
	if points < 1 || !to.After(from) {
		return grain
	}
	width := to.Sub(from) / time.Duration(points)
	if rest := width % grain; rest > 0 || width == 0 {
		width += grain - rest
	}
	return width
}

func slot(at, from time.Time, width time.Duration) time.Time {
	d := at.Sub(from)
	n := d / width
	if d < 0 && d%width != 0 {
		n--
	}
	return from.Add(n * width)
}

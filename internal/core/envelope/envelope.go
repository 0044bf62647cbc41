// Package envelope reduces samples to steps that keep the true lowest and
// highest value, so that no peak is lost on a long chart.
package envelope

import (
	"time"

	"tirelessowl/internal/domain"
)

// Fold groups samples (ordered by time) into steps of equal width that start
// at from. A step without a sample is left out: gaps stay gaps.
//
//	min, max: exact; avg: arithmetic mean of the samples in the step.
func Fold(samples []domain.Sample, from time.Time, width time.Duration) []domain.Rollup {
	var steps []domain.Rollup
	var sum float64
	for _, s := range samples {
		start := slot(s.At, from, width)
		n := len(steps)
		if n == 0 || !steps[n-1].At.Equal(start) {
			steps = append(steps, domain.Rollup{At: start, Min: s.Value, Max: s.Value})
			sum, n = 0, n+1
		}
		step := &steps[n-1]
		sum += s.Value
		step.Count++
		step.Min, step.Max = min(step.Min, s.Value), max(step.Max, s.Value)
		step.Avg = sum / float64(step.Count)
	}
	return steps
}

// Width returns the step width that gives at most points steps between two
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

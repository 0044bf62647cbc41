package envelope

import (
	"slices"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/codec"
)

// A side of a pause tells what is usual there by this many pauses, and by no
// fewer than so many.
const (
	around = 4
	enough = 3
)

// Breaks tells where a line through values at some times, in order, is broken:
// the places of the values before which nobody knows what was. That is where a
// pause is longer than three times the interval, and than three times what is
// usual nearby: a past that was brought in at wide intervals is a line too.
func Breaks(times []int64, interval int64) (out []int) {
	pauses := pausesOf(times)
	for i, p := range pauses {
		if p > cadence.Missed*interval && p > cadence.Missed*usualNear(pauses, i) {
			out = append(out, i+1)
		}
	}
	return out
}

// Pause is the usual pause between values: the median; 0 for less than two.
func Pause(times []int64) int64 { return codec.Usual(pausesOf(times)) }

func pausesOf(times []int64) []int64 {
	out := make([]int64, max(0, len(times)-1))
	for i := range out {
		out[i] = times[i+1] - times[i]
	}
	return out
}

// usualNear is the median of the pauses before one, or of those after it where
// that is longer: at the border of a past at wide intervals both are usual.
func usualNear(pauses []int64, at int) int64 {
	before, after := pauses[max(0, at-around):at], pauses[at+1:min(len(pauses), at+1+around)]
	switch {
	case len(before) >= enough && len(after) >= enough:
		return max(median(before), median(after))
	case len(before) >= enough:
		return median(before)
	case len(after) >= enough:
		return median(after)
	}
	return median(slices.Concat(before, after))
}

// median leaves the pauses in their order.
func median(pauses []int64) int64 { return codec.Usual(slices.Clone(pauses)) }

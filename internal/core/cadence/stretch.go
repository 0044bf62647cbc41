package cadence

import (
	"fmt"
	"math"
	"strconv"
	"time"
)

// The bounds of a stretch: how many times as long as a kit says the rounds of collecting
// are apart.
const (
	LowestStretch  = 0.1
	HighestStretch = 100
)

const (
	fastest = 5 * time.Second // no stretch asks more often, though a kit may
	slowest = 24 * time.Hour
)

// Stretched is the interval of a kit, made longer or shorter by a stretch, in whole seconds.
// It leads to no shorter interval than 5 s and to no longer one than a day; what a
// kit says beyond these stays.
func Stretched(every time.Duration, stretch float64) time.Duration {
	if stretch == 1 || !(stretch > 0 && stretch <= HighestStretch) {
		return every
	}
	stretched := time.Duration(math.Round(every.Seconds()*stretch)) * time.Second
	return min(max(stretched, min(every, fastest)), max(every, slowest))
}

// ReadStretch reads a stretch as people type it.
func ReadStretch(typed string) (float64, error) {
	stretch, err := strconv.ParseFloat(typed, 64)
	if err != nil || math.IsNaN(stretch) || stretch < LowestStretch || stretch > HighestStretch {
		return 0, fmt.Errorf("must be a number from %g to %d, such as 2 or 0.5", LowestStretch, HighestStretch)
	}
	return stretch, nil
}

package cadence

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestAStretchStretchesIntervals(t *testing.T) {
	for _, c := range []struct {
		every   time.Duration
		stretch float64
		want    time.Duration
	}{
		{time.Minute, 1, time.Minute},
		{time.Minute, 2, 2 * time.Minute},
		{time.Minute, 0.5, 30 * time.Second},
		{15 * time.Second, 0.5, 8 * time.Second}, // 7.5 s in whole seconds
		{15 * time.Second, 0.1, 5 * time.Second}, // 1.5 s would be too fast
		{2 * time.Second, 0.1, 2 * time.Second},  // the kit itself asks faster
		{2 * time.Second, 1.5, 3 * time.Second},  //
		{time.Hour, 100, 24 * time.Hour},         // 100 h would be too slow
		{48 * time.Hour, 2, 48 * time.Hour},      // the kit itself asks more seldom
		{48 * time.Hour, 0.25, 12 * time.Hour},   //
		{time.Minute, 0, time.Minute},            // nothing that could be typed
		{time.Minute, math.NaN(), time.Minute},   //
		{time.Minute, math.Inf(1), time.Minute},
	} {
		assert.Equal(t, c.want, Stretched(c.every, c.stretch), "%s × %g", c.every, c.stretch)
	}
}

func TestAStretchIsRead(t *testing.T) {
	for typed, want := range map[string]float64{"2": 2, "0.5": 0.5, "0.1": 0.1, "100": 100, "1e1": 10} {
		got, err := ReadStretch(typed)
		assert.NoError(t, err, typed)
		assert.Equal(t, want, got)
	}
	for _, typed := range []string{"", "x", "0", "-1", "0.09", "100.1", "NaN", "Inf", "2x", "1,5"} {
		_, err := ReadStretch(typed)
		assert.EqualError(t, err, "must be a number from 0.1 to 100, such as 2 or 0.5", typed)
	}
}

package engine

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Drift is followed quietly; a clock that is set is a jump, both ways; the time
// that a machine slept has truly passed.
func TestTheClockFollowsTheWallAndNoticesJumps(t *testing.T) {
	var off, sleep time.Duration
	real := time.Now()
	c := NewClock(func() time.Time { return time.Now().Add(off) })
	c.asleep = func() time.Duration { return sleep }
	c.slept = 0
	close := func(want, got time.Time, why string) { assert.WithinDuration(t, want, got, 100*time.Millisecond, why) }
	assert.Zero(t, c.Look())
	off = 300 * time.Millisecond
	assert.Zero(t, c.Look())
	close(time.Now().Add(off), c.Now(), "a clock that is adjusted is followed")
	for _, set := range []time.Duration{-3 * time.Minute, time.Hour, -time.Hour} {
		before := c.Of(real) // a moment of an answer that is on its way while the clock is set
		off += set
		assert.InDelta(t, set.Seconds(), c.Look().Seconds(), 0.1)
		close(before.Add(set), c.Of(real), "it is so long ago as it was")
		assert.Zero(t, c.Look(), "noticed once")
	}
	before := c.Now()
	off, sleep = off+time.Hour, time.Hour // the machine slept: its wall clock went on, the monotonic one did not
	assert.Zero(t, c.Look())
	close(before.Add(time.Hour), c.Now(), "that is no jump")
	fixed := time.Date(2026, 11, 26, 3, 40, 0, 0, time.UTC)
	assert.Equal(t, fixed, c.Of(fixed), "what is no moment of ours stays")
}

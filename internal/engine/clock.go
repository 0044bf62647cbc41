package engine

import (
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// Clock is the time of collecting and judging. It passes as the monotonic clock
// does, so that no change of the wall clock makes an interval longer or shorter;
// what it shows follows the wall clock whenever Look is called.
type Clock struct {
	wall   func() time.Time
	asleep func() time.Duration
	mu     sync.RWMutex
	base   time.Time // with its monotonic reading
	at     time.Time // what the clock showed then
	slept  time.Duration
}

// NewClock returns a clock that follows a wall clock, which may be nil for that
// of the machine.
func NewClock(wall func() time.Time) *Clock {
	if wall == nil {
		wall = time.Now
	}
	c := &Clock{wall: wall, asleep: asleep, base: time.Now(), slept: asleep()}
	c.at = wall().UTC().Round(0)
	return c
}

// Now returns the time, in UTC and without a monotonic reading.
func (c *Clock) Now() time.Time { return c.Of(time.Now()) }

// Of returns what the clock showed at a moment that has a monotonic reading; a
// time without one is returned as it is.
func (c *Clock) Of(moment time.Time) time.Time {
	if moment == moment.Round(0) {
		return moment
	}
	c.mu.RLock()
	defer c.mu.RUnlock()
	return c.at.Add(moment.Sub(c.base))
}

// drift is how far the clocks may come apart, between two looks, by being
// adjusted as is usual; farther, and the wall clock was set.
const drift = 2 * time.Second

// Look follows the wall clock, and returns by how much that was set since the
// last look; 0 for what is only drift, and for the time that the machine slept.
func (c *Clock) Look() (jump time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	now := time.Now()
	slept := c.asleep()
	c.at, c.base = c.at.Add(now.Sub(c.base)+slept-c.slept), now
	c.slept = slept
	off := c.wall().UTC().Round(0).Sub(c.at)
	c.at = c.at.Add(off)
	if off.Abs() < drift {
		return 0
	}
	return off
}

// asleep is how long the machine slept since it started: by so much its clock
// that counts sleep is ahead of the one that does not (clock_gettime(2)).
func asleep() time.Duration {
	var boot, mono unix.Timespec
	if unix.ClockGettime(unix.CLOCK_BOOTTIME, &boot) != nil || unix.ClockGettime(unix.CLOCK_MONOTONIC, &mono) != nil {
		return 0
	}
	return time.Duration(boot.Nano() - mono.Nano()).Round(10 * time.Millisecond)
}

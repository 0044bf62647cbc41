// Package cadence says, from the interval in which something is collected,
// how late values may be before that means something. All that speaks of
// staleness, silence or gaps takes it from here.
package cadence

import "time"

// Missed is how many intervals may be missing within what counts as unbroken.
const Missed = 3

const (
	late     = 4 // intervals until a value is stale
	silent   = 5 // intervals until nothing is known of a device
	patience = 30 * time.Second
)

// Gap is the longest pause between two samples over which a value is taken to
// have stood.
func Gap(every time.Duration) time.Duration { return Missed * every }

// Stale tells whether a newest value of some age is out of date.
func Stale(age, every time.Duration) bool { return age > late*every+patience }

// Silence is how long a device may be silent before its health is unknown,
// given the shortest interval of its series.
func Silence(every time.Duration) time.Duration { return silent*every + patience }

// Wait bounds the wait for a word from the devices on the way to one that is
// silent: a collector that does not get round to them must not hide it.
func Wait(every time.Duration) time.Duration { return 4*every + 10*time.Second }

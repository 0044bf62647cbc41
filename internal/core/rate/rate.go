// Package rate turns counters into rates a second.
package rate

import (
	"fmt"
	"math"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// Reading is one look at a counter.
type Reading struct {
	At    time.Time
	Count uint64
	// Bits is the width of the counter: 32 or 64.
	Bits int
	// Uptime is the device's sysUpTime (SNMPv2-MIB) in hundredths of a
	// second at the same moment; it wraps after 497 days. UptimeKnown is
	// false where the device did not tell.
	Uptime      uint32
	UptimeKnown bool
	Of          Instance
	// Apart tells that our own clock cannot be trusted for the time since this
	// look: another run took it, or the clock was set meanwhile. What passed is
	// then checked against sysUpTime.
	Apart bool
}

// Instance is the very thing that a counter counts for: a row of a table, in
// the life that the device tells of it. Under another index, or since another
// discontinuity, the numbers begin anew, whatever the row is called.
type Instance struct {
	Index string
	// Since is when the device says that its counters began, such as
	// ifCounterDiscontinuityTime (IF-MIB) as sysUpTime; SinceKnown is false
	// where it does not tell.
	Since      uint32
	SinceKnown bool
}

// same tells whether two looks were at the same instance. A device that does
// not always tell since when is believed as far as its index goes.
func (i Instance) same(o Instance) bool {
	return i.Index == o.Index && (i.Since == o.Since || !i.SinceKnown || !o.SinceKnown)
}

// Outcome says what became of a pair of readings.
type Outcome string

// The outcomes. Only Steady and Wrapped give a rate.
const (
	First     Outcome = "first"     // nothing to compare with yet
	Steady    Outcome = "steady"    // the counter went up or stood still
	Wrapped   Outcome = "wrapped"   // it passed its end once
	Reset     Outcome = "reset"     // it began again without a reboot
	Rebooted  Outcome = "restarted" // the agent began again, with the machine or by itself
	Ambiguous Outcome = "ambiguous" // it may have wrapped more than once
	NoTime    Outcome = "no time"   // the clock stood still or went back
	Changed   Outcome = "changed"   // the counter has another width now
	Replaced  Outcome = "replaced"  // what it counts for is another thing now
	Doubtful  Outcome = "doubtful"  // our clock and the device's disagree about the time that passed
)

const (
	// Round32 is how many counts a 32-bit counter takes until it begins again.
	Round32     = float64(1 << 32)
	uptimeRound = Round32 / 100 // seconds until sysUpTime wraps
	// uptimeSlack is how far sysUpTime and our clock may drift apart, in
	// seconds, before a smaller sysUpTime counts as a reboot.
	uptimeSlack = 120.0
	// maxGap is the longest time between two readings that still makes an
	// honest average; a longer silence is a gap.
	maxGap = 24 * time.Hour
	// Where our clock is not trusted, the device's may differ from it by so many
	// seconds, and by such a part of the time that passed.
	apartSlack = 2.0
	apartPart  = 0.05
)

// Between returns the rate in counts a second from one reading to the next,
// with how it was found. ceiling is the highest rate possible (for example
// the interface's speed / 8), or 0 when not known.
//
//	rate = (new − old) / seconds             when the counter went up
//	rate = (new − old + 2^bits) / seconds    when it wrapped once
//
// A 32-bit counter that went down has wrapped when the rate so implied is
// possible: below the ceiling, or without one below half a round between
// readings. A 64-bit one needs centuries to wrap at today's speeds, so going
// down is a reset unless the old value was within reach of the end.
func Between(old *Reading, now Reading, ceiling float64) (float64, Outcome, why.Trace) {
	outcome, count := judge(old, now, ceiling)
	t := why.Trace{Question: "How was the rate found?", Answer: string(outcome)}
	if old == nil {
		t.Because("A rate needs two values; this is the first", "", nil)
		return 0, First, t
	}
	seconds := now.At.Sub(old.At).Seconds()
	t.Because(fmt.Sprintf("The %d-bit counter went from %d to %d in %s", now.Bits, old.Count, now.Count, units.Span(now.At.Sub(old.At))),
		explain[outcome], nil)
	if outcome != Steady && outcome != Wrapped {
		return 0, outcome, t
	}
	return count / seconds, outcome, t
}

// Value is Between without the trace, for the fast path.
func Value(old *Reading, now Reading, ceiling float64) (float64, Outcome) {
	outcome, count := judge(old, now, ceiling)
	if outcome != Steady && outcome != Wrapped {
		return 0, outcome
	}
	return count / now.At.Sub(old.At).Seconds(), outcome
}

// Growth is by how much a counter grew from one reading to the next, as Between finds it.
func Growth(old *Reading, now Reading, ceiling float64) (float64, Outcome) {
	outcome, count := judge(old, now, ceiling)
	return count, outcome
}

var explain = map[Outcome]string{
	Steady:    "it did not go down",
	Wrapped:   "it passed its end once: one round is added",
	Reset:     "it went down by more than a wrap explains: it was reset, and this interval has no rate",
	Rebooted:  "what answers for the device started anew in between: this interval has no rate",
	Ambiguous: "so long a time may hide more than one wrap: this interval has no rate",
	NoTime:    "the clock did not go forward: this interval has no rate",
	Changed:   "the counter changed its width: this interval has no rate",
	Doubtful:  "our clock was set or another run looked before, and the device says that another time passed: this interval has no rate",
	Replaced:  "the device counts for another row, or since another time: this interval has no rate",
}

func judge(old *Reading, now Reading, ceiling float64) (Outcome, float64) {
	if old == nil {
		return First, 0
	}
	elapsed := now.At.Sub(old.At)
	switch {
	case elapsed <= 0:
		return NoTime, 0
	case !old.Of.same(now.Of):
		return Replaced, 0
	case old.Bits != now.Bits:
		return Changed, 0
	case restarted(*old, now, elapsed.Seconds()):
		return Rebooted, 0
	case old.Apart && disagree(*old, now, elapsed.Seconds()):
		return Doubtful, 0
	case elapsed > maxGap:
		return Ambiguous, 0
	}
	if now.TooFast(elapsed, ceiling) {
		return Ambiguous, 0
	}
	if now.Count >= old.Count {
		return Steady, float64(now.Count - old.Count)
	}
	return fell(*old, now, elapsed.Seconds(), ceiling)
}

// TooFast tells whether a 32-bit counter may pass its end more than once within
// an interval at a rate of ceiling counts a second; a ceiling of 0 is not known.
//
//	2^32 counts of octets take 34 s at 1 Gbit/s, 344 s at 100 Mbit/s
func (r Reading) TooFast(interval time.Duration, ceiling float64) bool {
	return r.Bits == 32 && ceiling > 0 && ceiling*interval.Seconds() >= Round32
}

// restarted compares how far sysUpTime moved with how far the clock moved,
// allowing for its own wrap.
func restarted(old, now Reading, elapsed float64) bool {
	if !old.UptimeKnown || !now.UptimeKnown || now.Uptime >= old.Uptime {
		return false
	}
	before, after := float64(old.Uptime)/100, float64(now.Uptime)/100
	return math.Abs(before+elapsed-(after+uptimeRound)) > uptimeSlack
}

// disagree tells whether sysUpTime, which may have wrapped once, moved by another
// time than our clock.
func disagree(old, now Reading, elapsed float64) bool {
	if !old.UptimeKnown || !now.UptimeKnown {
		return false
	}
	passed := float64(now.Uptime-old.Uptime) / 100
	return math.Abs(passed-elapsed) > math.Max(apartSlack, apartPart*elapsed)
}

// fell decides between one wrap and a reset for a counter that went down.
func fell(old, now Reading, seconds, ceiling float64) (Outcome, float64) {
	// Unsigned arithmetic wraps the same way as the counter does.
	round := float64(now.Count - old.Count)
	limit := math.Ldexp(1, now.Bits) / 2
	if now.Bits == 32 {
		round = float64(uint32(now.Count) - uint32(old.Count))
	}
	if ceiling > 0 {
		limit = math.Min(limit*2, ceiling*seconds*1.1) // a tenth for a late clock
	} else if now.Bits == 64 {
		limit = 1e12 * seconds // 8 Tbit/s: no single interface is faster yet
	}
	if round > limit {
		return Reset, 0
	}
	return Wrapped, round
}

// Package uptime tells since when something runs from what it says of its
// uptime: a counter that wraps, read by a clock of ours that goes otherwise.
package uptime

import (
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// Round is after how long TimeTicks (RFC 2578, hundredths of a second in 32
// bits) begin again: 497 days, 2 h 27 min 52.96 s.
const Round = (1 << 32) * 10 * time.Millisecond

// Outcome is what an uptime tells beside the one before.
type Outcome string

// The outcomes.
const (
	First   Outcome = "first"   // nothing was known
	Same    Outcome = "same"    // it runs on
	Wrapped Outcome = "wrapped" // it runs on, and its counter began again
	Started Outcome = "started" // it started anew
)

// slack is how far two clocks may differ that have measured a time: a minute and
// a part of it. Nothing that runs so long can have started anew within a
// thousandth; at a wrap, where that is possible, clocks are trusted to a
// ten-thousandth.
func slack(measured, part time.Duration) time.Duration { return time.Minute + measured/part }

// Since returns since when something runs that said its uptime at a time, where
// before is since when it ran as far as was known; zero for not known.
//
//	it started at − uptime; where that is whole rounds after before, the counter wrapped
func Since(before, at time.Time, uptime time.Duration) (time.Time, Outcome, why.Trace) {
	since, outcome := judge(before, at, uptime)
	t := why.Trace{Question: "Since when does it run?", Answer: string(outcome)}
	t.Because("It said an uptime of "+units.Span(uptime), explain[outcome], nil)
	return since, outcome, t
}

var explain = map[Outcome]string{
	First:   "nothing was known before",
	Same:    "that is as long as was known, as far as two clocks agree",
	Wrapped: "that and whole rounds of 497 days are as long as was known: the counter began again, not the machine",
	Started: "that is less than was known: it started anew",
}

func judge(before, at time.Time, uptime time.Duration) (time.Time, Outcome) {
	began := at.Add(-uptime).Truncate(time.Second)
	if before.IsZero() {
		return began, First
	}
	later := began.Sub(before)
	if later.Abs() <= slack(uptime, 1000) {
		return before, Same
	}
	rounds := (later + Round/2) / Round
	if rounds >= 1 && (later-rounds*Round).Abs() <= slack(rounds*Round+uptime, 10_000) {
		return before, Wrapped
	}
	return began, Started
}

// Package plausible tells which values a reading can have. A device that is
// broken, or that wants to do harm, says anything: what cannot be is kept apart,
// so that no chart, sum or judgement is spoilt by it.
package plausible

import (
	"fmt"
	"math"

	"tirelessowl/internal/core/units"
)

// Limits are the lowest and the highest value that a reading can have, in its
// unit, with the reason.
type Limits struct {
	Low, High float64
	Why       string
	line      float64 // the speed in bit/s that they follow from, 0 where they do not
}

// beyond is more than anything measures: an exabyte, a petabit a second.
const beyond = 1e18

// byUnit are the limits that follow from the unit alone.
var byUnit = map[string]Limits{
	// A hundredth of slack: a part and its whole are read one after the other.
	"%":     {Low: -1, High: 101, Why: "a share lies between 0 and 100 %"},
	"bit/s": {Low: 0, High: 1e15, Why: "no line carries more than 1 Pbit/s, or less than nothing"},
	"B/s":   {Low: 0, High: 1e15, Why: "nothing moves more than 1 PB a second, or less than nothing"},
	"B":     {Low: 0, High: beyond, Why: "no store holds more than an exabyte, or less than nothing"},
	"1/s":   {Low: 0, High: 1e12, Why: "nothing happens more than 10¹² times a second, or less than never"},
	"s":     {Low: 0, High: 3.2e9, Why: "no time is longer than a hundred years, or negative"},
	"Cel":   {Low: -273.15, High: 2000, Why: "it lies between the absolute zero and 2000 °C"},
	"V":     {Low: -1e6, High: 1e6, Why: "it lies within a million volts"},
	"A":     {Low: -1e6, High: 1e6, Why: "it lies within a million amperes"},
	"W":     {Low: -1e9, High: 1e9, Why: "it lies within a million kilowatts"},
}

// Of returns the limits of a unit; for one that is not known any finite value
// can be.
func Of(unit string) Limits {
	if l, ok := byUnit[unit]; ok {
		return l
	}
	return Limits{Low: -math.MaxFloat64, High: math.MaxFloat64, Why: "any number can be"}
}

// Within narrows limits to what a kit says of a reading; nil leaves them.
func (l Limits) Within(low, high *float64) Limits {
	if low == nil && high == nil {
		return l
	}
	if low != nil {
		l.Low = *low
	}
	if high != nil {
		l.High = *high
	}
	l.Why = "the kit says so"
	return l
}

// Line speeds that are believed: below honest, an interface that exists in
// software only may carry far more than the speed that it tells.
const (
	honest = 100e6 // bit/s
	slack  = 2     // an agent that gives cached counters is late, and then early
)

// Line narrows the limits of a traffic to what a line of some speed in bit/s
// carries; a speed of 0 is not known.
func (l Limits) Line(speed float64) Limits {
	if speed < honest || speed*slack >= l.High {
		return l
	}
	l.High, l.line = speed*slack, speed
	return l
}

// Problem says what is wrong with a value of a unit, or nothing.
func (l Limits) Problem(value float64, unit string) string {
	if value >= l.Low && value <= l.High {
		return ""
	}
	reason := l.Why
	if l.line > 0 {
		reason = "a line of " + units.Format(l.line, "bit/s") + " carries no more than twice that, with counters that come late"
	}
	return fmt.Sprintf("%s cannot be: %s", units.Format(value, unit), reason)
}

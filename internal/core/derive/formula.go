package derive

import (
	"fmt"
	"math"
	"slices"
	"time"

	"tirelessowl/internal/core/plausible"
	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// none marks a column that a formula does not use.
const none = -1

// Formula is the way from a row to a value, in this order: take the first
// column that is present, turn a counter into a rate, multiply by a column,
// express as a share of a column, scale.
type Formula struct {
	Columns   []int // candidates for the raw value, best first
	Rate      bool
	Since     int // column with the beginning of the row's counters as sysUpTime, or -1
	Times     int // column to multiply by, or -1
	PercentOf int // column that is the whole, or -1
	// Rest are columns that make the whole together with the value itself, such as
	// what is still available; then the result is a share of that, in %.
	Rest  []int
	Scale float64
	// Every is the usual time between two looks.
	Every time.Duration
	// Can are the values that the reading can have, in its Unit.
	Can  plausible.Limits
	Unit string
	// Instead are values that other columns force, the first that holds.
	Instead []Instead
	// State is true where the value is one of an enumeration: a whole number,
	// never one that is written in a text.
	State bool
}

// Instead is a value that a row has whenever a column says one of some things,
// such as a port that is switched off, whatever its cable does.
type Instead struct {
	Column int
	Says   []string
	Value  float64
}

// Taken is what a formula made of a row.
type Taken struct {
	Value float64
	OK    bool
	// Problem says why there is no value; empty where waiting is normal, such
	// as after the first look at a counter.
	Problem string
	// Implausible is true for a Value that there is, and that cannot be.
	Implausible bool
	// Absent is true where the device does not have what is asked for.
	Absent bool
}

func problem(text string) Taken { return Taken{Problem: text} }

// State is what a formula remembers between fetches of one series.
type State struct {
	before, last rate.Reading
	ceiling      float64
	looks        uint8 // 0, 1, or 2 for two and more
}

// Last returns the newest look at a counter; ok is false before the first.
func (st State) Last() (r rate.Reading, ok bool) { return st.last, st.looks > 0 }

// Resume goes on from a look at a counter that an earlier run took.
func (st *State) Resume(r rate.Reading) {
	r.Apart = true
	*st = State{last: r, looks: 1}
}

// Shift moves what was seen by a time by which our clock was set.
func (st *State) Shift(by time.Duration) {
	st.before.At, st.last.At = st.before.At.Add(by), st.last.At.Add(by)
	st.last.Apart = true
}

// Why explains the rate that the last two looks at a counter gave, or why
// they gave none; ok is false where no counter was looked at.
func (st State) Why() (t why.Trace, ok bool) {
	if st.looks == 0 {
		return why.Trace{}, false
	}
	var old *rate.Reading
	if st.looks > 1 {
		old = &st.before
	}
	_, _, t = rate.Between(old, st.last, st.ceiling)
	return t, true
}

// Apply computes the value of one row. ceiling is the highest rate of a counter
// in counts a second, 0 where it is not known.
func (f Formula) Apply(got Fetched, row Row, st *State, ceiling float64) Taken {
	raw, found := f.raw(row)
	if !found {
		return Taken{Problem: "the device does not give this value", Absent: true}
	}
	for _, i := range f.Instead {
		if i.Column < len(row.Values) && slices.Contains(i.Says, row.Values[i.Column].String()) {
			return Taken{Value: i.Value, OK: true}
		}
	}
	if f.Rate {
		value, out := f.rate(raw, got, row, st, ceiling)
		if !out.OK {
			return out
		}
		return f.finish(value, row, ceiling)
	}
	value, ok := raw.Number()
	if !ok {
		return problem(fmt.Sprintf("expected a number, got the text “%.40s”", raw.Text))
	}
	if f.State && (raw.Kind != Gauge || value != math.Trunc(value)) {
		return problem(fmt.Sprintf("expected the number of a state, got “%.40s”", raw))
	}
	return f.finish(value, row, 0)
}

func (f Formula) raw(row Row) (Value, bool) {
	for _, c := range f.Columns {
		if c < len(row.Values) && row.Values[c].Kind != Missing {
			return row.Values[c], true
		}
	}
	return Value{}, false
}

func (f Formula) rate(raw Value, got Fetched, row Row, st *State, ceiling float64) (float64, Taken) {
	bits := 64
	switch raw.Kind {
	case Counter32:
		bits = 32
	case Counter64:
	default:
		return 0, problem(fmt.Sprintf("expected a counter, got “%.40s”", raw))
	}
	now := rate.Reading{
		At:          got.When(row),
		Count:       raw.Count,
		Bits:        bits,
		Uptime:      got.Uptime,
		UptimeKnown: got.UptimeKnown,
		Of:          f.instance(row),
	}
	var old *rate.Reading
	if st.looks > 0 {
		old = &st.last
	}
	value, outcome := rate.Value(old, now, ceiling)
	if outcome != rate.NoTime {
		st.before, st.last, st.ceiling, st.looks = st.last, now, ceiling, min(2, st.looks+1)
	}
	if now.TooFast(f.Every, ceiling) {
		return 0, problem(f.tooFast(ceiling))
	}
	return value, Taken{OK: outcome == rate.Steady || outcome == rate.Wrapped}
}

// tooFast says what can be done about a 32-bit counter that may pass its end
// more than once between two looks.
func (f Formula) tooFast(ceiling float64) string {
	help := "let the device give its 64-bit counter"
	if most := time.Duration(rate.Round32 / ceiling * float64(time.Second)).Truncate(time.Second); most > 0 {
		help += ", or collect it each " + units.Span(most)
	}
	return fmt.Sprintf("with %s this is too fast for its 32-bit counter at %s, which may pass its end more than once in between: %s",
		units.Format(ceiling*8, "bit/s"), units.Span(f.Every), help)
}

// can are the values that can be on a line of a speed.
func (f Formula) can(ceiling float64) plausible.Limits {
	if f.Can == (plausible.Limits{}) {
		return plausible.Of(f.Unit)
	}
	return f.Can.Line(ceiling * f.Scale)
}

// instance is what the counter of a row counts for.
func (f Formula) instance(row Row) rate.Instance {
	of := rate.Instance{Index: row.Index}
	if f.Since < 0 || f.Since >= len(row.Values) {
		return of
	}
	if since, ok := row.Values[f.Since].Number(); ok && since >= 0 && since <= math.MaxUint32 {
		of.Since, of.SinceKnown = uint32(since), true
	}
	return of
}

func (f Formula) finish(value float64, row Row, ceiling float64) Taken {
	if f.Times >= 0 {
		by, ok := row.Values[f.Times].Number()
		if !ok {
			return problem("the size of one unit is missing")
		}
		value *= by
	}
	if f.PercentOf >= 0 {
		whole, ok := row.Values[f.PercentOf].Number()
		if !ok || whole <= 0 {
			return problem("the total is missing or zero")
		}
		value = value / whole * 100
	}
	if len(f.Rest) > 0 {
		whole := value
		for _, c := range f.Rest {
			rest, ok := row.Values[c].Number()
			if !ok {
				return problem("what is left is missing")
			}
			whole += rest
		}
		if whole <= 0 {
			return problem("the total is missing or zero")
		}
		value = value / whole * 100
	}
	value *= f.Scale
	if f.Rate || f.PercentOf >= 0 || len(f.Rest) > 0 {
		value = Significant(value)
	}
	if math.IsNaN(value) || math.IsInf(value, 0) {
		return problem("the value is not a finite number")
	}
	if text := f.can(ceiling).Problem(value, f.Unit); text != "" {
		return Taken{Value: value, Problem: text, Implausible: true}
	}
	return Taken{Value: value, OK: true}
}

// Significant rounds to six significant digits. A quotient of two measured
// values has seventeen digits, of which the clock alone spoils all but a few;
// rounded, it is a decimal, which the sample store keeps in a third of the room.
func Significant(v float64) float64 {
	if v == 0 || math.IsNaN(v) || math.IsInf(v, 0) {
		return v
	}
	digits := 5 - int(math.Floor(math.Log10(math.Abs(v))))
	switch {
	case digits > 300:
		return 0 // less than the smallest thing that anybody measures
	case digits >= 0:
		by := math.Pow10(digits)
		return math.Round(v*by) / by
	}
	by := math.Pow10(-digits)
	return math.Round(v/by) * by
}

// Over combines the values of several rows into one.
type Over string

// The ways to combine; OverFirst takes the first row.
const (
	OverFirst Over = "first"
	OverAvg   Over = "avg"
	OverSum   Over = "sum"
	OverMax   Over = "max"
)

// Combine folds values; ok is false when there is none.
func (o Over) Combine(values []float64) (value float64, ok bool) {
	if len(values) == 0 {
		return 0, false
	}
	value = values[0]
	for _, v := range values[1:] {
		switch o {
		case OverAvg, OverSum:
			value += v
		case OverMax:
			value = max(value, v)
		}
	}
	if o == OverAvg {
		value /= float64(len(values))
	}
	return value, true
}

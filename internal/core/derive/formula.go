package derive

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"time"

	"tirelessowl/internal/core/plausible"
)

// Formula is the way from a row to a value: the first column that is present, through all steps.
type Formula struct {
	Columns []int // candidates for the raw value, best first
	Steps   Steps
	Since   int // column with the beginning of the row's counters as sysUpTime, or -1
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

const notGiven = "the device does not give this value"

// Apply computes the value of one row.
func (f *Formula) Apply(x *Look) Taken {
	raw, found := f.raw(x.Row)
	if !found {
		return Taken{Problem: notGiven, Absent: true}
	}
	for _, i := range f.Instead {
		if i.Column < len(x.Row.Values) && slices.Contains(i.Says, x.Row.Values[i.Column].String()) {
			return Taken{Value: i.Value, OK: true}
		}
	}
	v, err := f.Steps.through(raw, f, x, nil)
	switch {
	case errors.Is(err, errWaits):
		return Taken{}
	case err != nil:
		return problem(err.Error())
	}
	return f.finish(v, x.Ceiling)
}

// Text returns the value of one row as a text, fit to be stored; ok is false
// when the row has none, and the problem tells why.
func (f *Formula) Text(x *Look) (text string, ok bool, problem string) {
	raw, found := f.raw(x.Row)
	if !found {
		return "", false, notGiven
	}
	v, err := f.Steps.through(raw, f, x, nil)
	switch {
	case errors.Is(err, errWaits):
		return "", false, ""
	case err != nil:
		return "", false, err.Error()
	}
	return CleanText(v.String()), true, ""
}

func (f *Formula) raw(row Row) (Value, bool) {
	for _, c := range f.Columns {
		if c < len(row.Values) && row.Values[c].Kind != Missing {
			return row.Values[c], true
		}
	}
	return Value{}, false
}

// can are the values that can be on a line of a speed.
func (f *Formula) can(ceiling float64) plausible.Limits {
	if f.Can == (plausible.Limits{}) {
		return plausible.Of(f.Unit)
	}
	return f.Can.Line(ceiling * f.Steps.line)
}

func (f *Formula) finish(v Value, ceiling float64) Taken {
	value, ok := v.Number()
	if !ok {
		return problem(fmt.Sprintf("expected a number, got the text “%.40s”", v.Text))
	}
	if f.State && (v.Kind != Gauge || value != math.Trunc(value)) {
		return problem(fmt.Sprintf("expected the number of a state, got “%.40s”", v))
	}
	if f.Steps.rounds {
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

package derive

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Written is one step on the way from a raw value to a stored one, as people write it: what it
// does, and with what.
type Written struct {
	Do   string `json:"do"`
	With string `json:"with,omitempty"`
}

// String writes a step as people read it.
func (w Written) String() string { return strings.TrimSpace(w.Do + " " + w.With) }

// Step makes a value of the one before it. An error says why it cannot, and ends the way.
type Step interface {
	apply(v Value, f *Formula, x *Look) (Value, error)
}

// errWaits ends the way where there is nothing wrong: a first look at a counter has no rate.
var errWaits = errors.New("waits for a second look")

// Look is one row of an answer, with what it takes to make a value of it.
type Look struct {
	Got   Fetched
	Row   Row
	State *State // of the series
	// Ceiling is the highest rate of a counter in counts a second, 0 where it is not known.
	Ceiling float64
	// Reading gives the newest value of another reading of the same thing; nil where there is none.
	Reading func(key string) (value float64, ok bool)
}

// column is the value of a column as a number.
func (x *Look) column(at int) (float64, bool) {
	if at < 0 || at >= len(x.Row.Values) {
		return 0, false
	}
	return x.Row.Values[at].Number()
}

// Steps are several of them, in their order.
type Steps struct {
	list     []Step
	columns  []string
	readings []string
	// line is what the speed of a line is multiplied by on the way, 0 where that cannot be said.
	line float64
	// rounds is true where a quotient is made, counts where a counter is looked at twice.
	rounds, counts bool
}

// Columns are those that the steps look at, Readings the other readings.
func (s Steps) Columns() []string  { return s.columns }
func (s Steps) Readings() []string { return s.readings }

// Counts tells whether a value needs two looks at a counter.
func (s Steps) Counts() bool { return s.counts }

// Misstep is a step that cannot be taken.
type Misstep struct {
	At   int // from 0
	Text string
}

func (m Misstep) Error() string { return fmt.Sprintf("step %d: %s", m.At+1, m.Text) }

// Computes tells whether some steps need a number, and give one.
func Computes(steps []Written) bool {
	return slices.ContainsFunc(steps, func(w Written) bool {
		kind, ok := StepKindOf(w.Do)
		return ok && kind.Computes
	})
}

// mostSteps is how many a reading may have.
const mostSteps = 20

// Places tells where a column stands; less than 0 where there is none. Its names are those of all columns.
type Places struct {
	Of    func(name string) int
	Names []string
}

// Compile makes steps of what is written, over the columns of a source. What is wrong is a Misstep.
func Compile(written []Written, in Places) (s Steps, err error) {
	if len(written) > mostSteps {
		return s, Misstep{mostSteps, fmt.Sprintf("at most %d steps", mostSteps)}
	}
	for i, w := range written {
		kind, ok := StepKindOf(w.Do)
		if !ok {
			return s, Misstep{i, fmt.Sprintf("there is no step “%.40s”", w.Do)}
		}
		if err := kind.into(&s, w.With, in); err != nil {
			return s, Misstep{i, err.Error()}
		}
	}
	return s, nil
}

func (s *Steps) add(step Step) {
	if len(s.list) > 0 && s.line != 0 {
		s.line = 0 // only a counter's rate and factors behind it keep to the speed of a line
	}
	s.list = append(s.list, step)
}

// uses notes a column, and says where it stands.
func (s *Steps) uses(column string, in Places) (int, error) {
	at := in.Of(column)
	if at < 0 {
		return at, fmt.Errorf("there is no column “%.80s”", column)
	}
	if !slices.Contains(s.columns, column) {
		s.columns = append(s.columns, column)
	}
	return at, nil
}

// through takes a value through all steps, and tells the value behind each.
func (s Steps) through(v Value, f *Formula, x *Look, tell func(Value)) (Value, error) {
	for _, step := range s.list {
		var err error
		if v, err = step.apply(v, f, x); err != nil {
			return v, err
		}
		if tell != nil {
			tell(v)
		}
	}
	return v, nil
}

// Passed is what became of a value at one step.
type Passed struct {
	Value   Value
	Problem string // why there is none; the way ends there
}

// Trace tells what each step makes of a row, after the raw value that it begins with. It changes
// the state as Apply does.
func (f *Formula) Trace(x *Look) (raw Value, passed []Passed) {
	raw, found := f.raw(x.Row)
	if !found {
		return raw, nil
	}
	_, err := f.Steps.through(raw, f, x, func(v Value) { passed = append(passed, Passed{Value: v}) })
	if err != nil {
		passed = append(passed, Passed{Problem: err.Error()})
	}
	return raw, passed
}

package derive

import (
	"errors"
	"fmt"
	"math"
	"time"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
)

// State is what a formula remembers between fetches of one series.
type State struct {
	before, last rate.Reading
	ceiling      float64
	looks        uint8   // at a counter: 0, 1, or 2 for two and more
	seen         bool    // there is a number
	number       float64 // the last that no counter gave
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

// count compares a counter with what it was at the last look: its growth a second, or all of it
// where change is true. The change of what is no counter may be less than 0.
type count struct{ change bool }

func (c count) apply(v Value, f *Formula, x *Look) (Value, error) {
	bits := 64
	switch v.Kind {
	case Counter32:
		bits = 32
	case Counter64:
	default:
		if c.change {
			return changed(v, x.State)
		}
		return v, fmt.Errorf("expected a counter, got “%.40s”", v)
	}
	now := rate.Reading{
		At:          x.Got.When(x.Row),
		Count:       v.Count,
		Bits:        bits,
		Uptime:      x.Got.Uptime,
		UptimeKnown: x.Got.UptimeKnown,
		Of:          f.instance(x.Row),
	}
	grown, outcome := x.State.look(now, x.Ceiling, c.change)
	if now.TooFast(f.Every, x.Ceiling) {
		return v, errors.New(f.tooFast(x.Ceiling))
	}
	if outcome != rate.Steady && outcome != rate.Wrapped {
		return v, errWaits
	}
	return gauge(grown), nil
}

// look remembers a look at a counter, and tells how it grew since the one before.
func (st *State) look(now rate.Reading, ceiling float64, change bool) (grown float64, outcome rate.Outcome) {
	var old *rate.Reading
	if st.looks > 0 {
		old = &st.last
	}
	if change {
		grown, outcome = rate.Growth(old, now, ceiling)
	} else {
		grown, outcome = rate.Value(old, now, ceiling)
	}
	if outcome != rate.NoTime {
		st.before, st.last, st.ceiling, st.looks = st.last, now, ceiling, min(2, st.looks+1)
	}
	return grown, outcome
}

// changed is the change of a number since the last look.
func changed(v Value, st *State) (Value, error) {
	var before State
	out, err := on(v, func(n float64) (float64, error) {
		before = *st
		st.number, st.seen = n, true
		return n - before.number, nil
	})
	if err == nil && !before.seen {
		return v, errWaits
	}
	return out, err
}

// tooFast says what can be done about a 32-bit counter that may pass its end
// more than once between two looks.
func (f *Formula) tooFast(ceiling float64) string {
	help := "let the device give its 64-bit counter"
	if most := time.Duration(rate.Round32 / ceiling * float64(time.Second)).Truncate(time.Second); most > 0 {
		help += ", or collect it each " + units.Span(most)
	}
	return fmt.Sprintf("with %s this is too fast for its 32-bit counter at %s, which may pass its end more than once in between: %s",
		units.Format(ceiling*8, "bit/s"), units.Span(f.Every), help)
}

// instance is what the counter of a row counts for.
func (f *Formula) instance(row Row) rate.Instance {
	of := rate.Instance{Index: row.Index}
	if f.Since < 0 || f.Since >= len(row.Values) {
		return of
	}
	if since, ok := row.Values[f.Since].Number(); ok && since >= 0 && since <= math.MaxUint32 {
		of.Since, of.SinceKnown = uint32(since), true
	}
	return of
}

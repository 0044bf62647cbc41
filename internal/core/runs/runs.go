// Package runs tells how long the values of states and texts stood.
package runs

import (
	"cmp"
	"slices"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/domain"
)

// Span is the time in which one value stood, as far as it lies within a view.
type Span struct {
	From, To time.Time
	Run      domain.Run
	// Earlier is true when the value stood before the view already.
	Earlier bool
}

// Length is how long the span is.
func (s Span) Length() time.Duration { return s.To.Sub(s.From) }

// Share is how long one value stood in all.
type Share struct {
	Value float64
	Text  string
	Time  time.Duration
	Part  float64 // of the time that is known, 0 to 1
	Times int     // spans
}

// View is what is known of a series in a time.
type View struct {
	Spans   []Span  // in the order of time
	Shares  []Share // longest first
	Known   time.Duration
	Unknown time.Duration
}

// Between lays runs, ordered by time, out over a view. A run lasts until the
// next one begins where the pause is no longer than gap, or three times its
// own usual pause, else until its last sample: what was afterwards is not known.
func Between(runs []domain.Run, from, to time.Time, gap time.Duration) View {
	var v View
	for i, r := range runs {
		end := r.Until
		allowed := max(gap, cadence.Gap(pause(r)))
		if i+1 < len(runs) && runs[i+1].From.Sub(r.Until) <= max(allowed, cadence.Gap(pause(runs[i+1]))) {
			end = runs[i+1].From
		} else if i+1 == len(runs) && to.Sub(r.Until) <= allowed {
			end = to
		}
		s := Span{From: r.From, To: end, Run: r}
		if s.From.Before(from) {
			s.From, s.Earlier = from, true
		}
		if s.To.After(to) {
			s.To = to
		}
		if s.To.Before(s.From) {
			continue
		}
		v.Spans = append(v.Spans, s)
		v.Known += s.Length()
	}
	v.Unknown = to.Sub(from) - v.Known
	v.Shares = shares(v.Spans, v.Known)
	return v
}

// pause is the mean pause between the samples of a run; 0 for a single one.
func pause(r domain.Run) time.Duration {
	if r.Count < 2 {
		return 0
	}
	return r.Until.Sub(r.From) / time.Duration(r.Count-1)
}

type value struct {
	number float64
	text   string
}

func shares(spans []Span, known time.Duration) []Share {
	by := map[value]*Share{}
	for _, s := range spans {
		k := value{s.Run.Value, s.Run.Text}
		if by[k] == nil {
			by[k] = &Share{Value: k.number, Text: k.text}
		}
		by[k].Time += s.Length()
		by[k].Times++
	}
	out := make([]Share, 0, len(by))
	for _, s := range by {
		if known > 0 {
			s.Part = float64(s.Time) / float64(known)
		}
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b Share) int {
		return cmp.Or(cmp.Compare(b.Time, a.Time), cmp.Compare(a.Value, b.Value))
	})
	return out
}

package kit

import (
	"fmt"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Waiting is what a reading without a value waits for.
type Waiting struct {
	For string // in a few words, to follow “waits for”
	// Until is when that may come; zero where nothing is planned.
	Until time.Time
	Why   why.Trace
}

// Words say what it waits for, and in how long that may come.
func (w Waiting) Words(now time.Time) string {
	in := w.Until.Sub(now)
	switch {
	case w.Until.IsZero():
		return w.For
	case in < time.Second:
		return w.For + ", now"
	}
	return w.For + ", in " + units.Span(in)
}

// Waits says what a reading of which there is no value yet waits for. run is how its source was asked last, problem
// what was wrong then; empty for nothing.
func Waits(r Reading, src Source, run domain.SourceRun, problem string) Waiting {
	w := Waiting{Until: run.Next, Why: why.Trace{Question: "What does “" + r.Name + "” wait for?"}}
	switch {
	case run.At.IsZero() && run.Next.IsZero():
		w.For = "its source to be asked: nothing is planned now"
		const reasons = "the device is paused, it is outside the hours of collecting, or nothing talks to it"
		w.Why.Because("“"+src.Key+"” is not asked now", reasons, nil)
	case problem != "":
		w.For = "an answer: " + problem
		w.Why.Because("“"+src.Key+"” failed the last time", problem, nil)
	case run.At.IsZero():
		w.For = "the first answer of “" + src.Key + "”"
		w.Why.Because("“"+src.Key+"” was not asked since the start", "each source has its place within its interval", nil)
	case r.Counts():
		w.For = "a second look at its counter"
		w.Why.Because("It is worked out of two looks at a counter", "one was taken, and a rate takes the next", nil)
	default:
		w.For = "a value: the last answer had none"
		w.Why.Because("The last answer had "+text.Count(int64(run.Rows), "row"), "none of them with a value of this reading", nil)
	}
	if !run.Next.IsZero() {
		w.Why.Because("It is asked each "+units.Span(src.Every), fmt.Sprintf("next at %s UTC", run.Next.UTC().Format(time.TimeOnly)), nil)
	}
	w.Why.Answer = w.For
	return w
}

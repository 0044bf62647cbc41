package ui

import (
	"errors"
	"maps"
	"slices"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Rehearsing is where it is told, while a form is filled, what that would do; the “rehearsing”
// template shows it.
type Rehearsing struct {
	ID  string // of the place
	URL string // is sent the form
	// Form is the id of the form, On the event of it that asks again.
	Form string
	On   string
	// Indicator is the selector of what is shown meanwhile; empty for nothing.
	Indicator string
}

// Trigger is when it is asked.
func (r Rehearsing) Trigger() string { return "load, " + r.On + " from:#" + r.Form }

// Rehearsed is what a form would do; the “rehearsed” template shows it.
type Rehearsed struct {
	why.Trace
	Problems []string // why nothing can be told
	Cost     string   // what it costs or saves, in words
	Hint     string   // what stands there while nothing is typed
}

// Said is the answer as a sentence.
func (r Rehearsed) Said() string { return text.UpperFirst(r.Answer) + "." }

// NewRehearsed tells a trace, or the problems of some fields in their order.
func NewRehearsed(t why.Trace, errs domain.FieldErrors, hint string) Rehearsed {
	out := Rehearsed{Trace: t, Hint: hint}
	for _, name := range slices.Sorted(maps.Keys(errs)) {
		out.Problems = append(out.Problems, errs[name])
	}
	return out
}

// AlertThen is what becomes of the alerts of a rule; the “alertsthen” template lists some.
type AlertThen struct {
	Name, On, How string
	Now, Then     int // how many are open, and would be
}

// More tells whether there would be more of them.
func (a AlertThen) More() bool { return a.Then > a.Now }

// Refused tells how a form comes back that was not taken: with what is wrong, by field, or with a
// notice that somebody else was faster. Any other error is left for others to tell.
func Refused(err error, errs *domain.FieldErrors) (notice string, left error) {
	switch {
	case errors.Is(err, domain.ErrChanged):
		return ChangedMeanwhile, nil
	case errors.As(err, errs):
		return "", nil
	}
	return "", err
}

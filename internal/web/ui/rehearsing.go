package ui

import (
	"errors"

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

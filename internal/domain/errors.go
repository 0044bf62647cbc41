package domain

import (
	"errors"
	"sort"
	"strings"
)

// Errors that callers tell apart.
var (
	// ErrNotFound: the thing asked for does not exist, or not any more.
	ErrNotFound = errors.New("not found")
	// ErrConflict: the thing is not in a state that allows the request.
	ErrConflict = errors.New("conflict")
	// ErrChanged: somebody else has changed the thing meanwhile.
	ErrChanged = errors.New("somebody else has changed it meanwhile")
	// ErrForbidden: the user's level does not allow the request.
	ErrForbidden = errors.New("forbidden")
	// ErrSignIn: name and password do not belong together.
	ErrSignIn = errors.New("the name or the password is not right")
	// ErrUnreadable: what was sent is no form, broken off, or no text.
	ErrUnreadable = errors.New("it cannot be read")
	// ErrSlowDown: too many failed attempts; try later.
	ErrSlowDown = errors.New("too many attempts")
)

// FieldErrors maps a field's name to what is wrong with its value, in plain words.
type FieldErrors map[string]string

// Error lists all messages in the order of the field names.
func (e FieldErrors) Error() string {
	parts := make([]string, 0, len(e))
	for field, msg := range e {
		parts = append(parts, field+": "+msg)
	}
	sort.Strings(parts)
	return strings.Join(parts, "; ")
}

// OrNil returns nil when nothing is wrong, so that the result can be an error.
func (e FieldErrors) OrNil() error {
	if len(e) == 0 {
		return nil
	}
	return e
}

package collect

import (
	"context"
	"crypto/subtle"
	"fmt"
	"net/netip"
	"strings"

	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// shownRanges is how many of the ranges of a credential are named.
const shownRanges = 3

// Bound tells whether a credential may be sent to an address: within the ranges
// that it is bound to it may. Outside of them its secrets must be typed again, all
// of them, by their names, or under "" where there is but one: then extended are the ranges
// that hold from then on. The problem is in words, for the field of the credential.
func Bound(c store.Opened, to netip.Addr, typed domain.Secrets) (extended, problem string) {
	set, err := ranges.Read(c.Ranges)
	if err == nil && set.Contains(to) {
		return c.Ranges, ""
	}
	_, one := typed[""]
	if len(typed) == 0 || one && len(c.Secrets) > 1 {
		where := "to no address yet"
		if c.Ranges != "" {
			all := strings.FieldsFunc(c.Ranges, func(r rune) bool { return strings.ContainsRune(", \n", r) })
			where = "to " + text.Some(all, shownRanges)
		}
		how := "type its secret again to send it there"
		if len(c.Secrets) > 1 {
			how = "bind it to that, too, under Credentials"
		}
		return "", fmt.Sprintf("“%s” is bound %s, and %s lies outside: %s.", c.Name, where, to, how)
	}
	same := len(c.Secrets) > 0
	for name, secret := range c.Secrets {
		if only, ok := typed[""]; ok && len(c.Secrets) == 1 {
			typed = domain.Secrets{name: only}
		}
		if subtle.ConstantTimeCompare([]byte(secret.Reveal()), []byte(typed[name].Reveal())) != 1 {
			same = false
		}
	}
	if !same {
		return "", fmt.Sprintf("That is not what is stored under “%s”.", c.Name)
	}
	return strings.TrimSpace(c.Ranges + "\n" + to.String()), ""
}

// SetRanges lets a credential be sent to other addresses.
func SetRanges(ctx context.Context, w *act.Work, c domain.Credential, ranges string) error {
	now := c
	now.Ranges = ranges
	w.Note(act.Thing{Kind: "credential", ID: c.ID, Name: c.Name, PlaceID: c.PlaceID}, c, now)
	return w.Credentials.SetRanges(ctx, c.ID, ranges)
}

// Rebind makes sure that a credential may be sent to an address, and returns the
// problem in words where it may not.
func (s *Service) Rebind(ctx context.Context, w *act.Work, id domain.ID, to netip.Addr, typed domain.Secrets) (problem string, err error) {
	all, err := w.Credentials.Secrets(ctx)
	if err != nil {
		return "", err
	}
	c, ok := all[id]
	if !ok {
		return "There is no such credential.", nil
	}
	extended, problem := Bound(c, to, typed)
	if problem != "" || extended == c.Ranges {
		return problem, nil
	}
	return "", SetRanges(ctx, w, c.Credential, extended)
}

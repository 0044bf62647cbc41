// Package once lets requests be sent again without being done again: a client whose
// connection broke cannot know whether it was heard.
package once

import (
	"bytes"
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Kept is for how long it is known what was answered.
const Kept = 24 * time.Hour

// mostBody is the longest answer that is kept, in bytes.
const mostBody = 1 << 20

// mostKey is the longest key, in bytes.
const mostKey = 255

// Key is how a request calls itself: of the header of this name
// (draft-ietf-httpapi-idempotency-key-header).
const Key = "Idempotency-Key"

// Service is the use cases.
type Service struct {
	store *store.Store
	now   func() time.Time
}

// New returns the service.
func New(s *store.Store, now func() time.Time) *Service { return &Service{s, now} }

// Begin notes that a request is worked on. It returns what was answered where it was
// before, by the same actor, and nil where it is new. It is ErrConflict where that is not
// known, and tells of the field Key where another request had the same.
func (s *Service) Begin(ctx context.Context, who access.Actor, key string, digest []byte) (*domain.Answer, error) {
	if who.Kind == "" {
		return nil, domain.ErrForbidden
	}
	if len(key) == 0 || len(key) > mostKey || !printable(key) {
		return nil, domain.FieldErrors{Key: fmt.Sprintf("must be 1 to %d printable characters", mostKey)}
	}
	before, begun, err := s.store.Answers.Begin(ctx, nameOf(who), key, digest, s.now().UTC())
	switch {
	case err != nil || begun:
		return nil, err
	case !bytes.Equal(before.Digest, digest):
		return nil, domain.FieldErrors{Key: "another request had the same: each needs its own"}
	case before.Status == 0:
		return nil, fmt.Errorf("%w: a request with this key is worked on, or broke off: look what has become of it", domain.ErrConflict)
	case before.Cut:
		return nil, fmt.Errorf("%w: this was done already, and the answer was too long to be kept", domain.ErrConflict)
	}
	return &before, nil
}

// End keeps what was answered to a request that was begun.
func (s *Service) End(ctx context.Context, who access.Actor, key string, a domain.Answer) error {
	if a.Cut = len(a.Body) > mostBody; a.Cut {
		a.Body = nil
	}
	return s.store.Answers.End(ctx, nameOf(who), key, a)
}

// Forget lets a request be worked on anew that was begun: nothing came of it.
func (s *Service) Forget(ctx context.Context, who access.Actor, key string) error {
	return s.store.Answers.Forget(ctx, nameOf(who), key)
}

func nameOf(who access.Actor) string { return fmt.Sprintf("%s %d", who.Kind, who.ID) }

func printable(key string) bool {
	for _, r := range key {
		if r <= ' ' || r > '~' {
			return false
		}
	}
	return true
}

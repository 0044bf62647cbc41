package run

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Away tells whether the database is known to be away.
func (s *Service) Away() bool {
	_, _, away := s.store.Vigil.Away()
	return away
}

// While returns a context that ends when the database goes, and what ends it before.
func (s *Service) While(ctx context.Context) (context.Context, context.CancelFunc) {
	return s.store.Vigil.While(ctx)
}

// answerLimit is how long it is waited for the database to answer.
const answerLimit = 2 * time.Second

// Answers returns nil when the database answers.
func (s *Service) Answers(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, answerLimit)
	defer cancel()
	return s.store.Ping(ctx)
}

// Missed tells whether a request failed since the database is away or takes nothing,
// and what is the matter with it then.
func (s *Service) Missed(ctx context.Context, err error) (t domain.Trouble, missed bool) {
	if ctx.Err() != nil && store.Unavailable(context.Cause(ctx)) {
		err = context.Cause(ctx)
	}
	if !store.Unavailable(err) && (!store.Trouble(err) || s.Answers(ctx) == nil) {
		return t, false
	}
	t, ok := s.engine.Trouble()
	if !ok || t.Since.IsZero() {
		t.Since, t.Reason = time.Now().UTC(), store.Plain(err)
	}
	return t, true
}

// Unavailable tells whether an error says that the database is away.
func (s *Service) Unavailable(ctx context.Context, err error) bool {
	return store.Unavailable(err) || ctx.Err() != nil && store.Unavailable(context.Cause(ctx))
}

package find

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"tirelessowl/internal/domain"
)

// repeatStep is how often it is looked which sweeps are due.
const repeatStep = time.Minute

// Repeat begins sweeps again that are due, until the context ends. After a pause of the
// program each begins once: what was missed meanwhile is not made up for.
func (s *Service) Repeat(ctx context.Context) {
	tick := time.NewTicker(repeatStep)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := s.BeginDue(ctx, time.Now().UTC()); err != nil && ctx.Err() == nil {
				slog.Error("sweeps that are due could not begin", "error", err)
			}
		}
	}
}

// BeginDue begins the sweeps that are due at a time. One that cannot begin holds up no other.
func (s *Service) BeginDue(ctx context.Context, now time.Time) error {
	ids, err := s.store.Sweeps.Due(ctx, now)
	if err != nil {
		return err
	}
	var failed error
	for _, id := range ids {
		w, err := s.store.Sweeps.One(ctx, id)
		if errors.Is(err, domain.ErrNotFound) {
			continue // it was removed meanwhile
		}
		if err == nil {
			err = s.begin(ctx, w, false)
		}
		if err != nil && !errors.Is(err, domain.ErrConflict) {
			failed = errors.Join(failed, err)
		}
	}
	return failed
}

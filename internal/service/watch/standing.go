package watch

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/runs"
	"tirelessowl/internal/domain"
)

// Standing is the past of a series of states or texts.
type Standing struct {
	runs.View
	From, To time.Time
	Gap      time.Duration
}

// Standing tells which values a series had in a time, and how long each stood.
func (s *Service) Standing(ctx context.Context, who access.Actor, id domain.ID, span time.Duration, now time.Time) (Standing, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return Standing{}, err
	}
	x, err := l.store.Series.One(ctx, id)
	if err != nil {
		return Standing{}, err
	}
	if !x.Kind.Stands() {
		return Standing{}, fmt.Errorf("%w: the values of this series are numbers that move; ask for its samples", domain.ErrConflict)
	}
	out := Standing{From: now.Add(-span), To: now, Gap: cadence.Gap(x.Interval)}
	found, err := l.store.Values.Runs(ctx, []domain.Series{x}, out.From, out.To)
	if err != nil {
		return out, err
	}
	out.View = runs.Between(s.worded(x, found[x.ID]), out.From, out.To, out.Gap)
	return out, nil
}

// worded puts in the words of a reading's codes.
func (s *Service) worded(x domain.Series, found []domain.Run) []domain.Run {
	if x.Kind != domain.KindState {
		return found
	}
	k, err := s.kits.Kit(x.Kit)
	if err != nil {
		return found
	}
	r, _ := k.Reading(x.Reading)
	for i := range found {
		found[i].Text = r.Codes[int(found[i].Value)]
	}
	return found
}

package watch

import (
	"context"
	"time"

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
func (s *Service) Standing(ctx context.Context, x domain.Series, span time.Duration, now time.Time) (Standing, error) {
	out := Standing{From: now.Add(-span), To: now, Gap: cadence.Gap(x.Interval)}
	found, err := s.store.Values.Runs(ctx, []domain.Series{x}, out.From, out.To)
	if err != nil {
		return out, err
	}
	out.View = runs.Between(s.Worded(x, found[x.ID]), out.From, out.To, out.Gap)
	return out, nil
}

// Worded puts in the words of a reading's codes.
func (s *Service) Worded(x domain.Series, found []domain.Run) []domain.Run {
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

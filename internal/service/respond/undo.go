package respond

import (
	"context"
	"encoding/json"
	"maps"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Undoing is how what was done to channels and plans is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{
		changePlan.Name: {Present: s.presentPlan, Put: s.putPlan},
		saveChannel.Name: {
			Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
				c, _, err := s.Channel(ctx, who, id)
				return c, err
			},
			Put: s.putChannel,
		},
	}
}

func (s *Service) presentPlan(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	plans, err := s.Plans(ctx, who)
	if err != nil {
		return nil, err
	}
	for _, p := range plans {
		if p.ID == id {
			return p, nil
		}
	}
	return nil, domain.ErrNotFound
}

func (s *Service) putPlan(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	was, err := act.Read[plan.Plan](document)
	if err != nil {
		return err
	}
	return s.changePlan(ctx, who, id, 0, func(_ *store.Areas, p *plan.Plan) error {
		p.Name, p.Enabled, p.Steps, p.Tags = was.Name, was.Enabled, was.Steps, was.Tags
		return nil
	})
}

// putChannel gives a channel the settings of a document. Secrets are not noted: where the
// settings lead somewhere else, they must be typed again, and it is refused.
func (s *Service) putChannel(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	was, err := act.Read[domain.Channel](document)
	if err != nil {
		return err
	}
	values := maps.Clone(was.Settings)
	if values == nil {
		values = map[string]string{}
	}
	return s.SaveChannel(ctx, who, id, 0, values)
}

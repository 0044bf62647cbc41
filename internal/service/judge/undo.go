package judge

import (
	"cmp"
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done to rules is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	back := act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			r, err := s.Rule(ctx, who, id)
			if err != nil {
				return nil, err
			}
			return rule.SaidOf(r)
		},
		Put: s.put,
		Make: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			was, err := act.Read[rule.Said](document)
			if err != nil {
				return err
			}
			return s.Restore(ctx, who, id, was.Enabled)
		},
		Remove: act.Whatever(s.Remove),
	}
	return map[string]act.Undoing{makeRule.Name: back, changeRule.Name: back, removeRule.Name: back}
}

func (s *Service) put(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	n, err := act.Read[rule.Said](document)
	if err != nil {
		return err
	}
	r, err := s.Rule(ctx, who, id)
	if err != nil {
		return err
	}
	if r, err = s.Decode(ctx, r, cmp.Or(n.Kind, r.Condition.Kind()), n.Condition); err != nil {
		return err
	}
	r.Name, r.Title, r.Runbook, r.Enabled, r.Tags = n.Name, n.Title, n.Runbook, n.Enabled, n.Tags
	_, err = s.Save(ctx, who, r)
	return err
}

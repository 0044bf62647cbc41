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

// noted is a rule as it is noted: what people set of it.
type noted struct {
	Name      string          `json:"name"`
	Kind      string          `json:"kind"`
	Condition json.RawMessage `json:"condition"`
	Title     string          `json:"title"`
	Runbook   string          `json:"runbook"`
	Enabled   bool            `json:"enabled"`
	Tags      []string        `json:"tags,omitempty"`
}

func notedOf(r rule.Rule) (noted, error) {
	document, err := rule.Document(r.Condition)
	return noted{r.Name, r.Condition.Kind(), document, r.Title, r.Runbook, r.Enabled, r.Tags}, err
}

// Undoing is how what was done to rules is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	back := act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			r, err := s.Rule(ctx, who, id)
			if err != nil {
				return nil, err
			}
			return notedOf(r)
		},
		Put: s.put,
		Make: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			was, err := act.Read[noted](document)
			if err != nil {
				return err
			}
			return s.restore(ctx, who, id, was.Enabled)
		},
		Remove: act.Whatever(s.Remove),
	}
	return map[string]act.Undoing{makeRule.Name: back, changeRule.Name: back, removeRule.Name: back}
}

func (s *Service) put(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	n, err := act.Read[noted](document)
	if err != nil {
		return err
	}
	r, err := s.Rule(ctx, who, id)
	if err != nil {
		return err
	}
	if r, err = s.Decode(r, cmp.Or(n.Kind, r.Condition.Kind()), n.Condition); err != nil {
		return err
	}
	r.Name, r.Title, r.Runbook, r.Enabled, r.Tags = n.Name, n.Title, n.Runbook, n.Enabled, n.Tags
	_, err = s.Save(ctx, who, r)
	return err
}

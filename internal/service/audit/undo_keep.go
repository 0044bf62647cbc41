package audit

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// kept is the time for which the audit is kept, as it is noted.
type kept struct {
	Days int `json:"days"`
}

// undoKeep is how the time for which the audit is kept is set back.
func (s *Service) undoKeep() act.Undoing {
	return act.Undoing{
		Present: func(ctx context.Context, who access.Actor, _ domain.ID) (any, error) {
			now, err := s.Rehearse(ctx, who, 0)
			return kept{now.Days}, err
		},
		Put: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			was, err := act.Read[kept](document)
			if err != nil {
				return err
			}
			return s.SetKeep(ctx, who, was.Days)
		},
	}
}

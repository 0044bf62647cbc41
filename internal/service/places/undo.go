package places

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done to places is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	u := act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) { return s.One(ctx, who, id) },
		Put: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			p, err := act.Read[domain.Place](document)
			if err == nil {
				_, err = s.Save(ctx, who, p)
			}
			return err
		},
		Make: func(ctx context.Context, who access.Actor, _ domain.ID, document json.RawMessage) error {
			p, err := act.Read[domain.Place](document)
			if err == nil {
				p.ID, p.Version = 0, 0
				_, err = s.Save(ctx, who, p)
			}
			return err
		},
		Remove: s.Remove,
	}
	return map[string]act.Undoing{
		addPlace.Name:      u,
		changePlace.Name:   u,
		removePlace.Name:   u,
		changeSetting.Name: s.undoSetting(),
	}
}

// Moved is what moving devices is called where it is noted; it is undone one by one.
const Moved = "move devices"

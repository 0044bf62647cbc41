package credentials

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done is undone, by deed. Secrets are not noted: where they would
// have to be typed again, it is refused.
func (s *Service) Undoing() map[string]act.Undoing {
	present := func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
		c, err := s.One(ctx, who, id)
		return c.Credential, err
	}
	return map[string]act.Undoing{change.Name: {Present: present, Put: s.put}}
}

// put makes a credential what a document says.
func (s *Service) put(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	was, err := act.Read[domain.Credential](document)
	if err != nil {
		return err
	}
	_, err = s.Change(ctx, who, id, Draft{Name: was.Name, PlaceID: was.PlaceID, Ranges: was.Ranges, Values: was.Settings})
	return err
}

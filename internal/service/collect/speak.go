package collect

import (
	"context"
	"fmt"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Speak is a question to a device by a way, with its endpoint and credential as they are set, of
// which it is not said yet what is asked. The caller has asked whether the actor may.
func (s *Service) Speak(ctx context.Context, d domain.Device, name string) (way.Question, error) {
	w, ok := s.Ways.Of(name)
	if !ok {
		return way.Question{}, fmt.Errorf("way %q: %w", name, domain.ErrNotFound)
	}
	endpoints, err := s.store.Endpoints.Of(ctx, d.ID)
	if err != nil {
		return way.Question{}, err
	}
	around, err := s.Around(ctx, &s.store.Areas)
	if err != nil {
		return way.Question{}, err
	}
	return kit.Open(w, d, s.Talks(around, d, endpoints)[name]), nil
}

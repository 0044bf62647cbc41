package watch

import (
	"context"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// Neighbours returns what stands next to a device, as the newest sweep that found it heard.
func (s *Service) Neighbours(ctx context.Context, who access.Actor, id domain.ID) ([]domain.Neighbour, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	if _, err := l.store.Devices.One(ctx, id); err != nil {
		return nil, err
	}
	return l.store.Finds.Neighbours(ctx, id)
}

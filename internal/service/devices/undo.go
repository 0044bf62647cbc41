package devices

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done to devices is undone, by deed; moved is what moving several
// of them at once is called.
func (s *Service) Undoing(moved string) map[string]act.Undoing {
	u := act.Undoing{
		Present: s.present,
		Put:     s.put,
		Make: func(ctx context.Context, who access.Actor, id domain.ID, _ json.RawMessage) error {
			_, err := s.Restore(ctx, who, id)
			return err
		},
	}
	return map[string]act.Undoing{
		changeDevice.Name: u,
		pauseDevice.Name:  u,
		goOnDevice.Name:   u,
		removeDevice.Name: u,
		moved:             u,
	}
}

func (s *Service) present(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	x, err := seen.Devices.One(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.noted(ctx, &seen.Areas, x)
}

// put makes a device what a document says. Secrets are not noted: to an address outside
// of what its credential is bound to the device does not go back by itself.
func (s *Service) put(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	n, err := act.Read[noted](document)
	if err != nil {
		return err
	}
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return err
	}
	x, err := seen.Devices.One(ctx, id)
	if err != nil {
		return err
	}
	if x.Paused != n.Paused {
		if err := s.SetPaused(ctx, who, id, n.Paused); err != nil {
			return err
		}
	}
	names, err := seen.Devices.Names(ctx, []domain.ID{n.Via})
	if err != nil {
		return err
	}
	draft := Draft{Name: n.Name, Friendly: n.Friendly, Address: n.Address, PlaceID: n.PlaceID, Via: names[n.Via]}
	_, err = s.Change(ctx, who, id, draft)
	return err
}

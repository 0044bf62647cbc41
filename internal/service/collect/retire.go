package collect

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Retire removes what was collected of rows of which devices no longer tell for so long as is set
// where they stand, and returns how many those are.
func (s *Service) Retire(ctx context.Context, now time.Time) (retired int, err error) {
	gone, err := s.store.Parts.Gone(ctx, now.Add(-shortestKept))
	if err != nil || len(gone) == 0 {
		return 0, err
	}
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return 0, err
	}
	due := map[domain.ID][]domain.ID{}
	for _, p := range gone {
		keep, _ := tree.KeepRows(domain.Device{ID: p.DeviceID, PlaceID: p.PlaceID})
		if p.GoneAt.Add(keep).Before(now) {
			due[p.DeviceID] = append(due[p.DeviceID], p.ID)
			retired++
		}
	}
	for device, parts := range due {
		if err := s.retire(ctx, device, parts); err != nil {
			return 0, err
		}
	}
	return retired, nil
}

// shortestKept is the shortest time that can be set.
const shortestKept = 24 * time.Hour

func (s *Service) retire(ctx context.Context, device domain.ID, parts []domain.ID) error {
	var series []domain.ID
	err := s.store.InTx(ctx, func(tx *store.Areas) (err error) {
		series, err = tx.Parts.Retire(ctx, parts)
		return err
	})
	if err != nil {
		return err
	}
	s.store.ForgetSeries(series)
	return s.Changed(ctx, device)
}

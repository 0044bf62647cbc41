package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// FinishLoad brings the states of series and planner statistics up to date
// after a bulk load.
func (s *Store) FinishLoad(ctx context.Context) error {
	ids, err := s.Series.AllIDs(ctx)
	if err != nil {
		return err
	}
	var have []domain.ID
	for _, id := range ids {
		if _, _, n := s.Samples.LastTwo(id); n > 0 {
			have = append(have, id)
		}
	}
	if err := s.Series.SetOK(ctx, have); err != nil {
		return err
	}
	return s.q(ctx).Exec("ANALYZE").Error
}

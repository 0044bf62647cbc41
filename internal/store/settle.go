package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// SettleKeeps brings what is stored to where changed times to keep say, and
// returns how many readings that concerned. It can be broken off and repeated.
func (s *Store) SettleKeeps(ctx context.Context) (int, error) {
	rows, err := s.Keeps.settling(ctx)
	if err != nil {
		return 0, err
	}
	for i, r := range rows {
		ids, err := s.Series.IDs(ctx, domain.ReadingKey{Kit: r.Kit, Reading: r.Reading})
		if err != nil {
			return i, err
		}
		if err := s.Samples.Refile(ctx, ids); err != nil {
			return i, err
		}
		if err := s.Keeps.settled(ctx, r); err != nil {
			return i, err
		}
	}
	return len(rows), s.Keeps.prune(ctx)
}

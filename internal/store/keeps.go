package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// ReadingKey names a reading of a kit.
type ReadingKey struct{ Kit, Reading string }

// Keeps returns for how many days the single samples of readings are kept,
// where it is not the setting for all.
func (s *Store) Keeps(ctx context.Context) (map[ReadingKey]int, error) {
	var rows []struct {
		Kit, Reading string
		Days         int
	}
	if err := s.q(ctx).Table("keeps").Scan(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[ReadingKey]int, len(rows))
	for _, r := range rows {
		out[ReadingKey{r.Kit, r.Reading}] = r.Days
	}
	return out, nil
}

// SetKeep changes for how many days the single samples of a reading are kept;
// 0 means the setting for all.
func (s *Store) SetKeep(ctx context.Context, k ReadingKey, days int) error {
	if days == 0 {
		return s.q(ctx).Exec("DELETE FROM keeps WHERE kit = ? AND reading = ?", k.Kit, k.Reading).Error
	}
	return s.q(ctx).Exec("INSERT INTO keeps VALUES (?, ?, ?) ON CONFLICT (kit, reading) DO UPDATE SET days = excluded.days", k.Kit, k.Reading, days).Error
}

// Exceptions returns the series whose samples are kept for another time than
// the others'.
func (s *Store) Exceptions(ctx context.Context) ([]samples.Exception, error) {
	keeps, err := s.Keeps(ctx)
	if err != nil {
		return nil, err
	}
	var out []samples.Exception
	for k, days := range keeps {
		var ids []domain.ID
		if err := s.q(ctx).Table("series").Where("kit = ? AND reading = ?", k.Kit, k.Reading).Pluck("id", &ids).Error; err != nil {
			return nil, err
		}
		out = append(out, samples.Exception{Series: ids, Points: time.Duration(days) * 24 * time.Hour})
	}
	return out, nil
}

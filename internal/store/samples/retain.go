package samples

import (
	"context"
	"time"
)

// Keep is how long points and each rollup are kept. Whole partitions are
// dropped, so that up to a week of points and a month of steps stays longer.
type Keep struct{ Points, FiveMinutes, Hours, Days time.Duration }

const year = 365 * 24 * time.Hour

// KeepFor keeps points for a time, and rollups for much longer: they cost little.
func KeepFor(points time.Duration) Keep {
	return Keep{Points: points, FiveMinutes: max(points, year), Hours: max(points, 5*year), Days: max(points, 20*year)}
}

// Retain drops what is older than it must be kept, and returns the names of
// the partitions that went.
func (s *Store) Retain(ctx context.Context, now time.Time, keep Keep) (dropped []string, err error) {
	for _, x := range []struct {
		t    table
		keep time.Duration
	}{{daysTable, keep.Points}, {rollup5m, keep.FiveMinutes}, {rollup1h, keep.Hours}, {rollup1d, keep.Days}} {
		limit := DayOf(now.Add(-x.keep).UnixMilli())
		from, err := s.existing(ctx, x.t)
		if err != nil {
			return dropped, err
		}
		for _, day := range from {
			if day+x.t.span > limit {
				continue
			}
			if err := s.drop(ctx, x.t, day); err != nil {
				return dropped, err
			}
			name, _, _ := x.t.partition(day)
			dropped = append(dropped, name)
		}
	}
	return dropped, nil
}

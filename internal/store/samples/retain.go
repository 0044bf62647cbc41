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

// Exception keeps the points of some series for another time.
type Exception struct {
	Series []int64
	Points time.Duration
}

// Retain drops what is older than it must be kept, and returns the names of
// the partitions that went. Partitions go when nothing in them is kept any
// more; before that the points of series that are kept shorter are deleted.
func (s *Store) Retain(ctx context.Context, now time.Time, keep Keep, exceptions []Exception) (dropped []string, err error) {
	longest := keep.Points
	for _, x := range exceptions {
		longest = max(longest, x.Points)
	}
	for _, x := range []struct {
		t    table
		keep time.Duration
	}{{daysTable, longest}, {rollup5m, keep.FiveMinutes}, {rollup1h, keep.Hours}, {rollup1d, keep.Days}} {
		limit := dayBefore(now, x.keep)
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
	return dropped, s.shorten(ctx, now, keep.Points, longest, exceptions)
}

func dayBefore(now time.Time, keep time.Duration) int { return DayOf(now.Add(-keep).UnixMilli()) }

// shorten deletes points within partitions that others still need.
func (s *Store) shorten(ctx context.Context, now time.Time, usual, longest time.Duration, exceptions []Exception) error {
	s.rewriting.Lock()
	defer s.rewriting.Unlock()
	all := []int64{}
	for _, x := range exceptions {
		all = append(all, x.Series...)
		if x.Points == longest {
			continue
		}
		if _, err := s.pool.Exec(ctx, "DELETE FROM days WHERE day < $1 AND series_id = ANY($2)", dayBefore(now, x.Points), x.Series); err != nil {
			return err
		}
	}
	if usual == longest {
		return nil
	}
	_, err := s.pool.Exec(ctx, "DELETE FROM days WHERE day < $1 AND series_id <> ALL($2)", dayBefore(now, usual), all)
	return err
}

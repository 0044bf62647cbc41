package samples

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
)

// Keep is how long points and each rollup are kept. Whole partitions are
// dropped, so that up to a week of points and a month of rollups stays longer.
type Keep struct{ Points, FiveMinutes, Hours, Days time.Duration }

const year = 365 * 24 * time.Hour

// KeepFor keeps points for a time, and rollups for much longer: they cost little.
func KeepFor(points time.Duration) Keep {
	return Keep{Points: points, FiveMinutes: max(points, year), Hours: max(points, 5*year), Days: max(points, 20*year)}
}

// Plan says how the samples of a series are kept. The zero value is that of a
// number which is kept by the settings.
type Plan struct {
	// Keep is how long, where that is not the setting for all: zero fields
	// leave it at the setting.
	Keep Keep
	// Runs is set for values that stand for a while, which are kept as runs
	// too, for as long as hours are: a longer pause between two points ends a
	// run.
	Runs time.Duration
	// NoRollups is set for values whose mean and extremes say nothing.
	NoRollups bool
}

// Plans finds the plans of series; those that have none may be missing.
type Plans func(ctx context.Context, series []int64) (map[int64]Plan, error)

func noPlans(context.Context, []int64) (map[int64]Plan, error) { return nil, nil }

// keepClass is for how long a row is kept: a number of days, or one of the
// settings. A class has tables of its own, so that nothing need be deleted
// from within a table.
type keepClass int

const (
	keepUsual     keepClass = 0  // the setting for this kind of row
	keepAsRollups keepClass = -1 // points that stand for the rollups of five minutes too
	keepAsHours   keepClass = -2 // points that stand for those and the hours too
)

// classFor is the class of rows that are kept for a time of their own, or as usual.
func classFor(own time.Duration, usual keepClass) keepClass {
	if own > 0 {
		return keepClass((own + 24*time.Hour - 1) / (24 * time.Hour))
	}
	return usual
}

// time returns how long a class of a table is kept.
func (k Keep) time(t table, c keepClass) time.Duration {
	if c > 0 {
		return time.Duration(c) * 24 * time.Hour
	}
	switch t {
	case rollup5m:
		return k.FiveMinutes
	case rollup1h, runsTable:
		return k.Hours
	case rollup1d:
		return k.Days
	}
	switch c {
	case keepAsRollups:
		return max(k.Points, k.FiveMinutes)
	case keepAsHours:
		return max(k.Points, k.Hours)
	}
	return k.Points
}

// Retain drops what is older than it must be kept, and returns the names of
// the partitions that went: a partition goes when all of it is too old.
func (s *Store) Retain(ctx context.Context, now time.Time, keep Keep) (dropped []string, err error) {
	for _, t := range restTables {
		classes, err := s.classes(ctx, t)
		if err != nil {
			return dropped, err
		}
		for _, c := range classes {
			limit := DayOf(now.Add(-keep.time(t, c)).UnixMilli())
			days, err := s.children(ctx, t.class(c), "_")
			if err != nil {
				return dropped, err
			}
			slices.Sort(days)
			for _, day := range days {
				if day+t.span > limit {
					break
				}
				name, err := s.drop(ctx, t, c, day)
				if err != nil {
					return dropped, err
				}
				dropped = append(dropped, name)
			}
		}
	}
	return dropped, nil
}

// Refile brings what is stored of some series to where their present plan
// says. It can be broken off and repeated.
func (s *Store) Refile(ctx context.Context, series []int64) error {
	for batch := range slices.Chunk(series, foldBatch) {
		if err := s.refileRollups(ctx, batch); err != nil {
			return err
		}
		first, last, err := s.daysOf(ctx, batch)
		if err != nil {
			return err
		}
		for day := first; day <= last; day++ {
			w := dayWriter{Store: s}
			if err := w.rewrite(ctx, day, batch); err != nil {
				return err
			}
		}
	}
	return nil
}

// daysOf returns the first and last day that series have points at rest of.
func (s *Store) daysOf(ctx context.Context, series []int64) (first, last int, err error) {
	err = s.pool.QueryRow(ctx, "SELECT coalesce(min(day), 0), coalesce(max(day), -1) FROM days WHERE series_id = ANY($1)", series).
		Scan(&first, &last)
	return first, last, err
}

// refileRollups moves the rollups of series that lie in another class than
// their plan says.
func (s *Store) refileRollups(ctx context.Context, series []int64) error {
	plans, err := s.plans(ctx, series)
	if err != nil {
		return err
	}
	for _, t := range restTables[1:] {
		byClass := map[keepClass][]int64{}
		for _, id := range series {
			c := plans[id].classOf(t)
			byClass[c] = append(byClass[c], id)
		}
		for c, ids := range byClass {
			if err := s.move(ctx, t, c, ids); err != nil {
				return err
			}
		}
	}
	return nil
}

// classOf is the class of rows of a table; that of points is another where
// they stand for rollups.
func (p Plan) classOf(t table) keepClass {
	switch t {
	case daysTable:
		return classFor(p.Keep.Points, keepUsual)
	case rollup5m:
		return classFor(p.Keep.FiveMinutes, keepUsual)
	case rollup1h, runsTable:
		return classFor(p.Keep.Hours, keepUsual)
	}
	return classFor(p.Keep.Days, keepUsual)
}

func (s *Store) move(ctx context.Context, t table, c keepClass, series []int64) error {
	defer s.rewriting.take(series)()
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT day FROM "+t.name+" WHERE series_id = ANY($1) AND keep <> $2", series, c)
	if err != nil {
		return err
	}
	days, err := pgx.CollectRows(rows, pgx.RowTo[int])
	if err != nil {
		return err
	}
	for _, day := range days {
		if err := s.prepare(ctx, t, c, day); err != nil {
			return err
		}
	}
	_, err = s.pool.Exec(ctx, "UPDATE "+t.name+" SET keep = $2 WHERE series_id = ANY($1) AND keep <> $2", series, c)
	return err
}

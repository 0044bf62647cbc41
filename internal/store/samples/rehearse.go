package samples

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/retention"
)

var formOf = map[table]retention.Form{
	daysTable: retention.Points, rollup5m: retention.FiveMinutes, rollup1h: retention.Hours, rollup1d: retention.Days,
	runsTable: retention.Runs,
}

// Try tells how some series of one reading would lie at rest were they kept
// for times of their own: it makes the rows of one day, which are not stored.
// What a day brings is the mean of a series; it is left open for forms that
// hold many days in a row, and for all where the day has no points.
func (s *Store) Try(ctx context.Context, series []int64, day int, own, usual Keep) (out []retention.Kept, err error) {
	plans, err := s.plans(ctx, series)
	if err != nil {
		return nil, err
	}
	var plan Plan
	for _, id := range series {
		plan = plans[id]
	}
	plan.Keep = own
	var pk packer
	f, tried := newFolded(), 0
	from := time.UnixMilli(int64(day) * dayMillis)
	err = s.Points(ctx, series, from, from.AddDate(0, 0, 1), func(id int64, points []codec.Point) error {
		pk.encode(dayPoints{series: id, day: day, points: points}, plan, f)
		tried++
		return nil
	})
	for _, t := range restTables {
		if !plan.makes(t) {
			continue
		}
		class, bytes := plan.classOf(t), 0.0
		if tried > 0 && (t == daysTable || t == rollup5m || t == rollup1h) {
			rows := f.rows[t]
			if 2*len(rows) < tried { // not worthwhile: what is finer stands for it
				out[0].InFor = formOf[t]
				continue
			}
			class, bytes = mostOf(rows), sizeOf(rows)/float64(tried)
		}
		out = append(
			out,
			retention.Kept{Form: formOf[t], Days: int(usual.time(t, class) / (24 * time.Hour)), Own: class > 0, PerDay: bytes},
		)
	}
	return out, err
}

// makes tells whether a table may have rows of the series.
func (p Plan) makes(t table) bool {
	switch t {
	case daysTable:
		return true
	case runsTable:
		return p.Runs > 0
	}
	return !p.NoRollups
}

// mostOf is the class that most rows have.
func mostOf(rows []dayRow) (most keepClass) {
	count := map[keepClass]int{}
	for _, r := range rows {
		if count[r.keep]++; count[r.keep] > count[most] {
			most = r.keep
		}
	}
	return most
}

func sizeOf(rows []dayRow) (bytes float64) {
	for _, r := range rows {
		bytes += float64(len(r.data) + Overhead)
	}
	return bytes
}

// heldPages is how many pages of a table are looked at to tell what is held.
const heldPages = 800

// Held tells what lies at rest of some series, day by day. Large tables are
// looked at in part; share is the smallest part, 1 for all.
func (s *Store) Held(ctx context.Context, series []int64) (out []retention.Held, share float64, err error) {
	share = 1
	for _, t := range restTables {
		_, pages, err := s.Size(ctx, t.name)
		if err != nil {
			return nil, 0, err
		}
		part := min(1, heldPages/max(1, pages))
		share = min(share, part)
		if out, err = s.heldIn(ctx, t, series, part, out); err != nil {
			return nil, 0, err
		}
	}
	return out, share, nil
}

func (s *Store) heldIn(ctx context.Context, t table, series []int64, part float64, out []retention.Held) ([]retention.Held, error) {
	covers := 1
	if t == rollup1d || t == runsTable {
		covers = monthDays
	}
	rows, err := s.pool.Query(
		ctx,
		fmt.Sprintf(
			"SELECT day, sum(octet_length(data) + %d)::float8 FROM %s TABLESAMPLE SYSTEM (%s) REPEATABLE (1) WHERE series_id = "+
				"ANY($1) GROUP BY day ORDER BY day",
			Overhead,
			t.name,
			Percent(part),
		),
		series,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var day int
		var bytes float64
		if err := rows.Scan(&day, &bytes); err != nil {
			return nil, err
		}
		_, _, until := t.partition(keepUsual, day)
		out = append(out, retention.Held{Form: formOf[t], First: day, Last: day + covers - 1, Until: until, Bytes: bytes / part})
	}
	return out, rows.Err()
}

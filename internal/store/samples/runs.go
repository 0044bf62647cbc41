package samples

import (
	"context"
	"math"
	"slices"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"tirelessowl/internal/core/codec"
)

// Runs gives the values of each series and how long each of them stood, for
// all runs that reach into a span of time (from included, to not), series by
// series in the order of their ids. Runs are told whole as far as they lie
// within the days that the span touches. The slice is valid during the call
// only.
func (s *Store) Runs(ctx context.Context, series []int64, from, to time.Time, f func(series int64, runs []codec.Run) error) error {
	a, b := from.UnixMilli(), to.UnixMilli()
	if b <= a || len(series) == 0 {
		return nil
	}
	ids := slices.Compact(slices.Sorted(slices.Values(series)))
	plans, err := s.plans(ctx, ids)
	if err != nil {
		return err
	}
	first, last := DayOf(a), DayOf(b-1)
	r := runsReader{spanReader: s.span(ids, int64(first)*dayMillis, int64(last+1)*dayMillis), runs: map[int64][]codec.Run{}}
	if err := r.stored(ctx, first, last); err != nil {
		return err
	}
	gap := func(id int64) int64 { return plans[id].Runs.Milliseconds() }
	_, err = r.points(ctx, func(id int64, _ int, points []codec.Point) {
		r.runs[id] = append(r.runs[id], codec.Runs(nil, points, gap(id))...) // day by day, as they are folded
	})
	if err != nil {
		return err
	}
	for _, id := range ids {
		if runs := whole(r.runs[id], gap(id), a, b); len(runs) > 0 {
			if err := f(id, runs); err != nil {
				return err
			}
		}
	}
	return nil
}

// whole puts pieces of runs together, and keeps those that reach into a span.
func whole(pieces []codec.Run, gap, a, b int64) (out []codec.Run) {
	slices.SortFunc(pieces, func(x, y codec.Run) int {
		if x.First < y.First {
			return -1
		}
		return 1
	})
	for _, p := range pieces {
		out = codec.JoinRun(out, p, gap)
	}
	return slices.DeleteFunc(out, func(x codec.Run) bool { return x.Last < a || x.First >= b })
}

// runsReader gathers the runs of several series.
type runsReader struct {
	spanReader
	runs map[int64][]codec.Run
}

// stored reads the rows of runs; days that still change are left to points.
func (r *runsReader) stored(ctx context.Context, first, last int) error {
	return r.eachRuns(ctx, r.ids, first, last, func(id int64, block []codec.Run) {
		for _, x := range block {
			if day := DayOf(x.First); day >= first && day <= last && r.settled(id, day) {
				r.runs[id] = append(r.runs[id], x)
			}
		}
	})
}

// eachRuns gives the rows of runs that hold a span of days, ordered by series
// and time. The slice is valid during the call only.
func (s *Store) eachRuns(ctx context.Context, series []int64, first, last int, f func(series int64, block []codec.Run)) error {
	rows, err := s.pool.Query(
		ctx,
		"SELECT series_id, data FROM runs WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3 ORDER BY series_id, day",
		series,
		monthOf(first),
		last,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	var dec codec.Decoder
	var block []codec.Run
	for rows.Next() {
		var id int64
		var data pgtype.DriverBytes
		if err := rows.Scan(&id, &data); err != nil {
			return err
		}
		if block, err = dec.AppendRuns(block[:0], data); err != nil {
			return err
		}
		f(id, block)
	}
	return rows.Err()
}

// Standing returns the newest run of each series, with its true begin. Series
// without a point are passed over.
func (s *Store) Standing(ctx context.Context, series []int64) (map[int64]codec.Run, error) {
	plans, err := s.plans(ctx, series)
	if err != nil {
		return nil, err
	}
	byDay := map[int][]int64{} // of the newest point
	for _, id := range series {
		if newest, _, n := s.LastTwo(id); n > 0 {
			byDay[DayOf(newest.T)] = append(byDay[DayOf(newest.T)], id)
		}
	}
	out := map[int64]codec.Run{}
	for day, ids := range byDay {
		from, to := time.UnixMilli(int64(day-1)*dayMillis), time.UnixMilli(int64(day+1)*dayMillis)
		var same []int64 // those that stood since before
		err := s.Runs(ctx, ids, from, to, func(id int64, runs []codec.Run) error {
			if out[id] = runs[len(runs)-1]; len(runs) == 1 {
				same = append(same, id)
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		if err := s.lengthen(ctx, same, day-2, plans, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// lengthen looks for the begin of runs in the rows of runs until a day.
func (s *Store) lengthen(ctx context.Context, series []int64, last int, plans map[int64]Plan, out map[int64]codec.Run) error {
	if len(series) == 0 {
		return nil
	}
	before := map[int64][]codec.Run{}
	err := s.eachRuns(
		ctx,
		series,
		math.MinInt32+monthDays,
		last,
		func(id int64, block []codec.Run) { before[id] = append(before[id], block...) },
	)
	if err != nil {
		return err
	}
	for id, pieces := range before {
		run := out[id]
		for i := len(pieces) - 1; i >= 0; i-- {
			if pieces[i].First >= run.First {
				continue // of a day that was read already
			}
			joined := codec.JoinRun([]codec.Run{pieces[i]}, run, plans[id].Runs.Milliseconds())
			if len(joined) > 1 {
				break
			}
			run = joined[0]
		}
		out[id] = run
	}
	return nil
}

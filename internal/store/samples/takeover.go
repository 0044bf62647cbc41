package samples

import (
	"context"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/core/codec"
)

// takeOver brings in what the first releases kept: a row for each sample of
// the last days, and rollups of a quarter of an hour for longer. It can be
// broken off and repeated; the old tables go when all is in.
func (s *Store) takeOver(ctx context.Context) error {
	var there bool
	if err := s.pool.QueryRow(ctx, "SELECT to_regclass('samples') IS NOT NULL").Scan(&there); err != nil || !there {
		return err
	}
	before := s.stats.days.Load()
	if err := s.takeRollups(ctx); err != nil {
		return err
	}
	if err := s.takeSamples(ctx); err != nil {
		return err
	}
	if n := s.stats.days.Load() - before; n > 0 {
		s.opt.Log.Info("took over the samples of an earlier release", "days", n)
	}
	_, err := s.pool.Exec(ctx, "DROP TABLE samples, steps, latest")
	return err
}

// takeBatch is how many points or rollups are taken at once, at least.
const takeBatch = 500_000

func (s *Store) takeSamples(ctx context.Context) error {
	rows, err := s.pool.Query(ctx, "SELECT series_id, (extract(epoch FROM at) * 1000)::bigint, value FROM samples ORDER BY series_id, at")
	if err != nil {
		return err
	}
	defer rows.Close()
	var all []History
	held := 0
	for rows.Next() {
		var id int64
		var p codec.Point
		if err := rows.Scan(&id, &p.T, &p.V); err != nil {
			return err
		}
		if n := len(all); n == 0 || all[n-1].Series != id {
			if held > takeBatch {
				if err := s.Import(ctx, all); err != nil {
					return err
				}
				all, held = nil, 0
			}
			all = append(all, History{Series: id})
		}
		h := &all[len(all)-1]
		h.Points = append(h.Points, p)
		held++
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return s.Import(ctx, all)
}

// takeRollups keeps the old ones as rollups of five minutes that stand for the
// quarter of an hour that begins there: nothing wider than that is lost. Days
// that have points as well are overwritten when those come in. What the first
// and last value were is not known: the mean stands for them.
func (s *Store) takeRollups(ctx context.Context) error {
	rows, err := s.pool.Query(
		ctx,
		"SELECT series_id, (extract(epoch FROM at) * 1000)::bigint, count, min, avg, max FROM steps ORDER BY series_id, at",
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	w := dayWriter{Store: s}
	var id int64
	var rollups []codec.Rollup
	out := map[table][]dayRow{}
	flush := func(least int) error {
		w.rollupRows(id, rollups, out)
		rollups = rollups[:0]
		if len(out[rollup5m]) <= least {
			return nil
		}
		err := w.putRollups(ctx, out)
		out = map[table][]dayRow{}
		return err
	}
	for rows.Next() {
		var of int64
		var x codec.Rollup
		var avg float64
		if err := rows.Scan(&of, &x.T, &x.Count, &x.Min, &avg, &x.Max); err != nil {
			return err
		}
		if of != id {
			if err := flush(foldBatch); err != nil {
				return err
			}
			id = of
		}
		x.Sum, x.First, x.Last = avg*float64(x.Count), avg, avg
		rollups = append(rollups, x)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return flush(0)
}

// rollupRows makes the rows of every width out of the rollups of one series.
func (w *dayWriter) rollupRows(id int64, rollups []codec.Rollup, out map[table][]dayRow) {
	split := func(t table, rollups []codec.Rollup, width int64, rowOf func(day int) int) {
		for len(rollups) > 0 {
			day, n := rowOf(DayOf(rollups[0].T)), 1
			for n < len(rollups) && rowOf(DayOf(rollups[n].T)) == day {
				n++
			}
			out[t] = append(out[t], dayRow{id, day, keepUsual, 0, w.enc.AppendRollups(nil, rollups[:n], width)})
			rollups = rollups[n:]
		}
	}
	itself := func(day int) int { return day }
	split(rollup5m, rollups, fiveMinutes, itself)
	split(rollup1h, codec.Widen(nil, rollups, hourMillis), hourMillis, itself)
	split(rollup1d, codec.Widen(nil, rollups, dayMillis), dayMillis, monthOf)
}

func (w *dayWriter) putRollups(ctx context.Context, out map[table][]dayRow) error {
	if err := w.prepareAll(ctx, out); err != nil {
		return err
	}
	return pgx.BeginFunc(ctx, w.pool, func(tx pgx.Tx) error {
		for t, rows := range out {
			if err := w.put(ctx, tx, t, rowKeys(rows), rows); err != nil {
				return err
			}
		}
		return nil
	})
}

package samples

import (
	"context"
	"maps"
	"runtime"
	"slices"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"

	"tirelessowl/internal/core/codec"
)

// dayWriter writes long chunks and rollups.
type dayWriter struct {
	*Store
	packer
}

func (w *dayWriter) foldBatch(ctx context.Context, day int, ids []int64) error {
	defer w.rewriting.take(ids)()
	var set []dayPoints
	err := w.eachRaw(ctx, ids, day, day, func(series, seq int64, _ int, data []byte) error {
		if n := len(set); n == 0 || set[n-1].series != series {
			set = append(set, dayPoints{series: series, day: day})
		}
		d := &set[len(set)-1]
		var err error
		d.points, err = w.dec.Append(d.points, data)
		d.seq = max(d.seq, seq)
		return err
	})
	if err != nil {
		return err
	}
	for i := range set {
		set[i].points = inOrder(set[i].points)
	}
	return w.replace(ctx, set)
}

// dayPoints is all there is of one series on one day.
type dayPoints struct {
	series int64
	day    int
	seq    int64
	points []codec.Point
}

// Widths of the rollups in milliseconds.
const (
	fiveMinutes = 300_000
	hourMillis  = 3_600_000
)

// rewrite stores what is at rest of a day anew, by the present plans.
func (w *dayWriter) rewrite(ctx context.Context, day int, ids []int64) error {
	defer w.rewriting.take(ids)()
	rows, err := w.pool.Query(ctx, "SELECT series_id, seq, data FROM days WHERE series_id = ANY($1) AND day = $2", ids, day)
	if err != nil {
		return err
	}
	defer rows.Close()
	var set []dayPoints
	for rows.Next() {
		d := dayPoints{day: day}
		var data pgtype.DriverBytes
		if err := rows.Scan(&d.series, &d.seq, &data); err != nil {
			return err
		}
		if d.points, err = w.dec.Append(nil, data); err != nil {
			return err
		}
		set = append(set, d)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return w.replace(ctx, set)
}

// replace stores days whole, with their rollups, in the place of what there was.
func (w *dayWriter) replace(ctx context.Context, set []dayPoints) error {
	if len(set) == 0 {
		return nil
	}
	plans, err := w.plans(ctx, seriesOf(set))
	if err != nil {
		return err
	}
	f := encodeAll(set, plans)
	out := f.rows
	if err := w.months(ctx, f, set, plans); err != nil {
		return err
	}
	if err := w.prepareAll(ctx, out); err != nil {
		return err
	}
	err = pgx.BeginFunc(ctx, w.pool, func(tx pgx.Tx) error {
		for _, t := range []table{daysTable, rollup5m, rollup1h} {
			if err := w.put(ctx, tx, t, keysOf(set), out[t]); err != nil {
				return err
			}
		}
		for _, t := range []table{rollup1d, runsTable} {
			if err := w.put(ctx, tx, t, rowKeys(out[t]), out[t]); err != nil {
				return err
			}
		}
		return nil
	})
	w.stats.days.Add(int64(len(set)))
	return err
}

func seriesOf(set []dayPoints) []int64 {
	ids := make([]int64, len(set))
	for i, d := range set {
		ids[i] = d.series
	}
	slices.Sort(ids)
	return slices.Compact(ids)
}

// prepareAll makes the partitions for all rows.
func (s *Store) prepareAll(ctx context.Context, out map[table][]dayRow) error {
	for t, rows := range out {
		for _, r := range rows {
			if err := s.prepare(ctx, t, r.keep, r.day); err != nil {
				return err
			}
		}
	}
	return nil
}

type dayRow struct {
	series int64
	day    int
	keep   keepClass
	seq    int64
	data   []byte
}

type dayKey struct {
	series int64
	day    int
}

func keysOf(set []dayPoints) []dayKey {
	out := make([]dayKey, len(set))
	for i, d := range set {
		out[i] = dayKey{d.series, d.day}
	}
	return out
}

func rowKeys(rows []dayRow) []dayKey {
	out := make([]dayKey, len(rows))
	for i, r := range rows {
		out[i] = dayKey{r.series, r.day}
	}
	return out
}

// folded is what days were made into: their rows, and what goes into the rows
// of months.
type folded struct {
	rows map[table][]dayRow
	days map[dayKey][]codec.Rollup
	runs map[dayKey][]codec.Run
}

func newFolded() folded {
	return folded{map[table][]dayRow{}, map[dayKey][]codec.Rollup{}, map[dayKey][]codec.Run{}}
}

// encodeAll folds all days, in several goroutines.
func encodeAll(set []dayPoints, plans map[int64]Plan) folded {
	parts := make([]folded, runtime.GOMAXPROCS(0))
	var workers sync.WaitGroup
	size := (len(set) + len(parts) - 1) / len(parts)
	for i := range parts {
		parts[i] = newFolded()
		mine := set[min(i*size, len(set)):min((i+1)*size, len(set))]
		workers.Go(func() {
			var pk packer
			for _, d := range mine {
				pk.encode(d, plans[d.series], parts[i])
			}
		})
	}
	workers.Wait()
	out := parts[0]
	for _, p := range parts[1:] {
		for t, rows := range p.rows {
			out.rows[t] = append(out.rows[t], rows...)
		}
		maps.Copy(out.days, p.days)
		maps.Copy(out.runs, p.runs)
	}
	return out
}

// What makes rollups worthwhile beside points: those of five minutes must be so
// many times smaller, which they never are for fewer than so many points each;
// those of an hour, which long pasts are read from, must stand for so many
// points each, on average.
const (
	fiveSmaller = 2
	fivePoints  = 8
	hourPoints  = 3
)

// encode makes the rows of one day. Where rollups are not worthwhile, the points
// are kept for as long as those would have been: that says more, and takes
// hardly more.
func (w *packer) encode(d dayPoints, plan Plan, f folded) {
	out := f.rows
	w.buf = w.enc.Append(w.buf[:0], d.points)
	points := slices.Clone(w.buf)
	keep := plan.classOf(daysTable)
	own := plan.Keep.Points > 0 // then rollups are needed for what comes after
	if !plan.NoRollups {
		w.five = codec.Fold(w.five[:0], d.points, fiveMinutes)
		five := w.five
		var rollups []byte
		if own || len(d.points) >= fivePoints*len(five) {
			rollups = w.rollups(five, fiveMinutes)
		}
		if own || rollups != nil && fiveSmaller*len(rollups) < len(points) {
			out[rollup5m] = append(out[rollup5m], dayRow{d.series, d.day, plan.classOf(rollup5m), d.seq, rollups})
		} else {
			keep = classFor(plan.Keep.FiveMinutes, keepAsRollups)
		}
		w.hours = codec.Widen(w.hours[:0], five, hourMillis)
		if hours := w.hours; own || len(d.points) >= hourPoints*len(hours) {
			out[rollup1h] = append(out[rollup1h], dayRow{d.series, d.day, plan.classOf(rollup1h), d.seq, w.rollups(hours, hourMillis)})
		} else {
			keep = classFor(plan.Keep.Hours, keepAsHours)
		}
		f.days[dayKey{d.series, d.day}] = codec.Widen(nil, w.hours, dayMillis)
	}
	if plan.Runs > 0 {
		f.runs[dayKey{d.series, d.day}] = codec.Runs(nil, d.points, plan.Runs.Milliseconds())
	}
	out[daysTable] = append(out[daysTable], dayRow{d.series, d.day, keep, d.seq, points})
}

// rollups encodes rollups into memory of just their size.
func (w *packer) rollups(rollups []codec.Rollup, width int64) []byte {
	w.buf = w.enc.AppendRollups(w.buf[:0], rollups, width)
	return slices.Clone(w.buf)
}

// put replaces the rows of some keys.
func (w *dayWriter) put(ctx context.Context, tx pgx.Tx, t table, keys []dayKey, rows []dayRow) error {
	ids, days := make([]int64, len(keys)), make([]int32, len(keys))
	for i, k := range keys {
		ids[i], days[i] = k.series, int32(k.day)
	}
	if _, err := tx.Exec(ctx, "DELETE FROM "+t.name+" t USING unnest($1::bigint[], $2::int[]) AS k(series_id, day) WHERE "+
		"t.series_id = k.series_id AND t.day = k.day", ids, days); err != nil {
		return err
	}
	columns := []string{"series_id", "day", "keep", "data"}
	if t == daysTable {
		columns = append(columns, "seq")
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{t.name}, columns, pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
		r := rows[i]
		return []any{r.series, r.day, int(r.keep), r.data, r.seq}[:len(columns)], nil
	}))
	return err
}

package samples

import (
	"context"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/core/codec"
)

// foldBatch is how many series are folded in one transaction.
const foldBatch = 1000

// FoldDue folds all days that ended long enough ago, and those of them that
// got late points. It returns how many days were folded.
func (s *Store) FoldDue(ctx context.Context, now time.Time) (int, error) {
	limit := DayOf(now.Add(-s.opt.FoldAfter).UnixMilli())
	days := s.openDays()
	slices.Sort(days)
	done := 0
	for _, day := range days {
		if day >= limit {
			break
		}
		if err := s.fold(ctx, day); err != nil {
			return done, fmt.Errorf("fold day %d: %w", day, err)
		}
		done++
	}
	return done, nil
}

// fold makes one long chunk for each series out of all its chunks of a day,
// with its rollups, and drops the table of the short ones. It can be broken
// off at any place: what was done is done again with the same result.
func (s *Store) fold(ctx context.Context, day int) error {
	s.folding.begin(day)
	name, _, _ := chunksTable.partition(day)
	rows, err := s.pool.Query(ctx, "SELECT DISTINCT series_id FROM "+name+" ORDER BY 1")
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	if err := s.foldSeries(ctx, day, ids); err != nil {
		return err
	}
	// Series that got chunks meanwhile are few; none can come while they are folded.
	s.folding.Lock()
	defer s.folding.Unlock()
	if err := s.foldSeries(ctx, day, slices.Collect(maps.Keys(s.folding.arrived))); err != nil {
		return err
	}
	return s.drop(ctx, chunksTable, day)
}

// folding notes which series get chunks of the day that is being folded.
// Whoever stores chunks holds it for reading, so that holding it whole keeps
// chunks from coming.
type folding struct {
	sync.RWMutex
	day     int
	mu      sync.Mutex
	arrived map[int64]bool
}

func (f *folding) begin(day int) {
	f.Lock()
	defer f.Unlock()
	f.day, f.arrived = day, map[int64]bool{}
}

// note is called within RLock, when the chunks are committed.
func (f *folding) note(rows []chunkRow) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, r := range rows {
		if r.day == f.day && f.arrived != nil {
			f.arrived[r.series] = true
		}
	}
}

func (s *Store) foldSeries(ctx context.Context, day int, ids []int64) error {
	w := dayWriter{Store: s}
	for batch := range slices.Chunk(ids, foldBatch) {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := w.foldBatch(ctx, day, batch); err != nil {
			return err
		}
	}
	return nil
}

// dayWriter writes long chunks and rollups.
type dayWriter struct {
	*Store
	packer
	points []codec.Point
}

func (w *dayWriter) foldBatch(ctx context.Context, day int, ids []int64) error {
	w.rewriting.Lock()
	defer w.rewriting.Unlock()
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

// worthwhile is how many points a step must stand for, on average, before
// steps are kept beside the points.
const worthwhile = 3

// replace stores days whole, with their rollups, in the place of what there was.
func (w *dayWriter) replace(ctx context.Context, set []dayPoints) error {
	if len(set) == 0 {
		return nil
	}
	out := encodeAll(set)
	days, err := w.dailySteps(ctx, set)
	if err != nil {
		return err
	}
	out[rollup1d] = days
	for t, rows := range out {
		for _, r := range rows {
			if err := w.prepare(ctx, t, r.day); err != nil {
				return err
			}
		}
	}
	err = pgx.BeginFunc(ctx, w.pool, func(tx pgx.Tx) error {
		for _, t := range []table{daysTable, rollup5m, rollup1h} {
			if err := w.put(ctx, tx, t, keysOf(set), out[t]); err != nil {
				return err
			}
		}
		return w.put(ctx, tx, rollup1d, rowKeys(days), days)
	})
	w.stats.days.Add(int64(len(set)))
	return err
}

type dayRow struct {
	series int64
	day    int
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

// encodeAll makes the rows of all days, in several goroutines.
func encodeAll(set []dayPoints) map[table][]dayRow {
	parts := make([]map[table][]dayRow, runtime.GOMAXPROCS(0))
	var workers sync.WaitGroup
	size := (len(set) + len(parts) - 1) / len(parts)
	for i := range parts {
		parts[i] = map[table][]dayRow{}
		mine := set[min(i*size, len(set)):min((i+1)*size, len(set))]
		workers.Go(func() {
			var pk packer
			for _, d := range mine {
				pk.encode(d, parts[i])
			}
		})
	}
	workers.Wait()
	out := parts[0]
	for _, p := range parts[1:] {
		for t, rows := range p {
			out[t] = append(out[t], rows...)
		}
	}
	return out
}

func (w *packer) encode(d dayPoints, out map[table][]dayRow) {
	out[daysTable] = append(out[daysTable], dayRow{d.series, d.day, d.seq, w.enc.Append(nil, d.points)})
	five := codec.Fold(nil, d.points, fiveMinutes)
	if len(d.points) >= worthwhile*len(five) {
		out[rollup5m] = append(out[rollup5m], dayRow{d.series, d.day, d.seq, w.enc.AppendSteps(nil, five, fiveMinutes)})
	}
	if hours := codec.Widen(nil, five, hourMillis); len(d.points) >= worthwhile*len(hours) {
		out[rollup1h] = append(out[rollup1h], dayRow{d.series, d.day, d.seq, w.enc.AppendSteps(nil, hours, hourMillis)})
	}
}

// monthDays is how many days a row of the daily rollup holds.
const monthDays = 28

func monthOf(day int) int { return day - ((day%monthDays)+monthDays)%monthDays }

// dailySteps puts the days into the rows of the daily rollup that they belong to.
func (w *dayWriter) dailySteps(ctx context.Context, set []dayPoints) ([]dayRow, error) {
	steps := map[dayKey][]codec.Step{}
	var ids []int64
	first, last := monthOf(set[0].day), monthOf(set[0].day)
	for _, d := range set {
		ids = append(ids, d.series)
		first, last = min(first, monthOf(d.day)), max(last, monthOf(d.day))
	}
	slices.Sort(ids)
	rows, err := w.pool.Query(ctx, "SELECT series_id, day, data FROM rollup_1d WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3", slices.Compact(ids), first, last)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var k dayKey
		var data []byte
		if err := rows.Scan(&k.series, &k.day, &data); err != nil {
			return nil, err
		}
		if steps[k], err = w.dec.AppendSteps(nil, data); err != nil {
			return nil, err
		}
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	var order []dayKey
	changed := map[dayKey]bool{}
	for _, d := range set {
		k := dayKey{d.series, monthOf(d.day)}
		steps[k] = slices.DeleteFunc(steps[k], func(x codec.Step) bool { return DayOf(x.T) == d.day })
		steps[k] = append(steps[k], codec.Fold(nil, d.points, dayMillis)...)
		if !changed[k] {
			changed[k], order = true, append(order, k)
		}
	}
	out := make([]dayRow, 0, len(order))
	for _, k := range order {
		slices.SortFunc(steps[k], func(a, b codec.Step) int { return int((a.T - b.T) / dayMillis) })
		out = append(out, dayRow{k.series, k.day, 0, w.enc.AppendSteps(nil, steps[k], dayMillis)})
	}
	return out, nil
}

// put replaces the rows of some keys.
func (w *dayWriter) put(ctx context.Context, tx pgx.Tx, t table, keys []dayKey, rows []dayRow) error {
	ids, days := make([]int64, len(keys)), make([]int32, len(keys))
	for i, k := range keys {
		ids[i], days[i] = k.series, int32(k.day)
	}
	if _, err := tx.Exec(ctx, "DELETE FROM "+t.name+" t USING unnest($1::bigint[], $2::int[]) AS k(series_id, day) WHERE t.series_id = k.series_id AND t.day = k.day", ids, days); err != nil {
		return err
	}
	columns := []string{"series_id", "day", "data"}
	if t == daysTable {
		columns = []string{"series_id", "day", "seq", "data"}
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{t.name}, columns, pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
		if t == daysTable {
			return []any{rows[i].series, rows[i].day, rows[i].seq, rows[i].data}, nil
		}
		return []any{rows[i].series, rows[i].day, rows[i].data}, nil
	}))
	return err
}

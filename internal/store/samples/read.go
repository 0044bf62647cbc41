package samples

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5/pgtype"

	"tirelessowl/internal/core/codec"
)

// eachRaw gives all long and short chunks of series in a span of days, ordered
// by series and block. data is valid during the call only.
func (s *Store) eachRaw(ctx context.Context, series []int64, first, last int, f func(series, seq int64, day int, data []byte) error) error {
	// Of the same block, days come behind chunks: what was imported over them is later.
	rows, err := s.pool.Query(ctx, `SELECT series_id, seq, day, data FROM (
			SELECT series_id, seq, day, data, 1 AS place FROM days WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3
			UNION ALL SELECT series_id, seq, day, data, 0 FROM chunks WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3
		) x ORDER BY series_id, day, seq, place`, series, first, last)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id, seq int64
		var day int
		var data pgtype.DriverBytes
		if err := rows.Scan(&id, &seq, &day, &data); err != nil {
			return err
		}
		if err := f(id, seq, day, data); err != nil {
			return err
		}
	}
	return rows.Err()
}

// fromHeads returns the points of a series that are in no chunk yet.
func (s *Store) fromHeads(series int64, dec *codec.Decoder) []codec.Point {
	sh := &s.shards[shardOf(series)]
	sh.mu.RLock()
	defer sh.mu.RUnlock()
	if h := sh.head(series); h != nil {
		return sh.unsealed(series, h, dec)
	}
	return nil
}

// unfolded returns the unsealed points of all series; to be called before
// the database is read, so that what is sealed meanwhile is seen twice and not
// never.
func (s *Store) unfolded(series []int64) map[int64][]codec.Point {
	out := make(map[int64][]codec.Point, len(series))
	var dec codec.Decoder
	for _, id := range series {
		if points := s.fromHeads(id, &dec); len(points) > 0 {
			out[id] = points
		}
	}
	return out
}

// cut keeps the points from from on, before to.
func cut(points []codec.Point, from, to int64) []codec.Point {
	return slices.DeleteFunc(points, func(p codec.Point) bool { return p.T < from || p.T >= to })
}

// Points gives the single points of each series between two times (from
// included, to not), ordered by time, series by series in the order of their
// ids. Series without a point are passed over. The slice is valid during the
// call only.
func (s *Store) Points(ctx context.Context, series []int64, from, to time.Time, f func(series int64, points []codec.Point) error) error {
	a, b := from.UnixMilli(), to.UnixMilli()
	if b <= a || len(series) == 0 {
		return nil
	}
	ids := slices.Compact(slices.Sorted(slices.Values(series)))
	heads := s.unfolded(ids)
	var dec codec.Decoder
	var points []codec.Point
	next := 0 // of ids, not given yet
	give := func(until int) error {
		for ; next < until; next++ {
			all := cut(inOrder(append(points, heads[ids[next]]...)), a, b)
			points = points[:0]
			if len(all) == 0 {
				continue
			}
			if err := f(ids[next], all); err != nil {
				return err
			}
		}
		return nil
	}
	err := s.eachRaw(ctx, ids, DayOf(a), DayOf(b-1), func(id, _ int64, _ int, data []byte) error {
		if at, _ := slices.BinarySearch(ids, id); at > next {
			if err := give(at); err != nil {
				return err
			}
		}
		sum, err := dec.Summary(data)
		if err == nil && sum.Last >= a && sum.First < b {
			points, err = dec.Append(points, data)
		}
		return err
	})
	if err != nil {
		return err
	}
	return give(len(ids))
}

// rollupFor returns the coarsest rollup that steps of a width can be made of;
// ok is false where only points will do.
func rollupFor(width int64) (t table, own int64, ok bool) {
	switch {
	case width%dayMillis == 0:
		return rollup1d, dayMillis, true
	case width%hourMillis == 0:
		return rollup1h, hourMillis, true
	case width%fiveMinutes == 0:
		return rollup5m, fiveMinutes, true
	}
	return t, 0, false
}

// Range gives each series in steps of a width (a multiple of a millisecond,
// counted from 1970) between two times, which are moved outwards to whole
// steps. Rollups are used where the width allows, points elsewhere: lowest,
// highest, sum and count are exact either way. Spans without a point have no
// step. resolution is the finest part that was read: 0 for points.
func (s *Store) Range(ctx context.Context, series []int64, from, to time.Time, width time.Duration, f func(series int64, steps []codec.Step) error) (resolution time.Duration, err error) {
	wide := max(1, width.Milliseconds())
	a := codec.Begin(from.UnixMilli(), wide)
	b := codec.Begin(to.UnixMilli()-1, wide) + wide
	if b <= a || len(series) == 0 {
		return 0, nil
	}
	ids := slices.Compact(slices.Sorted(slices.Values(series)))
	r := rangeReader{Store: s, ids: ids, a: a, b: b, heads: s.unfolded(ids), steps: map[int64][]codec.Step{}, covered: map[dayKey]bool{}, fresh: map[dayKey]bool{}}
	for id, points := range r.heads {
		for _, p := range points {
			r.fresh[dayKey{id, DayOf(p.T)}] = true
		}
	}
	t, own, ok := rollupFor(wide)
	if ok {
		if err := r.rollups(ctx, t); err != nil {
			return 0, err
		}
	}
	if own == 0 {
		own = wide
	}
	raw, err := r.points(ctx, own)
	if err != nil {
		return 0, err
	}
	for _, id := range ids {
		steps := r.steps[id]
		if len(steps) == 0 {
			continue
		}
		slices.SortStableFunc(steps, func(x, y codec.Step) int { return int((x.T - y.T) / own) })
		if err := f(id, codec.Widen(nil, steps, wide)); err != nil {
			return 0, err
		}
	}
	if raw || !ok {
		return 0, nil
	}
	return time.Duration(own) * time.Millisecond, nil
}

// rangeReader gathers the steps of several series.
type rangeReader struct {
	*Store
	ids     []int64
	a, b    int64
	heads   map[int64][]codec.Point
	steps   map[int64][]codec.Step
	covered map[dayKey]bool // whole days that rollups brought
	fresh   map[dayKey]bool // days that heads have points of
	dec     codec.Decoder
}

// rollups reads the rows of a rollup; days that still change are left to points.
func (r *rangeReader) rollups(ctx context.Context, t table) error {
	first := DayOf(r.a)
	if t == rollup1d {
		first = monthOf(first)
	}
	rows, err := r.pool.Query(ctx, "SELECT series_id, data FROM "+t.name+" WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3 ORDER BY series_id, day", r.ids, first, DayOf(r.b-1))
	if err != nil {
		return err
	}
	defer rows.Close()
	var block []codec.Step
	for rows.Next() {
		var id int64
		var data pgtype.DriverBytes
		if err := rows.Scan(&id, &data); err != nil {
			return err
		}
		if block, err = r.dec.AppendSteps(block[:0], data); err != nil {
			return err
		}
		kept := r.steps[id]
		last, ok := -1<<31, false
		for _, x := range block {
			if day := DayOf(x.T); day != last {
				last, ok = day, !r.isOpen(day) && !r.fresh[dayKey{id, day}]
				if ok {
					r.covered[dayKey{id, day}] = true
				}
			}
			if ok && x.T >= r.a && x.T < r.b {
				kept = append(kept, x)
			}
		}
		r.steps[id] = kept
	}
	return rows.Err()
}

// points folds the points of all days that rollups did not bring.
func (r *rangeReader) points(ctx context.Context, own int64) (used bool, err error) {
	first, last := 1<<31-1, -1<<31
	var need []int64
	for _, id := range r.ids {
		before := len(need)
		for day := DayOf(r.a); day <= DayOf(r.b-1); day++ {
			if !r.covered[dayKey{id, day}] {
				first, last = min(first, day), max(last, day)
				if len(need) == before {
					need = append(need, id)
				}
			}
		}
	}
	var points []codec.Point
	current := int64(0)
	flush := func() {
		all := cut(inOrder(append(points, r.heads[current]...)), r.a, r.b)
		delete(r.heads, current)
		points = points[:0]
		r.fold(current, all, own)
		used = used || len(all) > 0
	}
	if len(need) > 0 {
		err = r.eachRaw(ctx, need, first, last, func(id, _ int64, day int, data []byte) error {
			if id != current {
				flush()
				current = id
			}
			if r.covered[dayKey{id, day}] {
				return nil
			}
			var err error
			points, err = r.dec.Append(points, data)
			return err
		})
		if err != nil {
			return used, err
		}
		flush()
	}
	for _, id := range r.ids { // those that are in their heads only
		if len(r.heads[id]) > 0 {
			current = id
			flush()
		}
	}
	return used, nil
}

// fold adds points to the steps of a series.
func (r *rangeReader) fold(id int64, points []codec.Point, own int64) {
	if len(points) > 0 {
		r.steps[id] = append(r.steps[id], codec.Fold(nil, points, own)...)
	}
}

// Latest is the newest points of a series, newest last, as far as they are at
// hand; at most eight.
func (s *Store) Latest(series int64) []codec.Point {
	sh := &s.shards[shardOf(series)]
	sh.mu.RLock()
	defer sh.mu.RUnlock()
	if h := sh.head(series); h != nil {
		return slices.Clone(h.tail[max(0, len(h.tail)-KeepPoints):])
	}
	return nil
}

// LastTwo returns the newest point of a series and the one before it; n tells
// how many there are.
func (s *Store) LastTwo(series int64) (newest, before codec.Point, n int) {
	sh := &s.shards[shardOf(series)]
	sh.mu.RLock()
	defer sh.mu.RUnlock()
	h := sh.head(series)
	if h == nil || len(h.tail) == 0 {
		return newest, before, 0
	}
	last := len(h.tail) - 1
	if last == 0 {
		return h.tail[0], before, 1
	}
	return h.tail[last], h.tail[last-1], 2
}

// EachLatest gives the newest points of every series, newest last, no older
// than since.
func (s *Store) EachLatest(since time.Time, f func(series int64, points []codec.Point)) {
	from := since.UnixMilli()
	for i := range s.shards {
		sh := &s.shards[i]
		sh.mu.RLock()
		sh.each(i, func(id int64, h *head) {
			points := h.tail[max(0, len(h.tail)-KeepPoints):]
			for len(points) > 0 && points[0].T < from {
				points = points[1:]
			}
			if len(points) > 0 {
				f(id, points)
			}
		})
		sh.mu.RUnlock()
	}
}

// Newest returns the time of the newest point of all; zero when there is none.
func (s *Store) Newest() time.Time {
	if ms := s.newest.Load(); ms > 0 {
		return time.UnixMilli(ms).UTC()
	}
	return time.Time{}
}

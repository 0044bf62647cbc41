package samples

import (
	"context"
	"math"
	"runtime"
	"slices"
	"sync"
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

// rollupFor returns the coarsest stored rollups that those of a width can be made of;
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

// Range gives each series in rollups of a width (a multiple of a millisecond,
// counted from 1970) between two times, which are moved outwards to whole
// rollups. Rollups are used where the width allows, points elsewhere: lowest,
// highest, sum and count are exact either way. Spans without a point have no
// step. resolution is the finest part that was read: 0 for points.
func (s *Store) Range(
	ctx context.Context,
	series []int64,
	from, to time.Time,
	width time.Duration,
	f func(series int64, rollups []codec.Rollup) error,
) (resolution time.Duration, err error) {
	wide := max(1, width.Milliseconds())
	a := codec.Begin(from.UnixMilli(), wide)
	b := codec.Begin(to.UnixMilli()-1, wide) + wide
	if b <= a || len(series) == 0 {
		return 0, nil
	}
	ids := slices.Compact(slices.Sorted(slices.Values(series)))
	var parts []*rangeReader
	var workers sync.WaitGroup
	for part := range slices.Chunk(ids, max(seriesEach, (len(ids)+runtime.GOMAXPROCS(0)-1)/runtime.GOMAXPROCS(0))) {
		r := &rangeReader{spanReader: s.span(part, a, b), wide: wide, rollups: map[int64][]codec.Rollup{}, rolled: map[int64]bool{}}
		parts = append(parts, r)
		workers.Go(func() { r.err = r.read(ctx) })
	}
	workers.Wait()
	for i, r := range parts {
		if r.err != nil {
			return 0, r.err
		}
		if i == 0 || r.resolution < resolution {
			resolution = r.resolution
		}
		for _, id := range r.ids {
			if rollups := r.rollups[id]; len(rollups) > 0 {
				if err := f(id, rollups); err != nil {
					return 0, err
				}
			}
		}
	}
	return resolution, nil
}

// seriesEach is how many series are read by one goroutine at least.
const seriesEach = 3

// read gathers the rollups of all its series.
func (r *rangeReader) read(ctx context.Context) error {
	t, own, ok := rollupFor(r.wide)
	if ok {
		if err := r.readRollups(ctx, t); err != nil {
			return err
		}
	} else {
		own = r.wide
	}
	raw, err := r.points(ctx, func(id int64, _ int, points []codec.Point) {
		width := own
		if !r.rolled[id] { // nothing narrower is to be put in between
			width = r.wide
		}
		r.rollups[id] = codec.Fold(r.rollups[id], points, width)
	})
	if err != nil {
		return err
	}
	for id, rollups := range r.rollups {
		slices.SortStableFunc(rollups, func(x, y codec.Rollup) int { return int((x.T - y.T) / own) })
		r.rollups[id] = codec.Widen(nil, rollups, r.wide)
	}
	if ok && !raw {
		r.resolution = time.Duration(own) * time.Millisecond
	}
	return nil
}

// spanReader reads series over a span of time, from what rollups bring and
// from points for the rest.
type spanReader struct {
	*Store
	ids     []int64
	a, b    int64
	heads   map[int64][]codec.Point
	covered map[dayKey]bool // whole days that rollups brought
	fresh   map[dayKey]bool // days that heads have points of
	dec     codec.Decoder
}

// span begins to read series between two times in milliseconds.
func (s *Store) span(ids []int64, a, b int64) spanReader {
	r := spanReader{Store: s, ids: ids, a: a, b: b, heads: s.unfolded(ids), covered: map[dayKey]bool{}, fresh: map[dayKey]bool{}}
	for id, points := range r.heads {
		for _, p := range points {
			r.fresh[dayKey{id, DayOf(p.T)}] = true
		}
		r.heads[id] = cut(inOrder(points), a, b)
	}
	return r
}

// settled tells whether a rollup says all about a day of a series, and notes
// that it was read.
func (r *spanReader) settled(id int64, day int) bool {
	if r.isOpen(day) || r.fresh[dayKey{id, day}] {
		return false
	}
	r.covered[dayKey{id, day}] = true
	return true
}

// rangeReader gathers the rollups of several series.
type rangeReader struct {
	spanReader
	wide       int64
	rollups    map[int64][]codec.Rollup
	rolled     map[int64]bool // series of which stored rollups were read
	resolution time.Duration
	err        error
}

// readRollups reads the rows of a rollup; days that still change are left to points.
func (r *rangeReader) readRollups(ctx context.Context, t table) error {
	first := DayOf(r.a)
	if t == rollup1d {
		first = monthOf(first)
	}
	rows, err := r.pool.Query(
		ctx,
		"SELECT series_id, data FROM "+t.name+" WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3 ORDER BY series_id, day",
		r.ids,
		first,
		DayOf(r.b-1),
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	var block []codec.Rollup
	for rows.Next() {
		var id int64
		var data pgtype.DriverBytes
		if err := rows.Scan(&id, &data); err != nil {
			return err
		}
		if block, err = r.dec.AppendRollups(block[:0], data); err != nil {
			return err
		}
		kept := r.rollups[id]
		last, ok := -1<<31, false
		for _, x := range block {
			if day := DayOf(x.T); day != last {
				last, ok = day, r.settled(id, day)
			}
			if ok && x.T >= r.a && x.T < r.b {
				kept = append(kept, x)
			}
		}
		r.rollups[id], r.rolled[id] = kept, r.rolled[id] || len(kept) > 0
	}
	return rows.Err()
}

// points gives the points of all days that rollups did not bring, a day of a
// series at a time, in the order of series and time. The slice is valid during
// the call only.
func (r *spanReader) points(ctx context.Context, f func(series int64, day int, points []codec.Point)) (used bool, err error) {
	need, first, last := r.uncovered()
	g := dayGiver{spanReader: r, f: f}
	if len(need) > 0 {
		err = r.eachRaw(ctx, need, first, last, func(id, _ int64, day int, data []byte) error {
			if r.covered[dayKey{id, day}] {
				return nil
			}
			g.turn(id, day)
			var err error
			g.points, err = r.dec.Append(g.points, data)
			return err
		})
		if err != nil {
			return g.used, err
		}
	}
	g.turn(lastSeries, 0)
	return g.used, nil
}

// lastSeries is behind all others.
const lastSeries = math.MaxInt64

// uncovered returns the series that have days which rollups did not bring,
// and the first and last such day.
func (r *spanReader) uncovered() (need []int64, first, last int) {
	first, last = math.MaxInt32, math.MinInt32
	for _, id := range r.ids {
		found := false
		for day := DayOf(r.a); day <= DayOf(r.b-1); day++ {
			if !r.covered[dayKey{id, day}] {
				first, last, found = min(first, day), max(last, day), true
			}
		}
		if found {
			need = append(need, id)
		}
	}
	return need, first, last
}

// dayGiver puts the stored points of a day together with those of the heads.
type dayGiver struct {
	*spanReader
	f      func(series int64, day int, points []codec.Point)
	at     dayKey
	points []codec.Point
	next   int // of the ids, whose heads are not given yet
	used   bool
}

// turn gives the day that was read, and all that heads have until the next one.
func (g *dayGiver) turn(id int64, day int) {
	if g.at.series == id && g.at.day == day && len(g.points) > 0 {
		return
	}
	if len(g.points) > 0 {
		g.give(g.at)
	}
	for ; g.next < len(g.ids) && g.ids[g.next] < id; g.next++ {
		for len(g.heads[g.ids[g.next]]) > 0 {
			g.give(dayKey{g.ids[g.next], DayOf(g.heads[g.ids[g.next]][0].T)})
		}
	}
	for heads := g.heads[id]; len(heads) > 0 && DayOf(heads[0].T) < day; heads = g.heads[id] {
		g.give(dayKey{id, DayOf(heads[0].T)})
	}
	g.at = dayKey{id, day}
}

// give hands on one day; what heads have of it is used up.
func (g *dayGiver) give(k dayKey) {
	if heads := g.heads[k.series]; len(heads) > 0 && DayOf(heads[0].T) == k.day {
		n := sameDay(heads)
		g.points, g.heads[k.series] = append(g.points, heads[:n]...), heads[n:]
	}
	points := cut(inOrder(g.points), g.a, g.b)
	if len(points) > 0 {
		g.used = true
		g.f(k.series, k.day, points)
	}
	g.points = g.points[:0]
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

package samples

import (
	"context"
	"slices"

	"tirelessowl/internal/core/codec"
)

// History is all points of one series, ordered by time, for Import.
type History struct {
	Series int64
	Points []codec.Point
}

// importBatch bounds the points that one transaction of an import holds.
const importBatch = 2_000_000

// Import brings in a past that is complete, such as that of a device that was
// watched by something else before: it goes straight into days and rollups,
// joined with what is there. It may be repeated. Points of today and later
// are better appended.
func (s *Store) Import(ctx context.Context, histories []History) error {
	if s.inbox.isOpen() { // what came before must be in chunks of earlier blocks
		if err := s.sealOf(ctx, histories); err != nil {
			return err
		}
	}
	w := dayWriter{Store: s}
	var set []dayPoints
	held := 0
	seq := s.applied.Load() // chunks of earlier blocks came before this import
	for _, h := range histories {
		points := inOrder(slices.Clone(h.Points))
		for len(points) > 0 {
			n := sameDay(points)
			set, held = append(set, dayPoints{series: h.Series, day: DayOf(points[0].T), seq: seq, points: points[:n:n]}), held+n
			points = points[n:]
		}
		if held > importBatch {
			if err := w.join(ctx, set); err != nil {
				return err
			}
			set, held = nil, 0
		}
		s.see(h)
	}
	return w.join(ctx, set)
}

// sealOf seals the shards of some series.
func (s *Store) sealOf(ctx context.Context, histories []History) error {
	var pk packer
	done := [shardCount]bool{}
	for _, h := range histories {
		i := shardOf(h.Series)
		if done[i] {
			continue
		}
		done[i] = true
		if err := s.seal(ctx, i, &pk); err != nil {
			return err
		}
	}
	return nil
}

// join adds days to what is stored of them. Chunks that are not folded yet
// stay beside: reading joins them.
func (w *dayWriter) join(ctx context.Context, set []dayPoints) error {
	if len(set) == 0 {
		return nil
	}
	ids := seriesOf(set)
	defer w.rewriting.take(ids)()
	places := map[dayKey]int{}
	first, last := set[0].day, set[0].day
	for i, d := range set {
		places[dayKey{d.series, d.day}] = i
		first, last = min(first, d.day), max(last, d.day)
	}
	rows, err := w.pool.Query(
		ctx,
		"SELECT series_id, day, seq, data FROM days WHERE series_id = ANY($1) AND day BETWEEN $2 AND $3",
		ids,
		first,
		last,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var k dayKey
		var seq int64
		var data []byte
		if err := rows.Scan(&k.series, &k.day, &seq, &data); err != nil {
			return err
		}
		i, ok := places[k]
		if !ok {
			continue
		}
		stored, err := w.dec.Append(nil, data)
		if err != nil {
			return err
		}
		set[i].points, set[i].seq = inOrder(append(stored, set[i].points...)), max(seq, set[i].seq)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return w.replace(ctx, set)
}

// see lets the newest points of an import be seen as latest values.
func (s *Store) see(h History) {
	if len(h.Points) == 0 {
		return
	}
	sh := &s.shards[shardOf(h.Series)]
	sh.mu.Lock()
	defer sh.mu.Unlock()
	sh.imported = true
	newer := sh.headOf(h.Series)
	for _, p := range h.Points[max(0, len(h.Points)-KeepPoints):] {
		newer.correct(p)
	}
	newer.show(h.Points[max(0, len(h.Points)-KeepPoints):])
	newest := h.Points[len(h.Points)-1].T
	for {
		old := s.newest.Load()
		if newest <= old || s.newest.CompareAndSwap(old, newest) {
			return
		}
	}
}

package samples

import (
	"encoding/binary"
	"slices"
	"sync"
	"time"

	"tirelessowl/internal/core/codec"
)

const (
	// shardCount parts the series, so that they are sealed one part after
	// the other and never all at once.
	shardCount = 256
	// KeepPoints is how many of its newest points a head always holds.
	KeepPoints = 8
	// packPoints is how many points are packed together.
	packPoints = 8
)

// shard is the heads of a part of the series.
type shard struct {
	mu sync.RWMutex
	// heads are found by their number within the shard: ids of series are
	// dense, and a slice is found in a third of a map's time.
	heads []*head
	// late holds points that came out of order, in the order of arrival.
	late map[int64][]codec.Point
	// applied is the newest block that brought points here; sealed is the
	// block up to which everything is in chunks.
	applied, sealed int64
	sealing         sync.Mutex // one sealing at a time
	// imported tells that newest points are known that came through no block.
	imported bool
}

// head is the newest points of one series.
type head struct {
	packed  codec.Trail // points that are not sealed yet
	sealing []byte      // chunks on their way into the database, each with its length in front
	// tail is ordered by time without doubles. The first kept of its points
	// are packed or sealed already and stay for latest values only.
	tail []codec.Point
	kept int
}

func shardOf(series int64) int { return int(uint64(series) % shardCount) }

// maxSeries bounds the ids of series, and with them the memory for their heads.
const maxSeries = 1 << 30

// head returns the head of a series, or nil; the shard is locked.
func (sh *shard) head(series int64) *head {
	if i := series / shardCount; i >= 0 && i < int64(len(sh.heads)) {
		return sh.heads[i]
	}
	return nil
}

// headOf returns the head of a series, made if there is none.
func (sh *shard) headOf(series int64) *head {
	i := int(series / shardCount)
	if i >= len(sh.heads) {
		sh.heads = append(sh.heads, make([]*head, i+1-len(sh.heads))...)
	}
	if sh.heads[i] == nil {
		sh.heads[i] = &head{}
	}
	return sh.heads[i]
}

// each gives all heads of a shard, which is the i-th.
func (sh *shard) each(i int, f func(series int64, h *head)) {
	for k, h := range sh.heads {
		if h != nil {
			f(int64(k)*shardCount+int64(i), h)
		}
	}
}

// packer is the working memory of whoever packs.
type packer struct {
	enc         codec.Encoder
	dec         codec.Decoder
	buf         []byte
	five, hours []codec.Rollup
}

// add puts a point into the head of its series; the shard is locked.
func (sh *shard) add(p codec.Tagged) {
	h := sh.headOf(p.Series)
	n := len(h.tail)
	switch {
	case n == 0 || p.T > h.tail[n-1].T:
		h.tail = append(h.tail, p.Point)
		if len(h.tail) >= KeepPoints+packPoints {
			h.pack(len(h.tail) - KeepPoints)
		}
	case p.T == h.tail[n-1].T && h.kept < n:
		h.tail[n-1].V = p.V
	default:
		if sh.late == nil {
			sh.late = map[int64][]codec.Point{}
		}
		sh.late[p.Series] = append(sh.late[p.Series], p.Point)
		h.correct(p.Point)
	}
}

// correct lets a later arrival for a time that the tail shows be seen there.
func (h *head) correct(p codec.Point) {
	for i := range h.tail {
		if h.tail[i].T == p.T {
			h.tail[i].V = p.V
		}
	}
}

// Rewind lets points from now on be the newest, though later ones are known: the
// clock that stamped those was set back. They stay where they are in time. It
// returns how many series that concerned.
func (s *Store) Rewind(now time.Time) (series int) {
	limit := now.UnixMilli()
	for i := range s.shards {
		sh := &s.shards[i]
		sh.mu.Lock()
		sh.each(i, func(id int64, h *head) {
			if sh.rewind(id, h, limit) {
				series++
			}
		})
		sh.mu.Unlock()
	}
	for newest := s.newest.Load(); newest > limit && !s.newest.CompareAndSwap(newest, limit); newest = s.newest.Load() {
		// a block is being applied
	}
	return series
}

// rewind takes the points behind a time out of a tail; those that are nowhere else
// count as late from then on.
func (sh *shard) rewind(id int64, h *head, limit int64) bool {
	n := len(h.tail)
	for n > 0 && h.tail[n-1].T > limit {
		n--
	}
	if n == len(h.tail) {
		return false
	}
	if later := h.tail[max(n, h.kept):]; len(later) > 0 {
		if sh.late == nil {
			sh.late = map[int64][]codec.Point{}
		}
		sh.late[id] = append(sh.late[id], later...)
	}
	h.tail, h.kept = h.tail[:n], min(h.kept, n)
	return true
}

// pack moves the first n points of the tail into packed.
func (h *head) pack(n int) {
	for _, p := range h.tail[min(h.kept, n):n] {
		h.packed.Add(p)
	}
	h.tail = slices.Delete(h.tail, 0, n)
	h.kept = max(0, h.kept-n)
}

// show lets stored points be seen as the newest, as far as they are newer.
func (h *head) show(points []codec.Point) {
	if n := len(h.tail); n > 0 {
		points = slices.DeleteFunc(slices.Clone(points), func(p codec.Point) bool { return p.T <= h.tail[n-1].T })
	}
	if len(points) == 0 {
		return
	}
	h.pack(len(h.tail))
	h.tail = append(h.tail, points...)
	h.kept = len(h.tail)
}

func appendPart(dst []byte, pk *packer, points []codec.Point) []byte {
	pk.buf = pk.enc.Append(pk.buf[:0], points)
	dst = binary.AppendUvarint(dst, uint64(len(pk.buf)))
	return append(dst, pk.buf...)
}

// parts decodes chunks that stand one behind the other.
func parts(dst []codec.Point, packed []byte, dec *codec.Decoder) ([]codec.Point, error) {
	for len(packed) > 0 {
		size, n := binary.Uvarint(packed)
		if n <= 0 || size > uint64(len(packed)-n) {
			return dst, codec.ErrCorrupt
		}
		var err error
		if dst, err = dec.Append(dst, packed[n:n+int(size)]); err != nil {
			return dst, err
		}
		packed = packed[n+int(size):]
	}
	return dst, nil
}

// unsealed returns all points that are in no chunk yet, in the order of
// arrival of late ones behind the others; the shard is locked.
func (sh *shard) unsealed(series int64, h *head, dec *codec.Decoder) []codec.Point {
	if len(h.sealing)+h.packed.Len() == 0 && h.kept == len(h.tail) && len(sh.late[series]) == 0 {
		return nil
	}
	points, _ := parts(nil, h.sealing, dec) // we packed them ourselves
	points = append(h.packed.Points(points), h.tail[h.kept:]...)
	return append(points, sh.late[series]...)
}

// inOrder sorts points by time; of several at one time the last is kept.
func inOrder(points []codec.Point) []codec.Point {
	sorted := true
	for i := 1; i < len(points) && sorted; i++ {
		sorted = points[i].T > points[i-1].T
	}
	if sorted {
		return points
	}
	slices.SortStableFunc(points, func(a, b codec.Point) int {
		switch {
		case a.T < b.T:
			return -1
		case a.T > b.T:
			return 1
		}
		return 0
	})
	out := points[:0]
	for i, p := range points {
		if i+1 < len(points) && points[i+1].T == p.T {
			continue
		}
		out = append(out, p)
	}
	return out
}

// apply puts a block into the heads.
func (s *Store) apply(seq int64, points []codec.Tagged, buckets *[shardCount][]int32) {
	for i := range buckets {
		buckets[i] = buckets[i][:0]
	}
	newest := s.newest.Load()
	for i, p := range points {
		b := shardOf(p.Series)
		buckets[b] = append(buckets[b], int32(i))
		newest = max(newest, p.T)
	}
	for b, places := range buckets {
		if len(places) == 0 {
			continue
		}
		sh := &s.shards[b]
		sh.mu.Lock()
		for _, i := range places {
			sh.add(points[i])
		}
		sh.applied = seq
		sh.mu.Unlock()
	}
	s.applied.Store(seq)
	s.newest.Store(newest)
}

// appendHeads writes the newest points of all series of a shard, which is locked.
func (sh *shard) appendHeads(dst []byte, i int, pk *packer) []byte {
	before := int64(0)
	sh.each(i, func(id int64, h *head) {
		if len(h.tail) == 0 {
			return
		}
		dst = binary.AppendVarint(dst, id-before)
		before = id
		dst = appendPart(dst, pk, h.tail[max(0, len(h.tail)-KeepPoints):])
	})
	return dst
}

// loadHeads reads what appendHeads wrote.
func (sh *shard) loadHeads(data []byte, dec *codec.Decoder) (newest int64, err error) {
	id := int64(0)
	for len(data) > 0 {
		d, n := binary.Varint(data)
		if n <= 0 {
			return newest, codec.ErrCorrupt
		}
		size, m := binary.Uvarint(data[n:])
		end := n + m + int(size)
		if m <= 0 || size > uint64(len(data)) || end > len(data) {
			return newest, codec.ErrCorrupt
		}
		id += d
		points, err := dec.Append(nil, data[n+m:end])
		if err != nil || len(points) == 0 {
			return newest, codec.ErrCorrupt
		}
		if id < 0 || id > maxSeries {
			return newest, codec.ErrCorrupt
		}
		*sh.headOf(id) = head{tail: points, kept: len(points)}
		newest = max(newest, points[len(points)-1].T)
		data = data[end:]
	}
	return newest, nil
}

// Forget drops the heads of series that were removed.
func (s *Store) Forget(series []int64) {
	for _, id := range series {
		sh := &s.shards[shardOf(id)]
		sh.mu.Lock()
		if sh.head(id) != nil {
			sh.heads[id/shardCount] = nil
		}
		delete(sh.late, id)
		sh.mu.Unlock()
	}
}

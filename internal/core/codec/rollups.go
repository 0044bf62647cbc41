package codec

import (
	"encoding/binary"
	"math"
)

// Rollup is what a span of time holds of one series: from it averages, rates
// and envelopes can be taken at any coarser width without loss.
type Rollup struct {
	T           int64 // begin, in milliseconds
	Count       int
	Sum         float64
	Min, Max    float64
	First, Last float64
}

// Add puts a later point into the rollup.
func (s *Rollup) Add(v float64) {
	if s.Count == 0 {
		s.Min, s.Max, s.First = v, v, v
	}
	s.Min, s.Max, s.Last = min(s.Min, v), max(s.Max, v), v
	s.Sum += v
	s.Count++
}

// Join puts a later rollup into this one.
func (s *Rollup) Join(o *Rollup) {
	if o.Count == 0 {
		return
	}
	if s.Count == 0 {
		t := s.T
		*s = *o
		s.T = t
		return
	}
	s.Min, s.Max, s.Last = min(s.Min, o.Min), max(s.Max, o.Max), o.Last
	s.Sum += o.Sum
	s.Count += o.Count
}

// Avg is the mean of the values.
func (s Rollup) Avg() float64 { return s.Sum / float64(s.Count) }

// Begin returns the begin of the rollup of the given width that a time lies
// in; widths count from 1970.
func Begin(t, width int64) int64 {
	b := t - t%width
	if b > t { // times before 1970
		b -= width
	}
	return b
}

// Fold puts points, ordered by time, into rollups behind dst. Spans without a
// point have no rollup: a gap stays a gap.
func Fold(dst []Rollup, points []Point, width int64) []Rollup {
	scale := decimalsOf(points)
	from := len(dst)
	end := int64(math.MinInt64)
	for _, p := range points {
		if p.T >= end {
			at := Begin(p.T, width)
			dst, end = append(dst, Rollup{T: at}), at+width
		}
		dst[len(dst)-1].Add(p.V)
	}
	for i := from; i < len(dst); i++ {
		dst[i].Sum = snap(dst[i].Sum, scale)
	}
	return dst
}

// Widen puts rollups into wider ones; width is a multiple of theirs.
func Widen(dst, rollups []Rollup, width int64) []Rollup {
	from, scale := len(dst), 0
	end := int64(math.MinInt64)
	for i := range rollups {
		if t := rollups[i].T; t >= end {
			at := Begin(t, width)
			dst, end = append(dst, Rollup{T: at}), at+width
		}
		dst[len(dst)-1].Join(&rollups[i])
		scale = decimalsIn(rollups[i].Sum, scale)
	}
	for i := from; i < len(dst); i++ {
		dst[i].Sum = snap(dst[i].Sum, scale)
	}
	return dst
}

func decimalsOf(points []Point) int {
	scale := 0
	for _, p := range points {
		scale = decimalsIn(p.V, scale)
	}
	return scale
}

// decimalsIn is how many decimals a value has, at least so many; beyond
// maxScale when it is no decimal.
func decimalsIn(v float64, least int) int {
	for least <= maxScale {
		if _, ok := scaled(v, least); ok {
			break
		}
		least++
	}
	return least
}

// snap takes the noise of adding decimals away: 0.1 + 0.2 is 0.3.
func snap(sum float64, scale int) float64 {
	if scale > maxScale {
		return sum
	}
	m := math.RoundToEven(sum * powers[scale])
	if math.Abs(m) > exactInt {
		return sum
	}
	if near := m / powers[scale]; math.Abs(near-sum) <= 1e-9*math.Abs(sum) {
		return near
	}
	return sum
}

// AppendRollups writes rollups of one width, ordered by time, as a block behind
// dst. Where all values are decimals the columns are written relative to the
// lowest value; else each by itself.
//
//	version, count, width, first begin ÷ width, begins, counts, scale, columns
func (e *Encoder) AppendRollups(dst []byte, rollups []Rollup, width int64) []byte {
	dst = append(dst, version)
	dst = binary.AppendUvarint(dst, uint64(len(rollups)))
	if len(rollups) == 0 {
		return dst
	}
	dst = binary.AppendUvarint(dst, uint64(width))
	dst = appendVarint(dst, rollups[0].T/width)
	dst = e.column(dst, rollups, func(s Rollup) int64 { return (s.T - rollups[0].T) / width })
	dst = e.column(dst, rollups, func(s Rollup) int64 { return int64(s.Count) })
	if scale, ok := scaleOf(rollups); ok {
		dst = append(dst, byte(scale+scaleBias))
		at := func(v float64) int64 { m, _ := scaled(v, scale); return m }
		dst = e.column(dst, rollups, func(s Rollup) int64 { return at(s.Min) })
		dst = e.column(dst, rollups, func(s Rollup) int64 { return at(s.Max) - at(s.Min) })
		dst = e.column(dst, rollups, func(s Rollup) int64 { return at(s.First) - at(s.Min) })
		dst = e.column(dst, rollups, func(s Rollup) int64 { return at(s.Last) - at(s.Min) })
		return e.column(dst, rollups, func(s Rollup) int64 { return at(s.Sum) - int64(s.Count)*at(s.Min) })
	}
	dst = append(dst, asXOR)
	for _, of := range floatColumns {
		e.values = e.values[:0]
		for i := range rollups {
			e.values = append(e.values, *of(&rollups[i]))
		}
		dst = appendFloats(dst, e.values, &e.scratch)
	}
	return dst
}

var floatColumns = []func(*Rollup) *float64{
	func(s *Rollup) *float64 { return &s.Min }, func(s *Rollup) *float64 { return &s.Max }, func(s *Rollup) *float64 { return &s.First },
	func(s *Rollup) *float64 { return &s.Last }, func(s *Rollup) *float64 { return &s.Sum },
}

func (e *Encoder) column(dst []byte, rollups []Rollup, of func(Rollup) int64) []byte {
	e.times = e.times[:0]
	for _, s := range rollups {
		e.times = append(e.times, of(s))
	}
	return appendInts(dst, e.times, &e.scratch)
}

// scaleOf finds one scale at which all values of all rollups are integers.
func scaleOf(rollups []Rollup) (scale int, ok bool) {
	for i := range rollups {
		for _, of := range floatColumns {
			for ; scale <= maxScale; scale++ {
				if _, ok := scaled(*of(&rollups[i]), scale); ok {
					break
				}
			}
		}
	}
	if scale > maxScale {
		return 0, false
	}
	for i := range rollups { // larger values may not fit the scale that smaller ones needed
		for _, of := range floatColumns {
			if _, ok := scaled(*of(&rollups[i]), scale); !ok {
				return 0, false
			}
		}
	}
	return scale, true
}

// AppendRollups decodes a block of rollups behind dst.
func (d *Decoder) AppendRollups(dst []Rollup, block []byte) ([]Rollup, error) {
	r := reader{in: block}
	n, err := r.items()
	if n == 0 {
		return dst, err
	}
	width, first := int64(r.uvarint()), r.varint()
	if r.bad || width <= 0 {
		return dst, ErrCorrupt
	}
	from := len(dst)
	d.times = r.ints(d.times, n)
	if r.bad {
		return dst, ErrCorrupt
	}
	for _, t := range d.times {
		dst = append(dst, Rollup{T: (first + t) * width})
	}
	rollups := dst[from:]
	column(&r, d, rollups, func(s *Rollup, v int64) { s.Count = int(v) })
	if head := r.byte(); head == asXOR {
		r.floatRollups(d, rollups)
	} else {
		r.decimalRollups(d, rollups, int(head)-scaleBias)
	}
	if r.bad {
		return dst[:from], ErrCorrupt
	}
	return dst, nil
}

// items reads the head of a block of rollups or runs: how many it has.
func (r *reader) items() (int, error) {
	if r.byte() != version {
		return 0, ErrCorrupt
	}
	n := r.count()
	if r.bad {
		return 0, ErrCorrupt
	}
	return n, nil
}

// column reads one column of integers into all items.
func column[T any](r *reader, d *Decoder, items []T, set func(*T, int64)) {
	d.times = r.ints(d.times, len(items))
	if r.bad {
		return
	}
	for i, v := range d.times {
		set(&items[i], v)
	}
}

func (r *reader) floatRollups(d *Decoder, rollups []Rollup) {
	for _, of := range floatColumns {
		d.values = r.floats(d.values, len(rollups), &d.scratch)
		if r.bad {
			return
		}
		for i, v := range d.values {
			*of(&rollups[i]) = v
		}
	}
}

func (r *reader) decimalRollups(d *Decoder, rollups []Rollup, scale int) {
	if scale < 0 || scale > maxScale || r.bad {
		r.bad = true
		return
	}
	lows := make([]int64, len(rollups))
	i := 0
	column(r, d, rollups, func(s *Rollup, v int64) { lows[i], s.Min = v, unscaled(v, scale); i++ })
	for _, of := range floatColumns[1:4] {
		i = 0
		column(r, d, rollups, func(s *Rollup, v int64) { *of(s) = unscaled(lows[i]+v, scale); i++ })
	}
	i = 0
	column(r, d, rollups, func(s *Rollup, v int64) { s.Sum = unscaled(int64(s.Count)*lows[i]+v, scale); i++ })
}

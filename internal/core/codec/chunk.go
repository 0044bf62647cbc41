package codec

import (
	"encoding/binary"
	"math"
)

// version is the first byte of every block; a later layout gets another.
const version = 1

// Summary describes a chunk without its points being decoded.
type Summary struct {
	Count       int
	First, Last int64 // times in milliseconds
	Min, Max    float64
	Sum         float64
}

// Encoder makes chunks; it keeps its working memory and must not be used by
// two goroutines at once. The zero value is ready.
type Encoder struct {
	scratch
	values []float64
}

// Append writes the points, which are ordered by time, as a chunk behind dst.
// Values must be finite.
//
//	version, count, first time, span, min, max, sum, unit, times, values
func (e *Encoder) Append(dst []byte, points []Point) []byte {
	dst = append(dst, version)
	dst = binary.AppendUvarint(dst, uint64(len(points)))
	if len(points) == 0 {
		return dst
	}
	e.times, e.values = e.times[:0], e.values[:0]
	s := Summary{Min: points[0].V, Max: points[0].V}
	for _, p := range points {
		e.times, e.values = append(e.times, p.T-points[0].T), append(e.values, p.V)
		s.Min, s.Max, s.Sum = min(s.Min, p.V), max(s.Max, p.V), s.Sum+p.V
	}
	dst = appendVarint(dst, points[0].T)
	dst = appendVarint(dst, points[len(points)-1].T-points[0].T)
	for _, v := range []float64{s.Min, s.Max, s.Sum} {
		dst = appendNumber(dst, v)
	}
	unit := unitOf(e.times)
	dst = binary.AppendUvarint(dst, uint64(unit))
	if unit > 1 {
		for i := range e.times {
			e.times[i] /= unit
		}
	}
	dst = appendInts(dst, e.times, &e.scratch)
	return appendFloats(dst, e.values, &e.scratch)
}

// unitOf is the greatest common divisor of all times, in milliseconds.
func unitOf(times []int64) int64 {
	unit := int64(0)
	for _, t := range times {
		for t != 0 {
			unit, t = t, unit%t
		}
		if unit == 1 || unit == -1 {
			return 1
		}
	}
	if unit < 0 {
		unit = -unit
	}
	return max(unit, 1)
}

// appendNumber writes one value: a byte with the scale and a varint, or all
// 64 bits.
func appendNumber(dst []byte, v float64) []byte {
	scale := 0
	return appendNear(dst, v, &scale)
}

// appendNear is appendNumber for a value that is like the one before, which
// had so many decimals.
func appendNear(dst []byte, v float64, scale *int) []byte {
	if m := int64(v); float64(m) == v && m <= exactInt && m >= -exactInt {
		return appendVarint(append(dst, scaleBias), m)
	}
	if m, ok := scaled(v, *scale); ok {
		return appendVarint(append(dst, byte(*scale+scaleBias)), m)
	}
	for s := 1; s <= maxScale; s++ {
		if m, ok := scaled(v, s); ok {
			*scale = s
			return appendVarint(append(dst, byte(s+scaleBias)), m)
		}
	}
	return binary.LittleEndian.AppendUint64(append(dst, asXOR), math.Float64bits(v))
}

func (r *reader) number() float64 {
	head := r.byte()
	if head == asXOR {
		raw := r.take(8)
		if r.bad {
			return 0
		}
		return math.Float64frombits(binary.LittleEndian.Uint64(raw))
	}
	scale := int(head) - scaleBias
	if scale < 0 || scale > maxScale {
		r.bad = true
		return 0
	}
	return unscaled(r.varint(), scale)
}

// Decoder reads chunks; it keeps its working memory and must not be used by
// two goroutines at once. The zero value is ready.
type Decoder struct {
	scratch
	values []float64
}

// Summary reads the head of a chunk.
func (d *Decoder) Summary(chunk []byte) (Summary, error) {
	r := reader{in: chunk}
	return r.summary()
}

func (r *reader) summary() (s Summary, err error) {
	if r.byte() != version {
		return s, ErrCorrupt
	}
	if s.Count = r.count(); s.Count > 0 {
		s.First = r.varint()
		s.Last = s.First + r.varint()
		s.Min, s.Max, s.Sum = r.number(), r.number(), r.number()
	}
	if r.bad {
		return s, ErrCorrupt
	}
	return s, nil
}

// Append decodes a chunk behind dst.
func (d *Decoder) Append(dst []Point, chunk []byte) ([]Point, error) {
	r := reader{in: chunk}
	s, err := r.summary()
	if err != nil || s.Count == 0 {
		return dst, err
	}
	unit := int64(r.uvarint())
	d.times = r.ints(d.times, s.Count)
	d.values = r.floats(d.values, s.Count, &d.scratch)
	if r.bad || len(d.times) != s.Count || len(d.values) != s.Count {
		return dst, ErrCorrupt
	}
	for i, t := range d.times {
		dst = append(dst, Point{s.First + t*unit, d.values[i]})
	}
	return dst, nil
}

package codec

import (
	"encoding/binary"
	"math"
)

// A column of values begins with a byte: the scale of decimals plus
// scaleBias; asXOR for true floating-point values, asBits where even that
// gains nothing.
const (
	scaleBias = 16
	asXOR     = 0xff
	asBits    = 0xfe
	minScale  = -9 // whole thousands of millions
	maxScale  = 9
	// exactInt is the largest integer up to which all are floats.
	exactInt = 1 << 53
)

var powers = [...]float64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9}

// scaled returns v·10^scale as an integer; ok is false where unscaled would
// not give exactly v back.
func scaled(v float64, scale int) (m int64, ok bool) {
	var f float64
	if scale >= 0 {
		f = math.RoundToEven(v * powers[scale])
	} else {
		f = math.RoundToEven(v / powers[-scale])
	}
	if !(math.Abs(f) <= exactInt) {
		return 0, false
	}
	m = int64(f)
	return m, unscaled(m, scale) == v
}

// unscaled is m·10^-scale, correctly rounded: both operands are exact, so
// that one IEEE 754 operation gives the float nearest to the decimal.
func unscaled(m int64, scale int) float64 {
	if scale >= 0 {
		return float64(m) / powers[scale]
	}
	return float64(m) * powers[-scale]
}

// decimals finds the smallest scale that fits nearly all values. share is
// how many fit none.
func decimals(values []float64) (scale, misfits int) {
	for _, v := range values {
		s := scale
		for ; s <= maxScale; s++ {
			if _, ok := scaled(v, s); ok {
				break
			}
		}
		if s > maxScale {
			misfits++
			continue
		}
		scale = s
	}
	if scale > 0 || misfits == len(values) {
		return scale, misfits
	}
	for scale > minScale && divides(values, scale-1) {
		scale--
	}
	return scale, misfits
}

// divides tells whether all values but misfits are whole multiples of 10^-scale.
func divides(values []float64, scale int) bool {
	some := false
	for _, v := range values {
		if _, ok := scaled(v, 0); !ok || v == 0 {
			continue
		}
		if _, ok := scaled(v, scale); !ok {
			return false
		}
		some = true
	}
	return some
}

// maxMisfits is the share of values, one in so many, that may be kept aside
// before the column counts as true floating-point.
const maxMisfits = 8

// appendFloats writes a column of values.
func appendFloats(dst []byte, values []float64, s *scratch) []byte {
	if len(values) == 0 {
		return dst
	}
	scale, misfits := decimals(values)
	if misfits*maxMisfits > len(values) {
		return appendXOR(dst, values)
	}
	dst = append(dst, byte(scale+scaleBias))
	ints, aside := s.ints[:0], []int(nil)
	last := int64(0)
	for i, v := range values {
		m, ok := scaled(v, scale)
		if !ok {
			aside = append(aside, i)
			m = last // costs least in its place
		}
		ints, last = append(ints, m), m
	}
	s.ints = ints
	dst = appendInts(dst, ints, s)
	dst = binary.AppendUvarint(dst, uint64(len(aside)))
	at := 0
	for _, i := range aside {
		dst = binary.AppendUvarint(dst, uint64(i-at))
		dst = binary.LittleEndian.AppendUint64(dst, math.Float64bits(values[i]))
		at = i
	}
	return dst
}

// floats reads a column of n values.
func (r *reader) floats(dst []float64, n int, s *scratch) []float64 {
	if n == 0 || r.bad {
		return dst[:0]
	}
	head := r.byte()
	switch head {
	case asXOR:
		return r.xor(dst, n)
	case asBits:
		return r.bits(dst, n)
	}
	scale := int(head) - scaleBias
	if scale < minScale || scale > maxScale {
		r.bad = true
		return dst[:0]
	}
	s.ints = r.ints(s.ints, n)
	if r.bad {
		return dst[:0]
	}
	dst = grow(dst, n)
	if scale >= 0 {
		by := powers[scale]
		for i, m := range s.ints {
			dst[i] = float64(m) / by
		}
	} else {
		by := powers[-scale]
		for i, m := range s.ints {
			dst[i] = float64(m) * by
		}
	}
	r.putAside(dst)
	return dst
}

// putAside sets the values that were kept exactly beside the integers.
func (r *reader) putAside(dst []float64) {
	at := uint64(0)
	for range r.count() {
		gap := r.uvarint()
		raw := r.take(8)
		at += gap
		if r.bad || gap > uint64(len(dst)) || at >= uint64(len(dst)) {
			r.bad = true
			return
		}
		dst[at] = math.Float64frombits(binary.LittleEndian.Uint64(raw))
	}
}

func grow(dst []float64, n int) []float64 {
	if cap(dst) < n {
		return make([]float64, n)
	}
	return dst[:n]
}

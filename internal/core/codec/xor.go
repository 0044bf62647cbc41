package codec

import (
	"encoding/binary"
	"math"
	"math/bits"
)

// True floating-point values are written as the exclusive or with the value
// before: what neighbours share becomes zeros at both ends.
//
//	0                 the same value again
//	10 + bits         the differing bits lie within the window before
//	11 + 6 + 6 + bits a new window: zeros in front, length − 1

// appendXOR writes the length in bytes and the bits, or the values as they are
// where those are shorter.
func appendXOR(dst []byte, values []float64) []byte {
	var w bitWriter
	var before uint64
	lead, length := uint(64), uint(0)
	for i, v := range values {
		now := math.Float64bits(v)
		if i == 0 {
			w.write(now, 64)
			before = now
			continue
		}
		x := now ^ before
		before = now
		if x == 0 {
			w.write(0, 1)
			continue
		}
		l, t := uint(bits.LeadingZeros64(x)), uint(bits.TrailingZeros64(x))
		if lead+length <= 64 && l >= lead && t >= 64-lead-length && length <= 64-l-t+11 {
			w.write(0b01, 2)
			w.write(x>>(64-lead-length), length)
			continue
		}
		lead, length = l, 64-l-t
		w.write(0b11, 2)
		w.write(uint64(lead), 6)
		w.write(uint64(length-1), 6)
		w.write(x>>t, length)
	}
	packed := w.close()
	if len(packed) >= 8*len(values) {
		dst = append(dst, asBits)
		for _, v := range values {
			dst = binary.LittleEndian.AppendUint64(dst, math.Float64bits(v))
		}
		return dst
	}
	dst = append(dst, asXOR)
	dst = binary.AppendUvarint(dst, uint64(len(packed)))
	return append(dst, packed...)
}

func (r *reader) bits(dst []float64, n int) []float64 {
	raw := r.take(8 * n)
	if r.bad {
		return dst[:0]
	}
	dst = grow(dst, n)
	for i := range dst {
		dst[i] = math.Float64frombits(binary.LittleEndian.Uint64(raw[8*i:]))
	}
	return dst
}

func (r *reader) xor(dst []float64, n int) []float64 {
	packed := r.take(r.length())
	if r.bad || n > len(packed)*8 {
		r.bad = true
		return dst[:0]
	}
	in := bitReader{in: packed}
	dst = grow(dst, n)
	now := in.read(64)
	lead, length := uint(0), uint(0)
	dst[0] = math.Float64frombits(now)
	for i := 1; i < n; i++ {
		if in.read(1) == 1 {
			if in.read(1) == 1 {
				lead, length = uint(in.read(6)), uint(in.read(6))+1
			}
			if length == 0 || lead+length > 64 {
				r.bad = true
				return dst[:0]
			}
			now ^= in.read(length) << (64 - lead - length)
		}
		dst[i] = math.Float64frombits(now)
	}
	r.bad = r.bad || in.short
	return dst
}

package codec

import (
	"encoding/binary"
	"math/bits"
	"slices"
)

// A column of integers is written as
//
//	order, width  how often neighbours are subtracted (0, 1 or 2) in the two
//	              highest bits, the width below; 63 there means that a byte
//	              follows with the width (63 or 64)
//	heads         the first value of each subtraction (varint)
//	reference     the typical value, subtracted from all (varint)
//	excepted      how many values need more bits (varint)
//	packed        width bits for each value, zigzag
//	exceptions    gap to the place before, and the high bits (varints)
//
// Subtraction wraps around like the machine's, so any int64 comes back.

// packing is how a column will be written.
type packing struct {
	order     int
	reference int64
	width     uint
	excepted  int
	size      int // bytes
}

// appendInts writes a column; its length must be known to the reader.
func appendInts(dst []byte, values []int64, scratch *scratch) []byte {
	if len(values) == 0 {
		return dst
	}
	best, rests := choose(values, scratch)
	dst = append(dst, byte(best.order)<<6|byte(min(best.width, 63)))
	if best.width == 64 { // 63 stands for 63 and 64: a byte tells which
		dst = append(dst, 64)
	} else if best.width == 63 {
		dst = append(dst, 63)
	}
	for i := range best.order {
		dst = appendVarint(dst, scratch.heads[best.order][i])
	}
	dst = appendVarint(dst, best.reference)
	dst = binary.AppendUvarint(dst, uint64(best.excepted))
	w := bitWriter{out: dst}
	for _, v := range rests {
		w.write(zigzag(v-best.reference), best.width)
	}
	dst = w.close()
	last := 0
	for i, v := range rests {
		if z := zigzag(v - best.reference); best.width < 64 && z>>best.width != 0 {
			dst = binary.AppendUvarint(dst, uint64(i-last))
			dst = binary.AppendUvarint(dst, z>>best.width)
			last = i
		}
	}
	return dst
}

// scratch is memory that encoding uses again and again.
type scratch struct {
	heads [3][2]int64
	rests [3][]int64
	ints  []int64
	times []int64
}

// choose tries 0, 1 and 2 subtractions and returns the cheapest.
func choose(values []int64, s *scratch) (best packing, rests []int64) {
	s.rests[0] = append(s.rests[0][:0], values...)
	for order := range 3 {
		if order > 0 {
			if len(values) <= order {
				break
			}
			s.subtract(order)
		}
		p := s.plan(order)
		if order == 0 || p.size < best.size {
			best = p
		}
		if p.width == 0 && p.excepted == 0 {
			break // it cannot become smaller
		}
	}
	return best, s.rests[best.order]
}

// subtract makes the rests of one order from those of the order below.
func (s *scratch) subtract(order int) {
	below := s.rests[order-1]
	s.heads[order] = s.heads[order-1]
	s.heads[order][order-1] = below[0]
	out := s.rests[order][:0]
	for i := 1; i < len(below); i++ {
		out = append(out, below[i]-below[i-1])
	}
	s.rests[order] = out
}

// plan finds the width that takes the fewest bytes.
func (s *scratch) plan(order int) packing {
	rests := s.rests[order]
	p := packing{order: order, reference: typical(rests)}
	var counts [65]int // how many rests have so many bits
	longest := 0
	for _, v := range rests {
		n := bits.Len64(zigzag(v - p.reference))
		counts[n]++
		longest = max(longest, n)
	}
	var longer [65]int // the lengths above width that occur, longest first
	n, excepted := 0, 0
	p.size = 1 << 62
	for width := longest; width >= 0; width-- {
		// What is longer costs a place and its high bits beside the packed ones;
		// a gap of one byte is assumed.
		size := packedBytes(len(rests), uint(width))
		for _, l := range longer[:n] {
			size += counts[l] * (1 + (l-width+6)/7)
		}
		if size <= p.size {
			p.size, p.width, p.excepted = size, uint(width), excepted
		}
		if counts[width] > 0 {
			longer[n] = width
			n++
		}
		excepted += counts[width]
	}
	p.size += order*3 + varintBytes(zigzag(p.reference))
	for i := range order {
		p.size += varintBytes(zigzag(s.heads[order][i]))
	}
	return p
}

// typical returns the median of some of the values.
func typical(values []int64) int64 {
	var some [9]int64
	n := min(len(values), len(some))
	for i := range n { // sorted as they come: they are few
		v, k := values[i*len(values)/n], i
		for ; k > 0 && some[k-1] > v; k-- {
			some[k] = some[k-1]
		}
		some[k] = v
	}
	return some[n/2]
}

// ints reads a column of n values.
func (r *reader) ints(dst []int64, n int) []int64 {
	if n == 0 || r.bad {
		return dst[:0]
	}
	head := r.byte()
	order, width := int(head>>6), uint(head&63)
	if width == 63 {
		width = uint(r.byte())
	}
	if order > 2 || order >= n && order > 0 || width > 64 {
		r.bad = true
		return dst[:0]
	}
	var heads [2]int64
	for i := range order {
		heads[i] = r.varint()
	}
	reference, excepted := r.varint(), r.count()
	rest := n - order
	packed := r.take(packedBytes(rest, width))
	if r.bad || excepted > rest {
		r.bad = true
		return dst[:0]
	}
	dst = slices.Grow(dst[:0], n)[:n]
	unpack(dst[order:], packed, width)
	if !r.except(dst[order:], excepted, width) {
		return dst[:0]
	}
	restore(dst, order, heads, reference)
	return dst
}

// unpack reads the packed bits; the zigzag is undone by restore.
func unpack(dst []int64, packed []byte, width uint) {
	if width == 0 {
		clear(dst)
		return
	}
	bits := bitReader{in: packed}
	for i := range dst {
		dst[i] = int64(bits.read(width))
	}
}

// except adds the high bits of the values that did not fit.
func (r *reader) except(rests []int64, excepted int, width uint) bool {
	at := uint64(0)
	for range excepted {
		gap, high := r.uvarint(), r.uvarint()
		at += gap
		if r.bad || gap > uint64(len(rests)) || at >= uint64(len(rests)) || width >= 64 || high > ^uint64(0)>>width {
			r.bad = true
			return false
		}
		rests[at] |= int64(high << width)
	}
	return true
}

// restore undoes the zigzag, the reference and the subtractions.
func restore(dst []int64, order int, heads [2]int64, reference int64) {
	for i := order; i < len(dst); i++ {
		dst[i] = unzigzag(uint64(dst[i])) + reference
	}
	switch order {
	case 1:
		dst[0] = heads[0]
		for i := 1; i < len(dst); i++ {
			dst[i] += dst[i-1]
		}
	case 2:
		step := heads[1]
		dst[0], dst[1] = heads[0], heads[0]+step
		for i := 2; i < len(dst); i++ {
			step += dst[i]
			dst[i] = dst[i-1] + step
		}
	}
}

package codec

import "encoding/binary"

// Tagged is a point with the series that it belongs to.
type Tagged struct {
	Series int64
	Point
}

// AppendBlock writes points of many series in the order given, as a block
// behind dst: differences of series and time to the point before, then the
// value. Points that were taken together stand together, so that most
// differences are small.
func AppendBlock(dst []byte, points []Tagged) []byte {
	dst = append(dst, version)
	dst = binary.AppendUvarint(dst, uint64(len(points)))
	var before Tagged
	scale := 0
	for _, p := range points {
		dst = appendVarint(dst, p.Series-before.Series)
		dst = appendVarint(dst, p.T-before.T)
		dst = appendNear(dst, p.V, &scale)
		before = p
	}
	return dst
}

// EachOfBlock calls f for all points of a block, in order. Points before a
// damaged place were given already when it returns ErrCorrupt.
func EachOfBlock(block []byte, f func(Tagged)) error {
	r := reader{in: block}
	if r.byte() != version {
		return ErrCorrupt
	}
	var p Tagged
	for range r.count() {
		p.Series += r.varint()
		p.T += r.varint()
		p.V = r.number()
		if r.bad {
			return ErrCorrupt
		}
		f(p)
	}
	if r.bad || len(r.in) > 0 {
		return ErrCorrupt
	}
	return nil
}

package codec

import (
	"encoding/binary"
	"math"
)

// Trail is points of one series in the order of time, appended one by one. It
// is several times larger than a chunk, and much cheaper to add to. The zero
// value is empty.
//
//	for each point: time since the point before (varint); value
type Trail struct {
	data   []byte
	last   Point
	points int32
	scale  int8 // decimals of the newest value that had some
}

// Len is how many points the trail has.
func (t *Trail) Len() int { return int(t.points) }

// again stands for the value before.
const again = 0

// Add appends a point.
func (t *Trail) Add(p Point) {
	t.data = binary.AppendUvarint(t.data, zigzag(p.T-t.last.T))
	if t.points > 0 && math.Float64bits(p.V) == math.Float64bits(t.last.V) {
		t.data = append(t.data, again)
	} else {
		scale := int(t.scale)
		t.data = appendNear(t.data, p.V, &scale)
		t.scale = int8(scale)
	}
	t.last = p
	t.points++
}

// Points decodes the trail behind dst.
func (t *Trail) Points(dst []Point) []Point {
	r := reader{in: t.data}
	var p Point
	for range t.points {
		p.T += r.varint()
		if len(r.in) > 0 && r.in[0] == again {
			r.in = r.in[1:]
		} else {
			p.V = r.number()
		}
		dst = append(dst, p)
	}
	return dst
}

// Reset empties the trail and keeps its memory.
func (t *Trail) Reset() { t.data, t.last, t.points, t.scale = t.data[:0], Point{}, 0, 0 }

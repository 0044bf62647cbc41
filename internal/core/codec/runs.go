package codec

import (
	"encoding/binary"
	"slices"

	"tirelessowl/internal/core/cadence"
)

// Run is a time in which a series had one value: what is left of states and
// texts without loss, however long they stay the same.
type Run struct {
	First, Last int64 // times of its first and last point, in milliseconds
	Count       int   // points
	V           float64
}

// Runs puts points, ordered by time, into runs behind dst. A pause of more
// than gap milliseconds between two points ends a run, since nobody knows what
// was between; 0 allows any pause. Where the points themselves usually lie
// further apart, as those of a past that was brought in do, a run ends after
// three times what is usual.
func Runs(dst []Run, points []Point, gap int64) []Run {
	if gap > 0 {
		gap = max(gap, cadence.Missed*usualPause(points))
	}
	for _, p := range points {
		dst = JoinRun(dst, Run{p.T, p.T, 1, p.V}, gap)
	}
	return dst
}

// JoinRun puts a later run behind the others, as a part of the last one where
// it goes on with the same value.
func JoinRun(dst []Run, r Run, gap int64) []Run {
	if n := len(dst); n > 0 {
		last := &dst[n-1]
		if last.V == r.V && (gap <= 0 || r.First-last.Last <= max(gap, cadence.Missed*last.Pause(), cadence.Missed*r.Pause())) {
			last.Last = r.Last
			last.Count += r.Count
			return dst
		}
	}
	return append(dst, r)
}

// usualPause is the median of the pauses between points, in milliseconds.
func usualPause(points []Point) int64 {
	if len(points) < 2 {
		return 0
	}
	pauses := make([]int64, len(points)-1)
	for i := range pauses {
		pauses[i] = points[i+1].T - points[i].T
	}
	return Usual(pauses)
}

// Usual is the median of some pauses, the greater of the middle two where
// there are two; 0 for none. The pauses are put in order.
func Usual(pauses []int64) int64 {
	if len(pauses) == 0 {
		return 0
	}
	slices.Sort(pauses)
	return pauses[len(pauses)/2]
}

// Pause is the mean pause between its points, in milliseconds; 0 for a single one.
func (r Run) Pause() int64 {
	if r.Count < 2 {
		return 0
	}
	return (r.Last - r.First) / int64(r.Count-1)
}

// AppendRuns writes runs, ordered by time, as a block behind dst.
//
//	version, count, first time, unit, pauses before, lengths, counts, values
func (e *Encoder) AppendRuns(dst []byte, runs []Run) []byte {
	dst = append(dst, version)
	dst = binary.AppendUvarint(dst, uint64(len(runs)))
	if len(runs) == 0 {
		return dst
	}
	dst = appendVarint(dst, runs[0].First)
	e.times = e.times[:0]
	before := runs[0].First
	for _, r := range runs {
		e.times = append(e.times, r.First-before)
		before = r.Last
	}
	for _, r := range runs {
		e.times = append(e.times, r.Last-r.First)
	}
	unit := unitOf(e.times)
	dst = binary.AppendUvarint(dst, uint64(unit))
	for i := range e.times {
		e.times[i] /= unit
	}
	lengths := append([]int64(nil), e.times[len(runs):]...)
	dst = appendInts(dst, e.times[:len(runs)], &e.scratch)
	dst = appendInts(dst, lengths, &e.scratch)
	e.times, e.values = e.times[:0], e.values[:0]
	for _, r := range runs {
		e.times, e.values = append(e.times, int64(r.Count)), append(e.values, r.V)
	}
	dst = appendInts(dst, e.times, &e.scratch)
	return appendFloats(dst, e.values, &e.scratch)
}

// AppendRuns decodes a block of runs behind dst.
func (d *Decoder) AppendRuns(dst []Run, block []byte) ([]Run, error) {
	r := reader{in: block}
	n, err := r.items()
	if n == 0 {
		return dst, err
	}
	at, unit := r.varint(), int64(r.uvarint())
	from := len(dst)
	d.times = r.ints(d.times, n)
	if r.bad {
		return dst, ErrCorrupt
	}
	for _, v := range d.times {
		dst = append(dst, Run{First: v * unit})
	}
	runs := dst[from:]
	column(&r, d, runs, func(x *Run, v int64) { x.Last = v * unit })
	column(&r, d, runs, func(x *Run, v int64) { x.Count = int(v) })
	d.values = r.floats(d.values, n, &d.scratch)
	if r.bad || len(d.values) != n {
		return dst[:from], ErrCorrupt
	}
	for i := range runs { // pauses and lengths become times
		runs[i].First += at
		runs[i].Last += runs[i].First
		at, runs[i].V = runs[i].Last, d.values[i]
	}
	return dst, nil
}

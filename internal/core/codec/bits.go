package codec

import (
	"encoding/binary"
	"math/bits"
)

// bitWriter appends bits, lowest first, to bytes.
type bitWriter struct {
	out  []byte
	acc  uint64
	used uint // bits of acc in use, below 64
}

// write appends the lowest n bits of v; n is 0 to 64.
func (w *bitWriter) write(v uint64, n uint) {
	if n < 64 {
		v &= 1<<n - 1
	}
	w.acc |= v << w.used
	if w.used+n < 64 {
		w.used += n
		return
	}
	w.out = binary.LittleEndian.AppendUint64(w.out, w.acc)
	w.acc = 0
	if w.used > 0 {
		w.acc = v >> (64 - w.used)
	}
	w.used = w.used + n - 64
}

// close appends what is left and returns all bytes.
func (w *bitWriter) close() []byte {
	for w.used > 0 {
		w.out = append(w.out, byte(w.acc))
		w.acc >>= 8
		w.used -= min(8, w.used)
	}
	return w.out
}

// bitReader reads what bitWriter wrote. Reading behind the end gives zeros
// and sets short.
type bitReader struct {
	in    []byte
	pos   int // in bits
	short bool
}

// read returns the next n bits; n is 0 to 64.
func (r *bitReader) read(n uint) uint64 {
	if n == 0 {
		return 0
	}
	end := r.pos + int(n)
	if end > len(r.in)*8 {
		r.short = true
		return 0
	}
	at, shift := r.pos>>3, uint(r.pos&7)
	r.pos = end
	var v uint64
	if at+8 <= len(r.in) {
		v = binary.LittleEndian.Uint64(r.in[at:]) >> shift
	} else {
		for i := 0; at+i < len(r.in) && i < 8; i++ {
			v |= uint64(r.in[at+i]) << (8 * uint(i))
		}
		v >>= shift
	}
	if shift+n > 64 { // the value reaches into a ninth byte
		v |= uint64(r.in[at+8]) << (64 - shift)
	}
	if n < 64 {
		v &= 1<<n - 1
	}
	return v
}

// bytes returns how many bytes n values of the given width take.
func packedBytes(n int, width uint) int { return (n*int(width) + 7) / 8 }

func zigzag(v int64) uint64   { return uint64(v)<<1 ^ uint64(v>>63) }
func unzigzag(u uint64) int64 { return int64(u>>1) ^ -int64(u&1) }

// reader takes varints and bytes off the front; the first failure sticks.
type reader struct {
	in  []byte
	bad bool
}

func (r *reader) uvarint() uint64 {
	v, n := binary.Uvarint(r.in)
	if n <= 0 {
		r.bad, r.in = true, nil
		return 0
	}
	r.in = r.in[n:]
	return v
}

func (r *reader) varint() int64 { return unzigzag(r.uvarint()) }

func (r *reader) byte() byte {
	if len(r.in) == 0 {
		r.bad = true
		return 0
	}
	b := r.in[0]
	r.in = r.in[1:]
	return b
}

func (r *reader) take(n int) []byte {
	if n < 0 || n > len(r.in) {
		r.bad, r.in = true, nil
		return nil
	}
	b := r.in[:n]
	r.in = r.in[n:]
	return b
}

// count reads a number of things and refuses senseless ones.
func (r *reader) count() int {
	n := r.uvarint()
	if n > maxCount {
		r.bad = true
		return 0
	}
	return int(n)
}

func appendVarint(dst []byte, v int64) []byte { return binary.AppendUvarint(dst, zigzag(v)) }

func varintBytes(v uint64) int { return (bits.Len64(v|1) + 6) / 7 }

// length reads a number of bytes.
func (r *reader) length() int {
	n := r.uvarint()
	if n > uint64(len(r.in)) {
		r.bad = true
		return 0
	}
	return int(n)
}

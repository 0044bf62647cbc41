// Package codec stores samples in few bytes and gives them back exactly.
//
// A chunk is one series over a span of time: two columns, times and values,
// each turned into small integers that are bit-packed with exceptions
// ("patched frame of reference": Zukowski, Héman, Nes, Boncz, Super-Scalar
// RAM-CPU Cache Compression, ICDE 2006). Values that are decimals or integers
// are scaled to integers first; true floating-point values fall back to the
// exclusive or with their neighbour (after Ratanaworabhan, Ke, Burtscher, Fast
// Lossless Compression of Scientific Floating-Point Data, DCC 2006).
//
// Everything here is pure computation on slices. Decoding never trusts its
// input: damaged bytes give ErrCorrupt, never a panic or a huge allocation.
package codec

import "errors"

// Point is one sample: T in milliseconds since 1970-01-01 UTC, V finite.
type Point struct {
	T int64
	V float64
}

// ErrCorrupt tells that bytes are not what an encoder of this package wrote.
var ErrCorrupt = errors.New("codec: damaged data")

// maxCount bounds how many points or rollups one block may claim to have.
const maxCount = 1 << 20

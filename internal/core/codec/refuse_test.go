package codec

import (
	"bytes"
	"encoding/binary"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
)

// bytesOf joins bytes (int), signed varints (int64), unsigned ones (uint64)
// and floats.
func bytesOf(parts ...any) []byte {
	var out []byte
	for _, p := range parts {
		switch v := p.(type) {
		case int:
			out = append(out, byte(v))
		case int64:
			out = binary.AppendVarint(out, v)
		case uint64:
			out = binary.AppendUvarint(out, v)
		case float64:
			out = binary.LittleEndian.AppendUint64(out, math.Float64bits(v))
		}
	}
	return out
}

// Columns that no encoder writes; each is next to one that is good.
func TestColumnsOfIntsThatCannotBe(t *testing.T) {
	zero, none := int64(0), uint64(0)
	for name, c := range map[string]struct {
		in   []byte
		n    int
		want []int64 // nil for a refusal
	}{
		"no order":                           {bytesOf(0<<6|8, zero, none, 2*5, 2*6), 2, []int64{5, 6}},
		"order 1 of two":                     {bytesOf(1<<6|8, int64(5), zero, none, 2), 2, []int64{5, 6}},
		"order 1 of one":                     {bytesOf(1<<6|8, int64(5), zero, none), 1, nil},
		"order 2 of two":                     {bytesOf(2<<6|8, int64(5), int64(1), zero, none), 2, nil},
		"order 2 of three":                   {bytesOf(2<<6|8, int64(5), int64(1), zero, none, 2), 3, []int64{5, 6, 8}},
		"order 3":                            {bytesOf(3<<6|8, int64(5), int64(1), zero, none, 2), 3, nil},
		"64 bits":                            {bytesOf(63, 64, zero, none, 2, 0, 0, 0, 0, 0, 0, 0), 1, []int64{1}},
		"65 bits":                            {bytesOf(63, 65, zero, none, 2, 0, 0, 0, 0, 0, 0, 0, 0), 1, nil},
		"too few bytes":                      {bytesOf(16, zero, none, 2, 0, 2), 2, nil},
		"an exception for each":              {bytesOf(0, zero, uint64(2), none, uint64(2), uint64(1), uint64(4)), 2, []int64{1, 2}},
		"more exceptions than values":        {bytesOf(0, zero, uint64(3), none, uint64(2), uint64(1), uint64(4), none, uint64(4)), 2, nil},
		"an exception behind the last value": {bytesOf(0, zero, uint64(1), uint64(2), uint64(2)), 2, nil},
		"an exception that goes round": {
			bytesOf(0, zero, uint64(2), uint64(1), uint64(2), uint64(math.MaxUint64), uint64(2)), 2, nil,
		},
		"high bits that fit": {
			bytesOf(60, zero, uint64(1), 0, 0, 0, 0, 0, 0, 0, 0, none, uint64(15)), 1, []int64{15 << 59},
		},
		"high bits that do not fit": {bytesOf(60, zero, uint64(1), 0, 0, 0, 0, 0, 0, 0, 0, none, uint64(16)), 1, nil},
		"an exception to 64 bits":   {bytesOf(63, 64, zero, uint64(1), 2, 0, 0, 0, 0, 0, 0, 0, none, uint64(1)), 1, nil},
	} {
		r := reader{in: c.in}
		got := r.ints(nil, c.n)
		if c.want == nil {
			assert.True(t, r.bad, "%s: %v", name, got)
			continue
		}
		assert.False(t, r.bad, name)
		assert.Equal(t, c.want, got, name)
	}
}

func TestColumnsOfFloatsThatCannotBe(t *testing.T) {
	zero, none := int64(0), uint64(0)
	ints := func(scale int, more ...any) []byte {
		return bytesOf(append([]any{scale + scaleBias, 0<<6 | 8, zero, none, 2 * 5, 2 * 6}, more...)...)
	}
	for name, c := range map[string]struct {
		in   []byte
		want []float64 // nil for a refusal
	}{
		"whole":                        {ints(0, none), []float64{5, 6}},
		"billions":                     {ints(-9, none), []float64{5e9, 6e9}},
		"nine decimals":                {ints(9, none), []float64{5e-9, 6e-9}},
		"ten decimals":                 {ints(10, none), nil},
		"tens of billions":             {ints(-10, none), nil},
		"the last aside":               {ints(0, uint64(1), uint64(1), 0.1), []float64{5, 0.1}},
		"both aside":                   {ints(0, uint64(2), none, 0.1, uint64(1), 0.2), []float64{0.1, 0.2}},
		"aside behind the last":        {ints(0, uint64(1), uint64(2), 0.1), nil},
		"aside goes round":             {ints(0, uint64(2), uint64(1), 0.1, uint64(math.MaxUint64), 0.1), nil},
		"aside cut":                    {ints(0, uint64(1), uint64(1), 7), nil},
		"bits":                         {bytesOf(asBits, 0.1, 0.2), []float64{0.1, 0.2}},
		"bits cut":                     {bytesOf(asBits, 0.1, 7), nil},
		"the same again":               {bytesOf(asXOR, uint64(9), 0.1, 0), []float64{0.1, 0.1}},
		"a window that was never set":  {bytesOf(asXOR, uint64(9), 0.1, 0b01), nil},
		"a window up to the last bit":  {bytesOf(asXOR, uint64(10), 0.0, 0xff, 0b0100_0000), []float64{0, math.SmallestNonzeroFloat64}},
		"a window behind the last bit": {bytesOf(asXOR, uint64(10), 0.0, 0xff, 0b1100_0001), nil},
		"longer than there is":         {bytesOf(asXOR, uint64(10), 0.1, 0), nil},
	} {
		r := reader{in: c.in}
		var s scratch
		got := r.floats(nil, 2, &s)
		if c.want == nil {
			assert.True(t, r.bad, "%s: %v", name, got)
			continue
		}
		assert.False(t, r.bad, name)
		assert.Equal(t, c.want, got, name)
	}
}

func TestBitsUpToTheLastOne(t *testing.T) {
	var w bitWriter
	w.write(0b101, 3)
	w.write(math.MaxUint64-1, 64) // reaches into a ninth byte
	w.write(0, 0)
	w.write(0x1f, 5)
	out := w.close()
	assert.Len(t, out, 9)
	in := bitReader{in: out}
	assert.Equal(t, uint64(0b101), in.read(3))
	assert.Equal(t, uint64(math.MaxUint64-1), in.read(64))
	assert.Zero(t, in.read(0))
	assert.Equal(t, uint64(0x1f), in.read(5))
	assert.False(t, in.short, "all 72 bits were there")
	assert.Zero(t, in.read(1))
	assert.True(t, in.short)
}

func TestCountsAndLengthsAreBounded(t *testing.T) {
	r := reader{in: bytesOf(uint64(maxCount), uint64(maxCount+1))}
	assert.Equal(t, maxCount, r.count())
	assert.False(t, r.bad)
	assert.Zero(t, r.count())
	assert.True(t, r.bad)
	r = reader{in: bytesOf(uint64(2), 7, 7)}
	assert.Equal(t, 2, r.length())
	assert.False(t, r.bad)
	assert.Equal(t, []byte{7, 7}, r.take(2))
	assert.False(t, r.bad)
	r = reader{in: bytesOf(uint64(3), 7, 7)}
	assert.Zero(t, r.length())
	assert.True(t, r.bad)
	r = reader{in: bytes.Repeat([]byte{0xff}, 11)}
	assert.Zero(t, r.uvarint(), "more than 64 bits")
	assert.True(t, r.bad)
}

// The sums of decimals are decimals again, as long as a float can hold them.
func TestSumsOfDecimals(t *testing.T) {
	sum := func(values ...float64) float64 {
		return Fold(nil, regular(len(values), func(i int) float64 { return values[i] }), day)[0].Sum
	}
	assert.Equal(t, 0.3, sum(0.1, 0.2), "not 0.30000000000000004")
	assert.Equal(t, 3e-9, sum(1e-9, 2e-9), "nine decimals, not 3.0000000000000004e-09")
	assert.Equal(t, 1e-10+2e-10, sum(1e-10, 2e-10), "ten are left as they are added")
	assert.Zero(t, sum(0.1, -0.1))
	large := float64(1 << 53)
	assert.Equal(t, large, sum(large-1, 1))
	assert.Equal(t, large+0.5, sum(large, 0.5), "beyond the exact integers nothing is made rounder")
}

func TestTimesHaveACommonUnit(t *testing.T) {
	for want, times := range map[int64][]int64{1: {0, 5, 7}, 5: {0, -5, 10}, 3: {-3}, 60_000: {0, 60_000, 180_000}} {
		assert.Equal(t, want, unitOf(times), times)
	}
	assert.Equal(t, int64(1), unitOf(nil), "of no times")
	assert.Equal(t, int64(1), unitOf([]int64{0, 0}), "of no distance")
}

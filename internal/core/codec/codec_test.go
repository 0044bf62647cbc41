package codec

import (
	"encoding/binary"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const t0 = 1_795_000_000_000 // some day in November 2026, in milliseconds

// regular makes n points a minute apart.
func regular(n int, value func(i int) float64) []Point {
	out := make([]Point, n)
	for i := range out {
		out[i] = Point{t0 + int64(i)*60_000, value(i)}
	}
	return out
}

func roundTrip(t *testing.T, points []Point) int {
	t.Helper()
	var e Encoder
	var d Decoder
	chunk := e.Append(nil, points)
	got, err := d.Append(nil, chunk)
	require.NoError(t, err)
	require.Len(t, got, len(points))
	for i := range points {
		require.Equal(t, points[i].T, got[i].T, "time of %d", i)
		require.Equal(t, math.Float64bits(points[i].V), math.Float64bits(got[i].V), "value of %d: %v and %v", i, points[i].V, got[i].V)
	}
	again, err := d.Append(got, chunk)
	require.NoError(t, err, "a decoder can be used again")
	require.Len(t, again, 2*len(points))
	return len(chunk)
}

func TestExtremesComeBackExactly(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	any := func(int) float64 {
		for {
			if v := math.Float64frombits(r.Uint64()); !math.IsNaN(v) && !math.IsInf(v, 0) {
				return v
			}
		}
	}
	for name, points := range map[string][]Point{
		"none":                  nil,
		"one":                   regular(1, func(int) float64 { return 21.5 }),
		"two":                   regular(2, func(i int) float64 { return float64(i) }),
		"all equal":             regular(100_000, func(int) float64 { return 35.3 }),
		"100,000 of noise":      regular(100_000, func(int) float64 { return math.Round(r.NormFloat64()*1e4)/100 + 0 }),
		"any bits":              regular(5000, any),
		"denormals":             regular(100, func(i int) float64 { return float64(i) * math.SmallestNonzeroFloat64 }),
		"largest":               regular(9, func(i int) float64 { return math.MaxFloat64 * float64(1-i%3) }),
		"huge jumps":            regular(99, func(i int) float64 { return math.Pow(-10, float64(i%18)) }),
		"at the exact limit":    regular(9, func(i int) float64 { return float64(int64(1)<<53 - 4 + int64(i)) }),
		"a third among ints":    regular(60, func(i int) float64 { return map[bool]float64{true: 1.0 / 3, false: float64(i)}[i == 31] }),
		"nine decimals":         regular(60, func(i int) float64 { return 1 + float64(i)/1e9 }),
		"ten decimals":          regular(60, func(i int) float64 { return 1 + float64(i)/1e10 }),
		"whole millions":        regular(60, func(i int) float64 { return float64(i%7) * 1e6 }),
		"rollups of a thousand": regular(60, func(i int) float64 { return float64(i/20) * 1000 }),
		"same time":             {{t0, 1}, {t0, 2}, {t0, 3}},
		"clock backwards":       {{t0, 1}, {t0 - 5000, 2}, {t0 + 1, 3}, {t0 - 86_400_000, 4}},
		"ends of time":          {{math.MinInt64, 1}, {0, 2}, {math.MaxInt64, 3}},
		"before 1970":           {{-t0, 1}, {-t0 + 1000, 2}},
	} {
		t.Run(name, func(t *testing.T) { roundTrip(t, points) })
	}
}

// What the store is made for must be small. A chunk's head takes about 25 bytes.
func TestSizes(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	level := 50.0
	walk := func(int) float64 { level += r.NormFloat64() / 2; return math.Round(level*10) / 10 }
	jittered := regular(1440, walk)
	for i := range jittered {
		jittered[i].T += r.Int64N(9) - 4
	}
	late := regular(1440, walk)
	for i := range late {
		if r.IntN(20) == 0 {
			late[i].T += 1000
		}
	}
	gaps := regular(1440, walk)
	for i := 700; i < len(gaps); i++ {
		gaps[i].T += 600_000
	}
	for name, c := range map[string]struct {
		points []Point
		most   float64 // bytes a sample
	}{
		"constant":            {regular(1440, func(int) float64 { return 99.97 }), 0.04},
		"linear counter":      {regular(1440, func(i int) float64 { return 1e6 + 150*float64(i) }), 0.04},
		"walk of tenths":      {regular(1440, walk), 0.75},
		"mostly zero":         {regular(1440, func(i int) float64 { return float64(i % 97 / 96) }), 0.15},
		"jitter of 4 ms":      {jittered, 1.4},
		"one in 20 late":      {late, 1.0},
		"one gap":             {gaps, 0.8},
		"six digits":          {regular(1440, func(int) float64 { return math.Round(1e5+r.NormFloat64()*1e3) * 1000 }), 1.8},
		"true floating-point": {regular(1440, func(int) float64 { return r.NormFloat64() }), 8.1},
	} {
		size := float64(roundTrip(t, c.points)) / float64(len(c.points))
		t.Logf("%-20s %.2f B a sample", name, size)
		assert.LessOrEqual(t, size, c.most, name)
	}
}

func TestSummaryIsReadWithoutThePoints(t *testing.T) {
	var e Encoder
	var d Decoder
	points := []Point{{t0, 2.5}, {t0 + 60_000, -1}, {t0 + 120_000, 9}}
	s, err := d.Summary(e.Append(nil, points))
	require.NoError(t, err)
	assert.Equal(t, Summary{Count: 3, First: t0, Last: t0 + 120_000, Min: -1, Max: 9, Sum: 10.5}, s)
	s, err = d.Summary(e.Append(nil, nil))
	require.NoError(t, err)
	assert.Equal(t, Summary{}, s)
}

// slowInts is the obvious way to write what appendInts writes, bit by bit
// and without choosing: every order and width must decode to the same.
func slowInts(values []int64, order int, width uint, reference int64) []byte {
	rests := append([]int64(nil), values...)
	var heads []int64
	for range order {
		heads = append(heads, rests[0])
		for i := range len(rests) - 1 {
			rests[i] = rests[i+1] - rests[i]
		}
		rests = rests[:len(rests)-1]
	}
	out := []byte{byte(order)<<6 | byte(min(width, 63))}
	if width >= 63 {
		out = append(out, byte(width))
	}
	for _, h := range heads {
		out = binary.AppendVarint(out, h)
	}
	out = binary.AppendVarint(out, reference)
	var flags []bool
	var exceptions []byte
	count, last := 0, 0
	for i, v := range rests {
		z := uint64(v-reference)<<1 ^ uint64((v-reference)>>63)
		for b := range width {
			flags = append(flags, z>>b&1 == 1)
		}
		if width < 64 && z>>width != 0 {
			exceptions = binary.AppendUvarint(binary.AppendUvarint(exceptions, uint64(i-last)), z>>width)
			count, last = count+1, i
		}
	}
	out = binary.AppendUvarint(out, uint64(count))
	packed := make([]byte, (len(flags)+7)/8)
	for i, f := range flags {
		if f {
			packed[i/8] |= 1 << (i % 8)
		}
	}
	return append(append(out, packed...), exceptions...)
}

func TestIntsAgainstTheObviousWay(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for round := range 300 {
		values := make([]int64, 1+r.IntN(40))
		for i := range values {
			values[i] = int64(r.Uint64()) >> r.IntN(64)
		}
		var s scratch
		quick := appendInts(nil, values, &s)
		for order := 0; order < min(3, len(values)); order++ {
			width := uint(r.IntN(65))
			slow := slowInts(values, order, width, values[r.IntN(len(values))])
			for what, in := range map[string][]byte{"quick": quick, "slow": slow} {
				rd := reader{in: in}
				require.Equal(t, values, rd.ints(nil, len(values)), "round %d %s order %d width %d", round, what, order, width)
				require.Empty(t, rd.in)
			}
			assert.LessOrEqual(t, len(quick), len(slow)*6/5+9, "the choice is hardly worse than any other: reference and gaps are guessed")
		}
	}
}

// Damaged bytes must give an error or points, never a panic.
func TestDamageIsSurvived(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	var e Encoder
	var d Decoder
	for _, points := range [][]Point{
		regular(50, func(i int) float64 { return float64(i % 9) }), regular(50, func(int) float64 { return r.NormFloat64() }),
	} {
		whole := e.Append(nil, points)
		for n := range len(whole) {
			_, err := d.Append(nil, whole[:n])
			assert.ErrorIs(t, err, ErrCorrupt, "cut at %d", n)
		}
		for range 20_000 {
			spoilt := append([]byte(nil), whole...)
			for range 1 + r.IntN(3) {
				spoilt[r.IntN(len(spoilt))] = byte(r.Uint32())
			}
			got, err := d.Append(nil, spoilt)
			assert.True(t, err != nil || len(got) <= maxCount)
		}
	}
}

func FuzzRoundTrip(f *testing.F) {
	f.Add([]byte{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18})
	f.Fuzz(func(t *testing.T, data []byte) {
		var points []Point
		at := int64(t0)
		for len(data) >= 9 {
			at += int64(int8(data[0])) * 250
			v := math.Float64frombits(binary.LittleEndian.Uint64(data[1:]))
			if data[0]%3 == 0 {
				v = float64(int16(binary.LittleEndian.Uint16(data[1:]))) / 10
			}
			data = data[9:]
			if !math.IsNaN(v) && !math.IsInf(v, 0) {
				points = append(points, Point{at, v + 0})
			}
		}
		for i, p := range points {
			if p.V == 0 {
				points[i].V = 0 // the sign of zero is not kept
			}
		}
		roundTrip(t, points)
	})
}

func FuzzDecode(f *testing.F) {
	var e Encoder
	f.Add(e.Append(nil, regular(20, func(i int) float64 { return float64(i) / 10 })))
	f.Fuzz(func(t *testing.T, data []byte) {
		var d Decoder
		_, _ = d.Append(nil, data)
		_, _ = d.Summary(data)
	})
}

func BenchmarkEncode(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	points := regular(240, func(int) float64 { return math.Round(r.NormFloat64()*100) / 10 })
	var e Encoder
	var buf []byte
	for b.Loop() {
		buf = e.Append(buf[:0], points)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(points)), "ns/sample")
}

func BenchmarkDecode(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	points := regular(240, func(int) float64 { return math.Round(r.NormFloat64()*100) / 10 })
	chunk := new(Encoder).Append(nil, points)
	var d Decoder
	var buf []Point
	for b.Loop() {
		buf, _ = d.Append(buf[:0], chunk)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N*len(points)), "ns/sample")
}

package codec

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const fiveMinutes, hour, day = 300_000, 3_600_000, 86_400_000

func TestFoldKeepsEverythingThatMatters(t *testing.T) {
	begin := Begin(t0, hour)
	points := []Point{{begin + 1, 0.1}, {begin + 60_000, 0.7}, {begin + 299_999, 0.2}, {begin + 900_000, -5}}
	rollups := Fold(nil, points, fiveMinutes)
	assert.Equal(t, []Rollup{
		{T: begin, Count: 3, Sum: 1, Min: 0.1, Max: 0.7, First: 0.1, Last: 0.2}, // 0.1 + 0.7 + 0.2
		{T: begin + 900_000, Count: 1, Sum: -5, Min: -5, Max: -5, First: -5, Last: -5},
	}, rollups, "ten minutes without a point have no rollup")
	wide := Widen(nil, rollups, hour)
	assert.Equal(t, []Rollup{{T: begin, Count: 4, Sum: -4, Min: -5, Max: 0.7, First: 0.1, Last: -5}}, wide)
	assert.InDelta(t, -1, wide[0].Avg(), 1e-12)
}

func TestRollupsBeginBefore1970(t *testing.T) {
	for at, want := range map[int64]int64{0: 0, 1: 0, 299_999: 0, 300_000: 300_000, -1: -300_000, -300_000: -300_000, -300_001: -600_000} {
		assert.Equal(t, want, Begin(at, fiveMinutes), at)
	}
}

// Folding in two stages is folding at once.
func TestWidenEqualsFold(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	for _, part := range []float64{1, 10, 1000} { // sums of decimals stay decimals
		points := regular(3000, func(int) float64 { return float64(r.IntN(1000)) / part })
		narrow := Fold(nil, points, fiveMinutes)
		assert.Equal(t, Fold(nil, points, hour), Widen(nil, narrow, hour))
		assert.Equal(t, Fold(nil, points, day), Widen(nil, Widen(nil, narrow, hour), day))
	}
}

func rollupsRoundTrip(t *testing.T, rollups []Rollup, width int64) int {
	t.Helper()
	var e Encoder
	var d Decoder
	block := e.AppendRollups(nil, rollups, width)
	got, err := d.AppendRollups(nil, block)
	require.NoError(t, err)
	require.Equal(t, len(rollups), len(got))
	for i := range rollups {
		require.Equal(t, rollups[i], got[i])
	}
	for n := range len(block) {
		_, err := d.AppendRollups(nil, block[:n])
		require.ErrorIs(t, err, ErrCorrupt, "cut at %d", n)
	}
	return len(block)
}

func TestRollupsComeBackExactly(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 9))
	level := 40.0
	walk := regular(1440, func(int) float64 { level += r.NormFloat64(); return math.Round(level*10) / 10 })
	size := rollupsRoundTrip(t, Fold(nil, walk, fiveMinutes), fiveMinutes)
	t.Logf("five minutes of a walk of tenths: %.2f B a rollup", float64(size)/288)
	assert.Less(t, size, 288*5)
	holes := append(append([]Point(nil), walk[:100]...), walk[900:]...)
	rollupsRoundTrip(t, Fold(nil, holes, fiveMinutes), fiveMinutes)
	rollupsRoundTrip(t, Fold(nil, regular(600, func(int) float64 { return r.NormFloat64() }), fiveMinutes), fiveMinutes)
	rollupsRoundTrip(t, Fold(nil, regular(600, func(i int) float64 { return float64(i) * 1e14 }), hour), hour)
	rollupsRoundTrip(t, Fold(nil, regular(60, func(int) float64 { return 3 }), day), day)
	mixed := regular(600, func(i int) float64 { return []float64{1e15, 0.001, math.Pi}[i%3] })
	rollupsRoundTrip(t, Fold(nil, mixed, fiveMinutes), fiveMinutes)
	rollupsRoundTrip(t, nil, hour)
	_, err := new(Decoder).AppendRollups(nil, []byte{9})
	assert.ErrorIs(t, err, ErrCorrupt)
}

func FuzzDecodeRollups(f *testing.F) {
	var e Encoder
	f.Add(e.AppendRollups(nil, Fold(nil, regular(99, func(i int) float64 { return float64(i) / 4 }), fiveMinutes), fiveMinutes))
	f.Fuzz(func(t *testing.T, data []byte) {
		var d Decoder
		_, _ = d.AppendRollups(nil, data)
	})
}

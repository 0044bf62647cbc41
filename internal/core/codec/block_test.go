package codec

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBlocksKeepOrderAndSeries(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	var points []Tagged
	for device := range 50 {
		for series := range 20 {
			points = append(points, Tagged{int64(device*20 + series), Point{t0 + int64(device)*17, float64(r.IntN(2000)) / 10}})
		}
	}
	points = append(points, Tagged{-5, Point{-1, r.NormFloat64()}}, Tagged{1 << 60, Point{1 << 62, 0}})
	block := AppendBlock(nil, points)
	assert.Less(t, len(block), len(points)*6, "one byte for the series, one for the time, three for the value")
	var got []Tagged
	require.NoError(t, EachOfBlock(block, func(p Tagged) { got = append(got, p) }))
	assert.Equal(t, points, got)
	for n := range len(block) {
		assert.ErrorIs(t, EachOfBlock(block[:n], func(Tagged) {}), ErrCorrupt)
	}
	assert.ErrorIs(t, EachOfBlock(append(block, 0), func(Tagged) {}), ErrCorrupt)
	require.NoError(t, EachOfBlock(AppendBlock(nil, nil), func(Tagged) { t.Fail() }))
}

func FuzzDecodeBlock(f *testing.F) {
	f.Add(AppendBlock(nil, []Tagged{{1, Point{t0, 2.5}}, {2, Point{t0, 1e300}}}))
	f.Fuzz(func(_ *testing.T, data []byte) { _ = EachOfBlock(data, func(Tagged) {}) })
}

// BenchmarkBlock is what a commit encodes for each sample.
func BenchmarkBlock(b *testing.B) {
	var points []Tagged
	for i := range int64(10_000) {
		points = append(points, Tagged{i, Point{t0 + i%7, float64(i%1000) / []float64{1, 10, 1000}[i/100%3]}})
	}
	var block []byte
	for b.Loop() {
		block = AppendBlock(block[:0], points)
	}
	b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(len(points)), "ns/sample")
	b.ReportMetric(float64(len(block))/float64(len(points)), "B/sample")
}

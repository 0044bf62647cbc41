package codec

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTrailGivesBackWhatWasAdded(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	var tr Trail
	assert.Empty(t, tr.Points(nil))
	for range 3 { // it can be used again
		var want []Point
		at := int64(-t0)
		for i := range 500 {
			at += r.Int64N(100_000) - 100
			v := []float64{35.3, 35.3, math.Pi, 0, -1e300, math.SmallestNonzeroFloat64, float64(i)}[r.IntN(7)]
			want = append(want, Point{at, v})
			tr.Add(want[i])
		}
		assert.Equal(t, want, tr.Points(nil))
		assert.Equal(t, 500, tr.Len())
		tr.Reset()
		assert.Zero(t, tr.Len())
	}
	for i := range 60 {
		tr.Add(Point{t0 + int64(i)*30_000, 42.5})
	}
	assert.Less(t, len(tr.data), 60*5, "three bytes of time, one of value")
}

package aggregate

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/codec"
)

// fold makes rollups of a minute; a value of each half minute, -1 for none.
func fold(values ...float64) []codec.Rollup {
	var points []codec.Point
	for i, v := range values {
		if v >= 0 {
			points = append(points, codec.Point{T: int64(i) * 30_000, V: v})
		}
	}
	return codec.Fold(nil, points, 60_000)
}

func TestAcross(t *testing.T) {
	a, b := fold(1, 3, 5, 5, -1, -1), fold(10, 20, -1, -1, 7, -1)
	for how, want := range map[How][]Value{
		Sum: {{0, 17, 2}, {60_000, 5, 1}, {120_000, 7, 1}}, // means: 2 + 15
		Avg: {{0, 8.5, 2}, {60_000, 5, 1}, {120_000, 7, 1}},
		Min: {{0, 1, 2}, {60_000, 5, 1}, {120_000, 7, 1}},
		Max: {{0, 20, 2}, {60_000, 5, 1}, {120_000, 7, 1}},
	} {
		assert.True(t, how.Valid())
		x := NewAcross(how)
		x.Add(a)
		x.Add(b)
		x.Add(nil)
		assert.Equal(t, want, x.Values(), how)
	}
	assert.Empty(t, NewAcross(Sum).Values())
	assert.False(t, How("median").Valid())
}

func TestTopAgainstSortingAll(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 5))
	for _, how := range []How{Sum, Avg, Min, Max} {
		top := NewTop(5, how)
		var all []Ranked
		for id := range int64(100) {
			rollups := fold(float64(r.IntN(50)), float64(r.IntN(50)), -1, float64(r.IntN(50)))
			top.Add(id, rollups)
			var whole codec.Rollup
			for _, s := range rollups {
				whole.Join(&s)
			}
			all = append(all, Ranked{id, value(how, whole)})
		}
		slices.SortStableFunc(all, func(a, b Ranked) int {
			if a.V > b.V {
				return -1
			}
			if a.V < b.V {
				return 1
			}
			return 0
		})
		assert.Equal(t, all[:5], top.Ranks(), how)
	}
	few := NewTop(5, Max)
	few.Add(1, nil)
	few.Add(2, fold(3))
	assert.Equal(t, []Ranked{{2, 3}}, few.Ranks())
	none := NewTop(0, Max)
	none.Add(2, fold(3))
	assert.Empty(t, none.Ranks())
}

func TestTopTakesNoMoreThanAsked(t *testing.T) {
	top := NewTop(1, Max)
	for id, v := range []float64{5, 5, 9, 3} {
		top.Add(int64(id), fold(v))
	}
	assert.Equal(t, []Ranked{{2, 9}}, top.Ranks())
	NewTop(-1, Max).Add(1, fold(1)) // asks for nothing, and gets it
}

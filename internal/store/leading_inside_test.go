package store

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestTheLeadingAreThoseOfAnOrderOfAll(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 26))
	for range 300 {
		all := make([]keyed, r.IntN(60))
		for i := range all {
			all[i] = keyed{id: int64(i + 1), has: r.IntN(4) > 0, key: float64(r.IntN(9))}
		}
		ordered := slices.SortedFunc(slices.Values(all), keyed.compare)
		for _, n := range []int{0, 1, 3, len(all) / 2, len(all), len(all) + 5} {
			assert.Equal(t, append([]keyed{}, ordered[:min(n, len(all))]...), append([]keyed{}, leading(all, n)...))
		}
	}
}

func TestSeriesWithoutAValueComeLast(t *testing.T) {
	all := []keyed{{1, false, 0}, {2, true, 7}, {3, true, 5}, {4, true, 5}}
	var ids []int64
	for _, k := range leading(all, 4) {
		ids = append(ids, k.id)
	}
	assert.Equal(t, []int64{3, 4, 2, 1}, ids)
}

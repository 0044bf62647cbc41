package engine

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

// Whatever kinds of things wait, each is a piece of its own, and none is forgotten.
func TestEachKindIsAPiece(t *testing.T) {
	kinds := []aside{
		{Texts: make([]domain.SeriesText, 1)}, {States: make([]seriesState, 1)}, {Sources: make([]domain.Source, 1)},
		{Uptimes: make([]uptimes, 1)}, {Jumps: make([]domain.Jump, 1)}, {Implausible: make([]domain.ImplausibleValue, 1)},
	}
	for chosen := range 1 << len(kinds) {
		var a aside
		var want []aside
		for i, k := range kinds {
			if chosen&(1<<i) != 0 {
				a.add(k)
				want = append(want, k)
			}
		}
		assert.Equal(t, chosen == 0, a.empty(), "kinds %b", chosen)
		assert.Equal(t, want, a.pieces(), "kinds %b", chosen)
	}
}

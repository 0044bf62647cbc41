package store_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// A scope of many scattered places reaches the same as one of few neighbours: it is only
// asked for otherwise.
func TestScopesOfManyRunsReachWhatTheyAre(t *testing.T) {
	s := testkit.Store(t)
	ctx := t.Context()
	root, err := s.Places.Save(ctx, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	var all []domain.ID
	for i := range 80 {
		p, err := s.Places.Save(ctx, domain.Place{ParentID: root.ID, Name: fmt.Sprint("Site ", i), Kind: domain.Site})
		require.NoError(t, err)
		all = append(all, p.ID)
	}
	for _, step := range []int{1, 2, 3, 40} { // 1, 40, 27 and 2 runs
		var some []domain.ID
		for i := 0; i < len(all); i += step {
			some = append(some, all[i])
		}
		seen := s.Seen(domain.Only(some...))
		found, err := seen.Places.All(ctx)
		require.NoError(t, err)
		var got []domain.ID
		for _, p := range found {
			got = append(got, p.ID)
		}
		assert.ElementsMatch(t, some, got, "every %d", step)
	}
	none, err := s.Seen(domain.Only()).Places.All(ctx)
	require.NoError(t, err)
	assert.Empty(t, none)
}

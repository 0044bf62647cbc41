package watch_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/testkit"
)

// Of many places those below others are folded while they are fine; what is in trouble is
// never folded.
func TestManyPlacesAreFolded(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	var groups []domain.Place
	for s := range 3 {
		site := w.place(t, fmt.Sprintf("Site %d", s))
		for g := range 25 {
			p, err := w.store.Places.Save(ctx, domain.Place{ParentID: site.ID, Name: fmt.Sprintf("Group %d-%d", s, g), Kind: domain.Group})
			require.NoError(t, err)
			groups = append(groups, p)
		}
	}
	w.device(t, groups[30].ID, "a", domain.Critical) // of Site 1
	w.device(t, groups[0].ID, "b", domain.Fine)

	o, err := w.Overview(ctx, testkit.Anyone, nil, now)
	require.NoError(t, err)
	assert.Equal(t, []string{"Group 1-5", "Site 1", "Site 0", "Site 2"}, namesOf(o.Places), "the worst first")
	assert.Equal(t, 78, o.InAll)
	assert.Equal(t, []int{0, 24, 25, 25}, []int{o.Places[0].Folded, o.Places[1].Folded, o.Places[2].Folded, o.Places[3].Folded})
	assert.Equal(t, domain.Critical, o.Places[1].Health, "what is in it counts")
	assert.Zero(t, o.Unshown)

	o, err = w.Overview(ctx, testkit.Anyone, []domain.ID{groups[0].ParentID}, now)
	require.NoError(t, err)
	assert.Len(t, o.Places, 4+25, "those in an open one come after it")
	assert.Equal(t, []string{"Site 0", "Group 0-0"}, namesOf(o.Places)[2:4])
	assert.Equal(t, "Site 2", o.Places[28].Name)
}

func namesOf(places []watch.Place) (out []string) {
	for _, p := range places {
		out = append(out, p.Name)
	}
	return out
}

func TestWhatIsNotShownIsTold(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	for i := range 70 {
		p := w.place(t, fmt.Sprintf("Site %02d", i))
		health := domain.Fine
		if i < 65 {
			health = domain.Warning
		}
		w.device(t, p.ID, fmt.Sprint("d", i), health)
	}
	o, err := w.Overview(ctx, testkit.Anyone, nil, now)
	require.NoError(t, err)
	assert.Len(t, o.Places, 60)
	assert.Equal(t, 10, o.Unshown)
	assert.Equal(t, 5, o.UnshownBad)
}

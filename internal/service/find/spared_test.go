package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/testkit"
)

// Of the 16 addresses of a /28 the four of a /30 are left alone: 12 are asked.
func TestSweepsLeaveAloneWhatPlacesSay(t *testing.T) {
	w := setup(t)
	w.network.devices["192.0.2.5"] = answer("spared", "aa")
	w.network.devices["192.0.2.9"] = answer("asked", "bb")
	line, err := w.store.Places.Save(t.Context(), domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := w.store.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site, ParentID: line.ID})
	require.NoError(t, err)
	other, err := w.store.Places.Save(t.Context(), domain.Place{Name: "Elsewhere", Kind: domain.Organisation})
	require.NoError(t, err)
	alone := domain.Override{PlaceID: line.ID, Key: domain.SettingLeaveAlone, Value: "192.0.2.4/30"}
	require.NoError(t, w.store.Overrides.Set(t.Context(), alone, 0))
	for _, c := range []struct {
		name         string
		place        domain.ID
		tried, found int64
		why          string
	}{
		{"below", pier.ID, 12, 1, "set at the place Line"},
		{"elsewhere", other.ID, 16, 2, "it is set nowhere"},
		{"the whole tree", 0, 12, 1, "what any place says, since the sweep is for the whole tree"},
	} {
		d := draft("192.0.2.0/28")
		d.Name, d.PlaceID = c.name, c.place
		sweep, finds := w.sweep(t, d)
		assert.Equal(t, c.tried, sweep.Tried, c.name)
		assert.Equal(t, c.tried, sweep.Total, c.name)
		assert.Len(t, finds, int(c.found), c.name)
		spared, err := w.Spared(t.Context(), testkit.Anyone, sweep.ID)
		require.NoError(t, err)
		assert.Equal(t, 16-c.tried, spared.Count, c.name)
		assert.Equal(t, c.why, spared.Why.Answer, c.name)
	}
}

// A sweep that was made before a place was bound asks nothing outside; a new one is refused.
func TestSweepsStayInsideOfTheBoundsOfTheirPlace(t *testing.T) {
	w, ctx := setup(t), t.Context()
	w.network.devices["192.0.2.5"] = answer("inside", "aa")
	w.network.devices["192.0.2.9"] = answer("outside", "bb")
	line, err := w.store.Places.Save(ctx, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := w.store.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site, ParentID: line.ID})
	require.NoError(t, err)
	d := draft("192.0.2.0/28")
	d.PlaceID = pier.ID
	before, err := w.Create(ctx, testkit.Anyone, d)
	require.NoError(t, err)
	require.NoError(t, w.store.Overrides.Set(ctx, domain.Override{PlaceID: line.ID, Key: domain.SettingTalkTo, Value: "192.0.2.0/29"}, 0))

	d.Name = "again"
	_, err = w.Create(ctx, testkit.Anyone, d)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Equal(t, "192.0.2.8 lies outside of what the place Line lets be talked to: leave it out.", errs["ranges"])

	require.NoError(t, w.Start(ctx, testkit.Anyone, before.ID))
	sweep, finds := w.finish(t, before.ID)
	assert.Equal(t, int64(8), sweep.Tried, "of 16 the lower half")
	require.Len(t, finds, 1)
	spared, err := w.Spared(ctx, testkit.Anyone, sweep.ID)
	require.NoError(t, err)
	assert.Equal(t, int64(8), spared.Count)
	assert.Equal(t, "what its place does not let be talked to", spared.Why.Answer)

	elsewhere, err := w.store.Places.Save(ctx, domain.Place{Name: "Kiosks", Kind: domain.Group, ParentID: pier.ID})
	require.NoError(t, err)
	require.NoError(t, w.store.Overrides.Set(ctx, domain.Override{PlaceID: elsewhere.ID, Key: domain.SettingTalkTo, Value: "192.0.2.1"}, 0))
	_, err = w.Adopt(ctx, testkit.Anyone, sweep.ID, find.Adoption{FindIDs: []domain.ID{finds[0].ID}, PlaceID: elsewhere.ID})
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs["find_ids"], "Kiosks")
}

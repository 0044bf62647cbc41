package find_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
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

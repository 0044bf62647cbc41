package app

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// What a team may do by a tag follows the tag, and the device, at once.
func TestWhatIsGrantedByATagFollowsIt(t *testing.T) {
	r, ctx := start(t), t.Context()
	place := func(name string, parent domain.ID) domain.ID {
		p, err := r.Places.Save(ctx, testkit.Anyone, domain.Place{Name: name, Kind: domain.Site, ParentID: parent})
		require.NoError(t, err)
		return p.ID
	}
	line, err := r.Places.Save(ctx, testkit.Anyone, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, house := place("Pier", line.ID), place("House", line.ID)
	other, err := r.Places.Save(ctx, testkit.Anyone, domain.Place{Name: "Other", Kind: domain.Organisation})
	require.NoError(t, err)
	add := func(name string, n byte) domain.Device {
		d, err := r.Store.Devices.Add(ctx, domain.Device{PlaceID: pier, Name: name, Kind: "kiosk", CreatedAt: time.Now(),
			Address: netip.AddrFrom4([4]byte{192, 0, 2, n})}, "", nil)
		require.NoError(t, err)
		return d
	}
	kiosk, beside := add("np-kiosk-1", 1), add("np-kiosk-2", 2)
	team, err := r.People.SaveTeam(ctx, testkit.Anyone, domain.Team{Name: "Night shift", Grants: []domain.Grant{
		{PlaceID: line.ID, Level: domain.AccessConfigure, Tag: "night"},
	}})
	require.NoError(t, err)
	assert.Equal(t, "night", team.Grants[0].Tag)
	u, err := r.People.Add(ctx, testkit.Anyone, people.Draft{Name: "tern", Teams: []domain.ID{team.ID}, Secret: "outer-quay"})
	require.NoError(t, err)
	seen := func() (names []string) {
		who, err := r.People.Actor(ctx, u.ID, "")
		require.NoError(t, err)
		if who.Scope(domain.AreaWatch, domain.AccessSee).None() {
			return nil
		}
		found, err := r.Watch.Devices(ctx, who, domain.DeviceFilter{Limit: 10}, time.Now())
		require.NoError(t, err)
		for _, d := range found.Rows {
			names = append(names, d.Name)
		}
		return names
	}
	tag := func(thing inherit.Thing, unset bool) {
		require.NoError(t, r.Attributes.Set(ctx, testkit.Anyone, thing, []attributes.Change{{Name: "night", Tag: true, Unset: unset}}))
	}
	assert.Empty(t, seen())
	tag(inherit.Device(kiosk.ID), false)
	assert.Equal(t, []string{"np-kiosk-1"}, seen())

	// She may change it where it stands, and not put it where she may do nothing.
	who, err := r.People.Actor(ctx, u.ID, "")
	require.NoError(t, err)
	draft := devices.Draft{Name: kiosk.Name, Address: kiosk.Address.String(), PlaceID: pier, Friendly: "the one by the gate"}
	_, err = r.Devices.Change(ctx, who, kiosk.ID, draft)
	require.NoError(t, err)
	draft.PlaceID = house
	_, err = r.Devices.Change(ctx, who, kiosk.ID, draft)
	assert.ErrorAs(t, err, new(domain.FieldErrors))
	_, err = r.Devices.Change(ctx, who, beside.ID, draft)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	assert.ErrorAs(t, r.Places.MoveDevices(ctx, who, []domain.ID{kiosk.ID}, house), new(domain.FieldErrors))
	places, err := r.Places.Where(ctx, who, domain.AreaCollect, domain.AccessConfigure)
	require.NoError(t, err)
	assert.Empty(t, places)

	allowed, err := r.People.Allowed(ctx, testkit.Anyone, u.ID, line.ID, "np-kiosk-1")
	require.NoError(t, err)
	assert.Equal(t, domain.AccessConfigure, allowed[0].Level)
	allowed, err = r.People.Allowed(ctx, testkit.Anyone, u.ID, pier, "")
	require.NoError(t, err)
	assert.Empty(t, allowed[0].Level)
	assert.Contains(t, allowed[0].Why.Facts[0].Detail, "unlike 1 device there or below")
	_, err = r.People.Allowed(ctx, who, u.ID, pier, "np-kiosk-2")
	assert.ErrorAs(t, err, new(domain.FieldErrors), "of what she does not see nothing is told")

	tag(inherit.Place(house), false)
	draft = devices.Draft{Name: beside.Name, Address: beside.Address.String(), PlaceID: house}
	_, err = r.Devices.Change(ctx, testkit.Anyone, beside.ID, draft)
	require.NoError(t, err)
	assert.Equal(t, []string{"np-kiosk-1", "np-kiosk-2"}, seen(), "it stands at a place that carries it now")
	require.NoError(t, r.Places.MoveDevices(ctx, testkit.Anyone, []domain.ID{kiosk.ID}, other.ID))
	assert.Equal(t, []string{"np-kiosk-2"}, seen(), "it left the part of the tree that the grant is for")
	tag(inherit.Place(house), true)
	assert.Empty(t, seen())
}

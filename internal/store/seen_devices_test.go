package store_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// Of devices that are seen by themselves everything is seen, of the place where they stand
// its name alone, and of what stands beside them nothing.
func TestDevicesThatAreSeenByThemselves(t *testing.T) {
	s := testkit.Store(t)
	ctx := t.Context()
	line, err := s.Places.Save(ctx, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := s.Places.Save(ctx, domain.Place{ParentID: line.ID, Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	_, err = s.Credentials.Add(ctx, domain.Credential{Name: "pier", Kind: "community", PlaceID: pier.ID}, domain.Secrets{"community": "c"})
	require.NoError(t, err)
	require.NoError(t, s.Overrides.Set(ctx, domain.Override{PlaceID: pier.ID, Key: domain.SettingStretch, Value: "3"}, 0))
	tag := domain.Attribute{PlaceID: pier.ID, Name: "of the pier", Tag: true}
	require.NoError(t, s.Attributes.Set(ctx, []domain.Attribute{tag}))
	all := map[domain.ID]domain.ID{}
	var ids []domain.ID
	for i := range 80 {
		d, err := s.Devices.Add(ctx, domain.Device{PlaceID: pier.ID, Name: fmt.Sprint("kiosk-", i), CreatedAt: time.Now(),
			Address: netip.AddrFrom4([4]byte{192, 0, 2, byte(i + 1)})}, "", nil)
		require.NoError(t, err)
		_, err = s.Series.Add(ctx, []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "r", Name: "R", Interval: time.Minute}})
		require.NoError(t, err)
		all[d.ID], ids = pier.ID, append(ids, d.ID)
	}
	for _, step := range []int{1, 2, 40} { // 1, 40 and 2 runs
		some := map[domain.ID]domain.ID{}
		for i := 0; i < len(ids); i += step {
			some[ids[i]] = pier.ID
		}
		seen := s.Seen(domain.Only().And(some))
		names, err := seen.Devices.Names(ctx, ids)
		require.NoError(t, err)
		assert.Len(t, names, len(some), "every %d", step)
		series, err := seen.Series.AllIDs(ctx)
		require.NoError(t, err)
		assert.Len(t, series, len(some))
		places, err := seen.Places.All(ctx)
		require.NoError(t, err)
		require.Len(t, places, 1)
		assert.Equal(t, "Pier", places[0].Name)
		for _, none := range []func() (int, error){
			func() (int, error) { x, err := seen.Credentials.All(ctx); return len(x), err },
			func() (int, error) { x, err := seen.Overrides.All(ctx); return len(x), err },
			func() (int, error) { x, err := seen.Attributes.All(ctx); return len(x), err },
		} {
			n, err := none()
			require.NoError(t, err)
			assert.Zero(t, n)
		}
	}
	// Within a scope that has their place they add nothing.
	assert.Equal(t, fmt.Sprint(pier.ID), domain.Only(pier.ID).And(all).Key())
}

func TestWhatCarriesATag(t *testing.T) {
	s := testkit.Store(t)
	ctx := t.Context()
	line, err := s.Places.Save(ctx, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := s.Places.Save(ctx, domain.Place{ParentID: line.ID, Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	house, err := s.Places.Save(ctx, domain.Place{ParentID: line.ID, Name: "House", Kind: domain.Site})
	require.NoError(t, err)
	desk, err := s.Places.Save(ctx, domain.Place{ParentID: house.ID, Name: "Desk", Kind: domain.Group})
	require.NoError(t, err)
	d, err := s.Devices.Add(ctx, domain.Device{PlaceID: pier.ID, Name: "kiosk", CreatedAt: time.Now(),
		Address: netip.MustParseAddr("192.0.2.1")}, "", nil)
	require.NoError(t, err)
	require.NoError(t, s.Attributes.Set(ctx, []domain.Attribute{
		{DeviceID: d.ID, Name: "night", Tag: true},
		{PlaceID: house.ID, Name: "night", Tag: true},
		{PlaceID: pier.ID, Name: "night", Value: "an attribute of the same name is no tag"},
	}))
	places, devices, err := s.Carriers(ctx, "night")
	require.NoError(t, err)
	assert.Equal(t, map[domain.ID]bool{house.ID: true, desk.ID: true}, places)
	assert.Equal(t, map[domain.ID]domain.ID{d.ID: pier.ID}, devices)
	places, devices, err = s.Carriers(ctx, "day")
	require.NoError(t, err)
	assert.Empty(t, places)
	assert.Empty(t, devices)
}

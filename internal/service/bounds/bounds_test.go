package bounds_test

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// world is Line > Pier > Kiosks and Line > Quay; in the kiosks is a switch, 192.0.2.1. The
// pier lets 192.0.2.0/24 be talked to, the quay 198.51.100.0/24.
type world struct {
	store              *store.Store
	line, pier, kiosks domain.Place
	quay               domain.Place
	sw                 domain.Device
	places             *places.Service
	devices            *devices.Service
	kits               *collect.Service
}

func setup(t *testing.T) (w world) {
	t.Helper()
	ctx := t.Context()
	w.store = testkit.Store(t)
	add := func(name string, kind domain.PlaceKind, above domain.ID, bounds string) domain.Place {
		p, err := w.store.Places.Save(ctx, domain.Place{Name: name, Kind: kind, ParentID: above})
		require.NoError(t, err)
		if bounds != "" {
			o := domain.Override{PlaceID: p.ID, Key: domain.SettingTalkTo, Value: bounds}
			require.NoError(t, w.store.Overrides.Set(ctx, o, 0))
		}
		return p
	}
	w.line = add("Line", domain.Organisation, 0, "")
	w.pier = add("Pier", domain.Site, w.line.ID, "192.0.2.0/24")
	w.kiosks = add("Kiosks", domain.Group, w.pier.ID, "")
	w.quay = add("Quay", domain.Site, w.line.ID, "198.51.100.0/24")
	var err error
	w.sw, err = w.store.Devices.Add(ctx, domain.Device{PlaceID: w.kiosks.ID, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	desk, sheets := testkit.Desk(w.store), act.NewSheets(w.store)
	w.kits = testkit.Kits(t, w.store)
	w.places = places.New(w.store, desk, sheets, func(context.Context) error { return nil })
	w.devices = devices.New(w.store, desk, sheets, w.kits, respond.New(w.store, nil, nil, nil, "", func() {}),
		func(context.Context, domain.ID) error { return nil }, func(domain.ID, string) int { return 1 })
	return w
}

// said is what is said against something at a field.
func said(t *testing.T, field string, err error) string {
	t.Helper()
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	return errs[field]
}

func TestADeviceStaysInsideOfItsBounds(t *testing.T) {
	w, ctx := setup(t), t.Context()
	draft, _, err := w.devices.Draft(ctx, testkit.Anyone, w.sw.ID)
	require.NoError(t, err)
	away := draft
	away.Address = "198.51.100.7"
	_, err = w.devices.Change(ctx, testkit.Anyone, w.sw.ID, away)
	assert.Equal(t, "np-sw-1 198.51.100.7: lies outside of what the place Pier lets be talked to.", said(t, "address", err))
	elsewhere := draft
	elsewhere.PlaceID = w.quay.ID
	_, err = w.devices.Change(ctx, testkit.Anyone, w.sw.ID, elsewhere)
	assert.Contains(t, said(t, "place", err), "Quay")
	both := away
	both.PlaceID = w.quay.ID
	_, err = w.devices.Change(ctx, testkit.Anyone, w.sw.ID, both)
	require.NoError(t, err, "with an address of the quay it may go there")
}

func TestAnEndpointStaysInsideOfItsBounds(t *testing.T) {
	w, ctx := setup(t), t.Context()
	set := func(address string) error {
		return w.kits.SetEndpoint(ctx, testkit.Anyone, w.sw.ID, "snmp", collect.EndpointDraft{Address: address})
	}
	assert.Contains(t, said(t, "address", set("198.51.100.7")), "Pier")
	require.NoError(t, set("192.0.2.200"))
	require.NoError(t, w.store.Overrides.Set(ctx, domain.Override{PlaceID: w.quay.ID, Key: domain.SettingTalkTo, Value: "192.0.2.1"}, 0))
	err := w.places.MoveDevices(ctx, testkit.Anyone, []domain.ID{w.sw.ID}, w.quay.ID)
	assert.Contains(t, said(t, "place", err), "np-sw-1 192.0.2.200", "its own address may be, that of its endpoint not")
}

func TestWhatMovesKeepsToTheBoundsOfWhereItGoes(t *testing.T) {
	w, ctx := setup(t), t.Context()
	err := w.places.MoveDevices(ctx, testkit.Anyone, []domain.ID{w.sw.ID}, w.quay.ID)
	assert.Contains(t, said(t, "place", err), "np-sw-1 192.0.2.1: lies outside of what the place Quay")
	moved := w.kiosks
	moved.ParentID = w.quay.ID
	_, err = w.places.Save(ctx, testkit.Anyone, moved)
	assert.Contains(t, said(t, "parent", err), "np-sw-1", "devices go with their place")
	moved = w.pier
	moved.ParentID = w.quay.ID
	_, err = w.places.Save(ctx, testkit.Anyone, moved)
	assert.Contains(t, said(t, "parent", err), "192.0.2.0, of what is set at Pier, lies outside of what the place Quay", "and bounds")
	is, err := w.store.Places.One(ctx, w.pier.ID)
	require.NoError(t, err)
	assert.Equal(t, w.line.ID, is.ParentID)
	require.NoError(t, w.places.MoveDevices(ctx, testkit.Anyone, []domain.ID{w.sw.ID}, w.line.ID), "the line has no bounds")
}

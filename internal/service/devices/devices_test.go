package devices_test

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// pier is an edge, a switch that is asked with a credential bound to its network,
// and what was taken up.
type pier struct {
	*devices.Service
	store    *store.Store
	edge, sw domain.Device
	quay     domain.Place
	changed  *[]domain.ID
}

func setup(t *testing.T) pier {
	t.Helper()
	s, ctx := testkit.Store(t), t.Context()
	root, err := s.Places.Save(ctx, domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	place, err := s.Places.Save(ctx, domain.Place{ParentID: root.ID, Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	quay, err := s.Places.Save(ctx, domain.Place{ParentID: root.ID, Name: "Quay", Kind: domain.Site})
	require.NoError(t, err)
	add := func(name, address string) domain.Device {
		d, err := s.Devices.Add(
			ctx,
			domain.Device{PlaceID: place.ID, Name: name, Address: netip.MustParseAddr(address), CreatedAt: time.Now()},
			"",
			nil,
		)
		require.NoError(t, err)
		return d
	}
	edge, sw := add("np-edge-1", "192.0.2.254"), add("np-sw-1", "192.0.2.1")
	c, err := s.Credentials.Add(
		ctx,
		domain.Credential{Name: "harbour", Kind: "snmp-v2c", Ranges: "192.0.2.0/24"},
		domain.Secrets{"community": "quayside"},
	)
	require.NoError(t, err)
	require.NoError(
		t,
		s.Endpoints.Save(ctx, domain.Endpoint{DeviceID: sw.ID, Way: "snmp", CredentialID: c.ID, Settings: map[string]string{}}),
	)
	changed := &[]domain.ID{}
	svc := devices.New(
		s,
		testkit.Desk(s),
		act.NewSheets(s),
		testkit.Kits(t, s),
		respond.New(s, nil, nil, nil, "", func() {}),
		func(_ context.Context, id domain.ID) error { *changed = append(*changed, id); return nil },
		func(domain.ID, string) int { return 1 },
	)
	return pier{svc, s, edge, sw, quay, changed}
}

func (p pier) draft(t *testing.T) devices.Draft {
	t.Helper()
	d, _, err := p.Draft(t.Context(), testkit.Anyone, p.sw.ID)
	require.NoError(t, err)
	return d
}

// A device that moved keeps what it is: only what was changed is another.
func TestADeviceThatMovedStaysItself(t *testing.T) {
	p, ctx := setup(t), t.Context()
	made, err := p.store.Series.Add(ctx, []domain.Series{{DeviceID: p.sw.ID, Kit: "k", Reading: "r", Name: "R", Interval: time.Minute}})
	require.NoError(t, err)
	got, err := p.Change(
		ctx,
		testkit.Anyone,
		p.sw.ID,
		devices.Draft{Name: " quay-sw-1 ", Address: "192.0.2.77", PlaceID: p.quay.ID, Via: "np-edge-1"},
	)
	require.NoError(t, err)
	assert.Equal(t, []domain.ID{p.sw.ID}, *p.changed)
	stored, err := p.store.Devices.One(ctx, p.sw.ID)
	require.NoError(t, err)
	assert.Equal(t, got.Name, stored.Name)
	assert.Equal(t, "quay-sw-1", stored.Name)
	assert.Equal(t, netip.MustParseAddr("192.0.2.77"), stored.Address)
	assert.Equal(t, p.quay.ID, stored.PlaceID)
	assert.Equal(t, devices.Draft{Name: "quay-sw-1", Address: "192.0.2.77", PlaceID: p.quay.ID, Version: 2, Via: "np-edge-1"}, p.draft(t))
	addresses, err := p.store.Devices.Addresses(ctx, p.sw.ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"192.0.2.77"}, addresses, "who answers at the old address is somebody else")
	series, err := p.store.Series.Of(ctx, p.sw.ID)
	require.NoError(t, err)
	assert.Equal(t, made[0].ID, series[0].ID, "its history stays with it")

	d := p.draft(t)
	d.Via = ""
	_, err = p.Change(ctx, testkit.Anyone, p.sw.ID, d)
	require.NoError(t, err)
	assert.Empty(t, p.draft(t).Via)
}

func TestWhatCannotBeIsRefusedAndChangesNothing(t *testing.T) {
	p, ctx := setup(t), t.Context()
	for field, change := range map[string]func(*devices.Draft){
		"name":    func(d *devices.Draft) { d.Name = " " },
		"address": func(d *devices.Draft) { d.Address = "boathouse.example" },
		"place":   func(d *devices.Draft) { d.PlaceID = 999 },
		"via":     func(d *devices.Draft) { d.Via, d.Name = "nobody", "another" },
	} {
		d := p.draft(t)
		change(&d)
		_, err := p.Change(ctx, testkit.Anyone, p.sw.ID, d)
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs, field)
		assert.Contains(t, errs, field)
	}
	d := p.draft(t)
	d.Name = "np-edge-1"
	_, err := p.Change(ctx, testkit.Anyone, p.sw.ID, d)
	assert.ErrorContains(t, err, "unique")
	d.Name, d.Via = "np-sw-1", "np-edge-1"
	_, err = p.Change(ctx, testkit.Anyone, p.sw.ID, d)
	require.NoError(t, err)
	edge, _, err := p.Draft(ctx, testkit.Anyone, p.edge.ID)
	require.NoError(t, err)
	edge.Via = "np-sw-1"
	_, err = p.Change(ctx, testkit.Anyone, p.edge.ID, edge)
	assert.ErrorContains(t, err, "through itself")
	edge.Via = "np-edge-1"
	_, err = p.Change(ctx, testkit.Anyone, p.edge.ID, edge)
	assert.ErrorContains(t, err, "through itself")
	stored, err := p.store.Devices.One(ctx, p.sw.ID)
	require.NoError(t, err)
	assert.Equal(t, p.sw.Address, stored.Address)
	_, err = p.Change(ctx, testkit.Anyone, 999, d)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// A credential goes along within the ranges that it is bound to. To send it
// elsewhere one must know it.
func TestSecretsDoNotFollowADeviceAnywhere(t *testing.T) {
	p, ctx := setup(t), t.Context()
	d := p.draft(t)
	d.Address = "198.51.100.7"
	refused := func(want string) {
		_, err := p.Change(ctx, testkit.Anyone, p.sw.ID, d)
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs)
		assert.Contains(t, errs["secret"], want)
		assert.NotContains(t, errs["secret"], "quayside")
		stored, err := p.store.Devices.One(ctx, p.sw.ID)
		require.NoError(t, err)
		assert.Equal(t, p.sw.Address, stored.Address, "nothing is half-done")
	}
	refused("“harbour” is bound to 192.0.2.0/24, and 198.51.100.7 lies outside")
	d.Secrets = domain.Secrets{"": "guess"}
	refused("not what is stored")
	d.Secrets = domain.Secrets{"community": "quayside"}
	_, err := p.Change(ctx, testkit.Anyone, p.sw.ID, d)
	require.NoError(t, err)
	all, err := p.store.Credentials.All(ctx)
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.0/24\n198.51.100.7", all[0].Ranges, "it is bound to that address as well from now on")
}

// A removed device is not there any more, and what was wrong with it is over; its
// history waits, and goes on when it is watched again, until it is deleted.
func TestRemovalKeepsTheHistory(t *testing.T) {
	p, ctx := setup(t), t.Context()
	series, err := p.store.Series.Add(ctx, []domain.Series{{DeviceID: p.sw.ID, Kit: "k", Reading: "r", Name: "R", Interval: time.Minute}})
	require.NoError(t, err)
	at := time.Now().UTC().Truncate(time.Second)
	require.NoError(
		t,
		p.store.Samples.Append(ctx, []domain.SeriesSample{{SeriesID: series[0].ID, Sample: domain.Sample{At: at, Value: 7}}}),
	)
	in, err := p.store.Incidents.Save(
		ctx,
		domain.Incident{
			DeviceID:  p.sw.ID,
			Cause:     "c",
			Title:     "t",
			Level:     2,
			Worst:     3,
			State:     domain.IncidentOpen,
			OpenedAt:  at,
			EpisodeAt: at,
		},
	)
	require.NoError(t, err)
	edge, _, err := p.Draft(ctx, testkit.Anyone, p.edge.ID)
	require.NoError(t, err)
	edge.Via = "np-sw-1"
	_, err = p.Change(ctx, testkit.Anyone, p.edge.ID, edge)
	require.NoError(t, err)

	require.NoError(t, p.Remove(ctx, testkit.Anyone, p.sw.ID, 0))
	all, err := p.store.Devices.All(ctx)
	require.NoError(t, err)
	assert.Len(t, all, 1)
	got, err := p.store.Incidents.One(ctx, in.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.IncidentResolved, got.State)
	assert.Equal(t, domain.LevelCritical, got.Level)
	edge, _, err = p.Draft(ctx, testkit.Anyone, p.edge.ID)
	require.NoError(t, err)
	assert.Empty(t, edge.Via, "nothing is reached through what is not there")
	removed, total, err := p.Removed(ctx, testkit.Anyone, domain.RemovedFilter{Search: "sw"})
	require.NoError(t, err)
	require.Len(t, removed, 1)
	assert.Equal(t, int64(1), total)
	assert.Equal(
		t,
		[]any{"np-sw-1", "192.0.2.1", "Pier", 1},
		[]any{removed[0].Name, removed[0].Address, removed[0].Place, removed[0].Series},
	)
	assert.ErrorIs(t, p.Remove(ctx, testkit.Anyone, p.sw.ID, 0), domain.ErrNotFound)

	edge.Name = "np-sw-1" // its name is free
	_, err = p.Change(ctx, testkit.Anyone, p.edge.ID, edge)
	require.NoError(t, err)
	_, err = p.Restore(ctx, testkit.Anyone, p.sw.ID)
	assert.ErrorIs(t, err, domain.ErrConflict)
	edge.Name, edge.Version = "np-edge-1", edge.Version+1
	_, err = p.Change(ctx, testkit.Anyone, p.edge.ID, edge)
	require.NoError(t, err)
	back, err := p.Restore(ctx, testkit.Anyone, p.sw.ID)
	require.NoError(t, err)
	assert.Equal(t, p.sw.ID, back.ID)
	assert.Equal(t, domain.Unknown, back.Health)
	values, err := p.store.Values.Of(ctx, series[0].ID, at.Add(-time.Hour), at.Add(time.Hour))
	require.NoError(t, err)
	assert.Len(t, values, 1)

	require.NoError(t, p.Remove(ctx, testkit.Anyone, p.sw.ID, 0))
	require.NoError(t, p.Forget(ctx, testkit.Anyone, p.sw.ID))
	assert.ErrorIs(t, p.Forget(ctx, testkit.Anyone, p.sw.ID), domain.ErrNotFound)
	removed, _, err = p.Removed(ctx, testkit.Anyone, domain.RemovedFilter{})
	require.NoError(t, err)
	assert.Empty(t, removed)
}

func TestADeviceIsNotSentToWhatIsNotForUs(t *testing.T) {
	p := setup(t)
	for _, address := range []string{"169.254.169.254", "224.0.0.1", "::1", "::ffff:169.254.0.1"} {
		d := p.draft(t)
		d.Address = address
		_, err := p.Change(t.Context(), testkit.Anyone, p.sw.ID, d)
		var fields domain.FieldErrors
		require.ErrorAs(t, err, &fields, address)
		assert.NotEmpty(t, fields["address"], address)
	}
}

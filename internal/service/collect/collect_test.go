package collect_test

import (
	"net/netip"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func setup(t *testing.T) (*collect.Service, *store.Store, domain.Device) {
	t.Helper()
	s := testkit.Store(t)
	svc, err := collect.New(s, kits.Files)
	require.NoError(t, err)
	p, err := s.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(t.Context(), domain.Device{PlaceID: p.ID, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"), Port: 161, CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	return svc, s, d
}

func TestBrokenKitsAreNamed(t *testing.T) {
	_, err := collect.New(nil, fstest.MapFS{"wrong.yaml": {Data: []byte("kit: x\nsources: 7\n")}})
	assert.ErrorContains(t, err, "wrong.yaml")
	_, err = collect.New(nil, fstest.MapFS{"notes.txt": {Data: []byte("no kit")}})
	assert.NoError(t, err, "other files do not matter")
}

func TestKitsByTitle(t *testing.T) {
	svc, _, _ := setup(t)
	var titles []string
	for _, k := range svc.Kits() {
		titles = append(titles, k.Title)
	}
	assert.IsIncreasing(t, titles)
	_, err := svc.Kit("nothing")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// Rules that people changed or switched off stay so when the application
// starts again with the same kits.
func TestSeedingKeepsWhatPeopleChanged(t *testing.T) {
	svc, s, _ := setup(t)
	ctx := t.Context()
	require.NoError(t, svc.Seed(ctx))
	rules, err := s.Rules.All(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, rules)
	changed := rules[0]
	changed.Enabled, changed.Title = false, "ours"
	_, err = s.Rules.Save(ctx, changed)
	require.NoError(t, err)
	require.NoError(t, svc.Seed(ctx))
	again, err := s.Rules.All(ctx)
	require.NoError(t, err)
	assert.Len(t, again, len(rules))
	kept, err := s.Rules.One(ctx, changed.ID)
	require.NoError(t, err)
	assert.False(t, kept.Enabled)
	assert.Equal(t, "ours", kept.Title)
}

func TestRequestsFollowFittingsAndParameters(t *testing.T) {
	svc, _, d := setup(t)
	fittings := []domain.Fitting{{DeviceID: d.ID, Kit: "reachability", Parameters: map[string]string{"method": "tcp", "port": "443"}}, {DeviceID: d.ID, Kit: "interfaces"}, {DeviceID: d.ID, Kit: "long gone"}}
	requests := svc.Requests(d, fittings, "c")
	require.Len(t, requests, 2)
	assert.Equal(t, 443, requests[0].ProbePort)
	assert.Equal(t, "tcp", requests[0].Method)
	assert.Equal(t, 161, requests[1].ProbePort)
	for _, wrong := range []string{"x", "0", "70000", "-1"} {
		fittings[0].Parameters["port"] = wrong
		assert.Equal(t, 161, svc.Requests(d, fittings, "c")[0].ProbePort, wrong)
	}
	d.Paused = true
	assert.Empty(t, svc.Requests(d, fittings, "c"))
}

func TestParametersNeedAFittedKit(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	assert.ErrorIs(t, svc.SetParameters(ctx, d.ID, "nothing", nil), domain.ErrNotFound)
	assert.ErrorIs(t, svc.SetParameters(ctx, d.ID, "reachability", map[string]string{"method": "tcp"}), domain.ErrNotFound)
	require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "reachability"}))
	var fields domain.FieldErrors
	require.ErrorAs(t, svc.SetParameters(ctx, d.ID, "reachability", map[string]string{"method": "smoke"}), &fields)
	assert.Contains(t, fields, "method")
	require.NoError(t, svc.SetParameters(ctx, d.ID, "reachability", map[string]string{"method": "tcp"}))
}

func TestSeriesOfTheDeviceAreMadeOnce(t *testing.T) {
	svc, _, d := setup(t)
	fittings := []domain.Fitting{{DeviceID: d.ID, Kit: "reachability"}, {DeviceID: d.ID, Kit: "host-resources"}}
	first, err := svc.DeviceSeries(t.Context(), d.ID, fittings, nil)
	require.NoError(t, err)
	assert.Len(t, first, 4, "answer time, loss, processor, memory")
	second, err := svc.DeviceSeries(t.Context(), d.ID, fittings, first)
	require.NoError(t, err)
	assert.Equal(t, first, second)
}

func word(s string) derive.Value { return derive.Value{Kind: derive.Text, Text: s} }

// row is one of the interfaces kit: description, type, …, name, …, alias.
func row(index, name, kind string) derive.Row {
	none := derive.Value{}
	return derive.Row{Index: index, Values: []derive.Value{word(name), word(kind), none, none, none, none, none, none, none, word(name), none, none, {Kind: derive.Gauge, Num: 1000}, word("to the quay")}}
}

// A device that was restarted numbers its interfaces anew: the parts keep
// their identity by name, and with it their history.
func TestReindexedRowsStayTheSameParts(t *testing.T) {
	svc, _, d := setup(t)
	ctx := t.Context()
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def := k.Parts[0]
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	parts, series, err := svc.SyncParts(ctx, d.ID, k, def, nil, []derive.Row{row("1", "port1", "6"), row("2", "port2", "6"), row("3", "lo", "24")}, at)
	require.NoError(t, err)
	require.Len(t, parts, 2, "the loopback is left out")
	assert.Len(t, series, 10, "5 readings each")
	assert.Equal(t, 1e9, parts[0].Speed, "1,000 Mbit/s")
	assert.Equal(t, "to the quay", parts[0].Note)

	after, series, err := svc.SyncParts(ctx, d.ID, k, def, parts, []derive.Row{row("12", "port1", "6"), row("11", "port2", "6")}, at)
	require.NoError(t, err)
	assert.Empty(t, series, "no series is made again")
	for i := range parts {
		assert.Equal(t, parts[i].ID, after[i].ID)
	}
	assert.Equal(t, "12", after[0].Index)

	gone, _, err := svc.SyncParts(ctx, d.ID, k, def, after, []derive.Row{row("12", "port1", "6")}, at.Add(time.Hour))
	require.NoError(t, err)
	assert.True(t, gone[0].GoneAt.IsZero())
	assert.Equal(t, at.Add(time.Hour), gone[1].GoneAt, "a vanished one is kept, marked")
	back, series, err := svc.SyncParts(ctx, d.ID, k, def, gone, []derive.Row{row("12", "port1", "6"), row("30", "port2", "6")}, at.Add(2*time.Hour))
	require.NoError(t, err)
	assert.Empty(t, series)
	assert.True(t, back[1].GoneAt.IsZero(), "and taken up again")
}

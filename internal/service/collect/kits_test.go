package collect_test

import (
	"context"
	"net/netip"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/rule/state"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

const gauge = `kit: gauge
title: Gauge
version: 1
sources: [{key: s, way: snmp, every: 60s, columns: [{as: level, of: 1.3.6.1.4.1.32473.1}, {as: mode, of: 1.3.6.1.4.1.32473.2}]}]
readings:
  - {key: level, name: Level, unit: "%", source: s, value: [level]}
  - {key: mode, name: Mode, source: s, value: [mode], codes: {1: idle, 2: broken}}
rules:
  - {key: high, name: High, reading: level, limit: {levels: {warning: {at: 90}}}}
  - {key: mode, name: Broken, reading: mode, state: {levels: {critical: [broken]}}}
`

func shipping(t *testing.T, s *store.Store, document string) *collect.Service {
	t.Helper()
	svc, err := collect.New(collect.Wiring{
		Store:      s,
		Desk:       testkit.Desk(s),
		ChangedAll: func(context.Context) error { return nil },
		Shipped:    fstest.MapFS{"gauge.yaml": {Data: []byte(document)}},
		Ways:       testkit.Ways.Described(),
		Rules:      kinds.All,
	})
	require.NoError(t, err)
	return svc
}

func TestShippedKitsAreVersionsToo(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	for range 2 {
		require.NoError(t, shipping(t, s, gauge).Load(ctx))
	}
	svc := shipping(t, s, gauge)
	versions, err := svc.Versions(ctx, testkit.Anyone, "gauge")
	require.NoError(t, err)
	require.Len(t, versions, 1, "the same file is no new version")
	assert.True(t, versions[0].Shipped)

	newer := strings.NewReplacer("version: 1", "version: 2", "every: 60s", "every: 30s").Replace(gauge)
	svc = shipping(t, s, newer)
	require.NoError(t, svc.Load(ctx))
	k, err := svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, 2, k.Version)
	first, err := svc.Version(ctx, testkit.Anyone, "gauge", 1)
	require.NoError(t, err)
	assert.Equal(t, gauge, first.Document, "the version before is kept as it was")
	_, err = svc.Versions(ctx, testkit.Anyone, "none")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestSeriesFollowTheirKit(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := shipping(t, s, gauge)
	require.NoError(t, svc.Load(ctx))
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "gauge-1", Address: netip.MustParseAddr("192.0.2.9"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	_, err = svc.DeviceSeries(ctx, d.ID, heldBy(svc, d, []domain.Fitting{{DeviceID: d.ID, Kit: "gauge"}}, nil, 1))
	require.NoError(t, err)
	before := svc.Catalogue()
	_, err = svc.Bring(
		ctx,
		testkit.Anyone,
		strings.NewReplacer("version: 1", "version: 3", "every: 60s", "every: 30s",
			"name: Level", "name: Water", "1: idle, 2: broken", "1: idle, 4: broken").
			Replace(gauge),
		0,
	)
	require.NoError(t, err)
	series, err := s.Series.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, "Water", series[0].Name)
	series, err = svc.DeviceSeries(ctx, d.ID, heldBy(svc, d, []domain.Fitting{{DeviceID: d.ID, Kit: "gauge"}}, series, 1))
	require.NoError(t, err)
	assert.Equal(t, 30*time.Second, series[0].Interval, "when the device is loaded anew")
	rules, err := s.Rules.All(ctx)
	require.NoError(t, err)
	require.Len(t, rules, 2)
	for _, r := range rules {
		if c, ok := r.Condition.(*state.Condition); ok {
			assert.Equal(t, map[int]string{1: "idle", 4: "broken"}, c.Codes, "the words of states are those of the kit")
		}
	}
	old, err := before.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, 1, old.Version, "who holds a catalogue sees the same kits as long as it works")
}

// What people brought in stays, whatever is shipped, until somebody decides.
func TestBroughtKitsStay(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := shipping(t, s, gauge)
	require.NoError(t, svc.Load(ctx))
	ours := strings.NewReplacer("version: 1", "version: 5", "title: Gauge", "title: Ours").Replace(gauge)
	v, err := svc.Bring(ctx, testkit.Anyone, ours, 0)
	require.NoError(t, err)
	assert.Equal(t, 2, v.Revision)
	assert.False(t, v.Shipped)
	svc = shipping(t, s, strings.Replace(gauge, "title: Gauge", "title: Shipped again", 1))
	require.NoError(t, svc.Load(ctx))
	k, err := svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, "Ours", k.Title)
	svc = shipping(t, s, strings.NewReplacer("version: 1", "version: 6", "title: Gauge", "title: Newer").Replace(gauge))
	require.NoError(t, svc.Load(ctx))
	k, err = svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, "Ours", k.Title)
	for _, wrong := range []string{
		"", "kit: x", strings.Repeat("x", collect.MaxKit+1), strings.Replace(gauge, "way: snmp", "way: pigeon", 1),
	} {
		_, err := svc.Bring(ctx, testkit.Anyone, wrong, 0)
		var fields domain.FieldErrors
		require.ErrorAs(t, err, &fields)
		assert.Contains(t, fields, "document")
	}
}

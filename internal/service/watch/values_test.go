package watch_test

import (
	"fmt"
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
)

// A device's values stand under their parts, with the level of each; parts
// that are gone are left out, readings without a value are there all the same.
func TestValuesStandUnderTheirParts(t *testing.T) {
	w, ctx := setup(t), t.Context()
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine)
	for _, k := range []string{"host-resources", "interfaces", "long gone"} {
		require.NoError(t, w.store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: k, Parameters: map[string]string{"a": "b"}}))
	}
	parts, err := w.store.Parts.Add(ctx, []domain.Part{
		{DeviceID: d.ID, Kit: "host-resources", Kind: "volume", Key: "/", Index: "1", Name: "/"},
		{DeviceID: d.ID, Kit: "host-resources", Kind: "volume", Key: "/data", Index: "2", Name: "/data"},
		{DeviceID: d.ID, Kit: "host-resources", Kind: "volume", Key: "/old", Index: "3", Name: "/old", GoneAt: now}})
	require.NoError(t, err)
	var wanted []domain.Series
	for _, p := range parts {
		wanted = append(
			wanted,
			domain.Series{
				DeviceID: d.ID,
				PartID:   p.ID,
				Kit:      "host-resources",
				Reading:  "volume_share",
				Name:     "Used",
				Unit:     "%",
				Interval: time.Minute,
			},
		)
	}
	wanted = append(
		wanted,
		domain.Series{DeviceID: d.ID, Kit: "host-resources", Reading: "cpu", Name: "Processor", Unit: "%", Interval: time.Minute},
	)
	series, err := w.store.Series.Add(ctx, wanted)
	require.NoError(t, err)
	require.NoError(
		t,
		w.store.Samples.Append(ctx, []domain.SeriesSample{{SeriesID: series[1].ID, Sample: domain.Sample{At: now, Value: 91}}}),
	)
	r := firstRule(t, w.store)
	require.NoError(t, w.store.Rules.SetState(ctx, store.RuleState{RuleID: r, SeriesID: series[1].ID, Level: domain.LevelWarning}))
	require.NoError(t, w.store.Series.SetStates(ctx, []domain.Series{{ID: series[3].ID, State: domain.SeriesFailing, Error: "no answer"}}))

	got, err := w.Device(ctx, testkit.Anyone, d.ID, watch.Look{}, now)
	require.NoError(t, err)
	assert.Equal(t, 4, got.Count.All)
	assert.Equal(t, 1, got.Count.Failing)
	assert.Len(t, got.Kits, 2, "a kit that does not exist any more is passed over")
	assert.Equal(t, "b", got.Parameters["interfaces"]["a"])
	require.Len(t, got.Values, 1)
	assert.Equal(t, "no answer", got.Values[0].Series.Error)
	require.Len(t, got.Kinds, 2, "volumes, and interfaces that were not found yet")
	volumes := got.Kinds[0]
	require.Len(t, volumes.Rows, 2)
	assert.Equal(t, "/data", volumes.Rows[0].Part.Name, "what is in trouble comes first")
	assert.Equal(t, 91.0, volumes.Rows[0].Values["volume_share"].Latest.Value)
	assert.Equal(t, domain.Warning, volumes.Rows[0].Health)
	assert.Nil(t, volumes.Rows[1].Values["volume_share"].Latest)
	assert.Equal(t, domain.Fine, volumes.Rows[1].Health)
	assert.Equal(t, int64(2), volumes.Total)
	searched, err := w.Device(ctx, testkit.Anyone, d.ID, watch.Look{Kind: "volume", Search: "DAT"}, now)
	require.NoError(t, err)
	require.Len(t, searched.Kinds[0].Rows, 1)
	assert.Equal(t, int64(1), searched.Kinds[0].Matching)
	assert.Empty(t, got.Kinds[1].Rows)
}

// Of more ports than a page shows, the busiest is among those that it does.
func TestTheBusiestPartIsShown(t *testing.T) {
	w, ctx := setup(t), t.Context()
	d := w.device(t, w.place(t, "Pier").ID, "sw-1", domain.Fine)
	require.NoError(t, w.store.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "interfaces"}))
	var parts []domain.Part
	for i := range watch.PartsPage + 20 {
		parts = append(
			parts,
			domain.Part{
				DeviceID: d.ID,
				Kit:      "interfaces",
				Kind:     "interface",
				Key:      fmt.Sprint("port", i),
				Index:    fmt.Sprint(i),
				Name:     fmt.Sprint("port", i),
			},
		)
	}
	parts[watch.PartsPage+2].GoneAt = now
	parts, err := w.store.Parts.Add(ctx, parts)
	require.NoError(t, err)
	var series []domain.Series
	for _, p := range parts {
		series = append(
			series,
			domain.Series{DeviceID: d.ID, PartID: p.ID, Kit: "interfaces", Reading: "in", Name: "In", Unit: "bit/s", Interval: time.Minute},
		)
	}
	series, err = w.store.Series.Add(ctx, series)
	require.NoError(t, err)
	var batch []domain.SeriesSample
	for i, x := range series {
		v := float64(i % 5)
		switch i {
		case watch.PartsPage + 2: // gone
			v = 1e9
		case watch.PartsPage + 7:
			v = 1e6
		}
		batch = append(batch, domain.SeriesSample{SeriesID: x.ID, Sample: domain.Sample{At: now, Value: v}})
	}
	require.NoError(t, w.store.Samples.Append(ctx, batch))
	got, err := w.Device(ctx, testkit.Anyone, d.ID, watch.Look{}, now)
	require.NoError(t, err)
	require.Len(t, got.Kinds[0].Rows, watch.PartsPage)
	assert.Equal(t, parts[watch.PartsPage+7].ID, got.Kinds[0].Rows[0].Part.ID)
}

func firstRule(t *testing.T, s *store.Store) domain.ID {
	t.Helper()
	var id domain.ID
	require.NoError(
		t,
		s.Pool().QueryRow(t.Context(), `INSERT INTO rules (name, kit, reading, unit, kind, condition, cause, title, runbook, enabled)
		VALUES ('full', 'host-resources', 'volume_share', '%', 'limit', '{}', 'full', '', '', true) RETURNING id`).Scan(&id),
	)
	return id
}

func TestDevicesGetTheirRibbonsOnlyWhereShown(t *testing.T) {
	w, ctx := setup(t), t.Context()
	place := w.place(t, "Pier")
	a, b := w.device(t, place.ID, "a", domain.Fine), w.device(t, place.ID, "b", domain.Critical)
	require.NoError(
		t,
		w.store.Transitions.Add(
			ctx,
			[]domain.Transition{{DeviceID: b.ID, At: now.Add(-6 * time.Hour), From: domain.Fine, To: domain.Critical, Reason: "x"}},
		),
	)
	got, err := w.Devices(ctx, testkit.Anyone, domain.DeviceFilter{Sort: "name", Limit: 9}, now)
	require.NoError(t, err)
	assert.Equal(t, "Pier", got.Places[a.PlaceID])
	shown := got.Rows
	require.Len(t, shown, 2)
	assert.NotContains(t, shown[0].Ribbon, domain.Critical)
	assert.Equal(t, domain.Fine, shown[1].Ribbon[0])
	assert.Equal(t, domain.Critical, shown[1].Ribbon[95])
	assert.Equal(t, domain.Critical, shown[1].Ribbon[72], "six of 24 hours are the last quarter")
	assert.Equal(t, domain.Fine, shown[1].Ribbon[70])
}

func TestManySeriesAreCombined(t *testing.T) {
	w, ctx := setup(t), t.Context()
	place := w.place(t, "Pier").ID
	a := w.series(t, w.device(t, place, "a", domain.Fine), map[int]float64{-2: 10, -1: 20})
	b := w.series(t, w.device(t, place, "b", domain.Fine), map[int]float64{-2: 1, -1: 2})
	got, err := w.store.Values.Combine(ctx, []domain.ID{a.ID, b.ID}, now.Add(-2*time.Minute), now, 2, "sum", 1)
	require.NoError(t, err)
	require.Len(t, got.Values, 2)
	assert.Equal(t, []float64{11, 22}, []float64{got.Values[0].V, got.Values[1].V})
	require.Len(t, got.Top, 1)
	assert.Equal(t, a.ID, got.Top[0].Series)
	assert.Equal(t, 15.0, got.Top[0].V)
}

package respond_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// Tags of the place, the device, the reading and the rule go along to the incident.
func TestTagsFlowDownToIncidents(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	d, err := w.store.Devices.One(ctx, w.device.ID)
	require.NoError(t, err)
	w.device.PlaceID = d.PlaceID
	require.NoError(t, w.store.Attributes.Set(ctx, []domain.Attribute{
		{PlaceID: w.device.PlaceID, Name: "passengers", Tag: true},
		{DeviceID: w.device.ID, Name: "spare", Tag: true},
		{DeviceID: w.device.ID, Name: "role", Value: "standby"},
	}))
	w.rule.Tags, w.series.Tags = []string{"night"}, []string{"reach"}
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelWarning, 0, false)))
	find := func(search string) []string {
		found, _, err := w.Incidents(ctx, testkit.Anyone, domain.IncidentFilter{Search: search})
		require.NoError(t, err)
		var out []string
		for _, in := range found {
			out = append(out, in.Tags...)
		}
		return out
	}
	all := []string{"night", "passengers", "reach", "spare"}
	assert.Equal(t, all, find(""))
	assert.Equal(t, all, find("#night"))
	assert.Equal(t, all, find("#passengers"))
	assert.Equal(t, all, find("role=stand"))
	assert.Empty(t, find("#day"))
	assert.Empty(t, find("#nigh"), "a tag is found by its whole name")
	assert.Empty(t, find("role=master"))

	// What is tagged later does not change what was.
	require.NoError(t, w.store.Attributes.Unset(ctx, []domain.Attribute{{DeviceID: w.device.ID, Name: "spare", Tag: true}}))
	assert.Equal(t, all, find("#spare"))
}

func TestAPlanIsForItsTagsOnly(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	plans, err := w.store.Plans.All(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, plans)
	plans[0].Tags = []string{"ferry stop", "night"}
	_, err = w.store.Plans.Save(ctx, plans[0])
	require.NoError(t, err)

	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelWarning, 0, false)))
	sent, _, err := w.store.Deliveries.Find(ctx, domain.DeliveryFilter{Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, sent, "it has no such tag")
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelWarning, 0, time.Minute, false)))
	w.rule.Tags = []string{"night"}
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelWarning, 48*time.Hour, false)))
	sent, _, err = w.store.Deliveries.Find(ctx, domain.DeliveryFilter{Limit: 10})
	require.NoError(t, err)
	assert.NotEmpty(t, sent)
}

// A link that flaps is one row, with how often; each by itself is asked for.
func TestWhatComesAgainAndAgainIsOneRow(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	day := 24 * time.Hour
	for i := range 3 {
		at := time.Duration(i) * 2 * day
		require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelWarning, at, false)))
		require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelWarning, 0, at+time.Minute, false)))
		for _, in := range w.incidents(t) {
			if in.State != domain.IncidentResolved {
				require.NoError(t, w.Resolve(ctx, testkit.Anyone, in.ID, ""))
			}
		}
	}
	rows, total, err := w.Repeats(ctx, testkit.Anyone, domain.IncidentFilter{Limit: 10})
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.EqualValues(t, 1, total)
	assert.Equal(t, 3, rows[0].Times)
	assert.Equal(t, now.Add(4*day), rows[0].OpenedAt, "the newest stands for all")
	assert.Equal(t, now, rows[0].FirstAt)
	assert.Equal(t, w.device.Name, rows[0].Device)
	each, total, err := w.Incidents(ctx, testkit.Anyone, domain.IncidentFilter{DeviceID: w.device.ID, Cause: rows[0].Cause, Limit: 2})
	require.NoError(t, err)
	assert.Len(t, each, 2)
	assert.EqualValues(t, 3, total)
	none, _, err := w.Repeats(ctx, testkit.Anyone, domain.IncidentFilter{Cause: "another", Limit: 10})
	require.NoError(t, err)
	assert.Empty(t, none)
}

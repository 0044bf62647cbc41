package watch_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/testkit"
)

// What a check came to stands with the reason that it gave, on the page of the device and in the list of values.
func TestAVerdictStandsWithItsReason(t *testing.T) {
	w, ctx := setup(t), t.Context()
	pier := w.place(t, "Pier").ID
	d, other := w.device(t, pier, "kiosk-1", domain.Fine), w.device(t, pier, "kiosk-2", domain.Fine)
	var wanted []domain.Series
	for _, id := range []domain.ID{d.ID, other.ID} {
		require.NoError(t, w.store.Fittings.Fit(ctx, domain.Fitting{DeviceID: id, Kit: "web-page"}))
		wanted = append(wanted,
			domain.Series{DeviceID: id, Kit: "web-page", Reading: "verdict", Name: "Page", Kind: domain.KindState, Interval: time.Minute},
			domain.Series{DeviceID: id, Kit: "web-page", Reading: "says", Name: "Page says", Kind: domain.KindText, Interval: time.Minute},
			domain.Series{DeviceID: id, Kit: "web-page", Reading: "total", Name: "Time", Unit: "s", Interval: time.Minute})
	}
	series, err := w.store.Series.Add(ctx, wanted)
	require.NoError(t, err)
	said, _, err := w.store.Words.Code(ctx, []domain.SeriesText{{SeriesID: series[1].ID, At: now, Text: "“aboard” is not in the page"},
		{SeriesID: series[4].ID, At: now, Text: "200 OK"}})
	require.NoError(t, err)
	require.NoError(t, w.store.Samples.Append(ctx, append(said,
		domain.SeriesSample{SeriesID: series[0].ID, Sample: domain.Sample{At: now, Value: 8}},
		domain.SeriesSample{SeriesID: series[2].ID, Sample: domain.Sample{At: now, Value: 0.1}},
		domain.SeriesSample{SeriesID: series[3].ID, Sample: domain.Sample{At: now, Value: 0}})))

	page, err := w.Device(ctx, testkit.Anyone, d.ID, watch.Look{}, now)
	require.NoError(t, err)
	because := map[string]string{}
	for _, v := range page.Values {
		because[v.Reading.Key] = v.Because
	}
	assert.Equal(t, map[string]string{"verdict": "“aboard” is not in the page", "says": "", "total": ""}, because)

	rows, _, err := w.Values(ctx, testkit.Anyone, domain.ValueFilter{Limit: 10})
	require.NoError(t, err)
	require.Len(t, rows, 6)
	all, err := w.Becauses(ctx, testkit.Anyone, rows)
	require.NoError(t, err)
	assert.Equal(t, map[domain.ID]string{series[0].ID: "“aboard” is not in the page", series[3].ID: "200 OK"}, all)
	none, err := w.Becauses(ctx, testkit.Anyone, nil)
	require.NoError(t, err)
	assert.Empty(t, none)
}

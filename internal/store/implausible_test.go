package store_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func TestWhatCannotBeIsCountedAndBounded(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	place, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: place.ID, Name: "odd-1", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	series, err := s.Series.Add(ctx, []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "a", Name: "A", Unit: "%", Interval: time.Minute},
		{DeviceID: d.ID, Kit: "k", Reading: "b", Name: "B", Unit: "%", Interval: time.Minute}})
	require.NoError(t, err)
	t0 := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	at := func(series domain.ID, minute int) domain.ImplausibleValue {
		return domain.ImplausibleValue{
			SeriesSample: domain.SeriesSample{
				SeriesID: series,
				Sample:   domain.Sample{At: t0.Add(time.Duration(minute) * time.Minute), Value: float64(-minute)},
			},
			Reason: "cannot be",
		}
	}
	require.NoError(t, s.Implausible.Add(ctx, nil))
	require.NoError(
		t,
		s.Implausible.Add(ctx, []domain.ImplausibleValue{at(series[0].ID, 0), at(series[0].ID, 1), at(999, 1)}),
		"a series that is gone is left out",
	)
	for m := 2; m < 15; m++ {
		require.NoError(t, s.Implausible.Add(ctx, []domain.ImplausibleValue{at(series[0].ID, m)}))
	}
	got, err := s.Implausible.Of(ctx, domain.IDsOf(series))
	require.NoError(t, err)
	require.Len(t, got, 1)
	x := got[series[0].ID]
	assert.Equal(t, int64(15), x.Count)
	assert.Equal(t, t0, x.FirstAt)
	assert.Equal(t, t0.Add(14*time.Minute), x.LastAt)
	require.Len(t, x.Newest, 10, "however many there were")
	assert.Equal(t, domain.Sample{At: t0.Add(14 * time.Minute), Value: -14}, x.Newest[0], "the newest first")
	assert.Equal(t, -5.0, x.Newest[9].Value)

	count, err := s.Series.CountOf(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, 2, count.All)
	assert.Equal(t, int64(15), count.Implausible)
	assert.Equal(t, t0.Add(14*time.Minute), count.NewestImplausibleAt.UTC())
	listed, total, err := s.Values.Listed(ctx, domain.ValueFilter{State: domain.KeptApart, Limit: 9})
	require.NoError(t, err)
	assert.Equal(t, int64(1), total)
	assert.Equal(t, series[0].ID, listed[0].SeriesID)

	require.NoError(t, s.Implausible.Drop(ctx, t0.Add(14*time.Minute)))
	got, err = s.Implausible.Of(ctx, domain.IDsOf(series))
	require.NoError(t, err)
	assert.Len(t, got, 1, "its last one is not that old")
	require.NoError(t, s.Implausible.Drop(ctx, t0.Add(15*time.Minute)))
	got, err = s.Implausible.Of(ctx, domain.IDsOf(series))
	require.NoError(t, err)
	assert.Empty(t, got)
}

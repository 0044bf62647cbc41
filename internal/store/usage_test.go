package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

func TestUsageIsSharedOutByReading(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, noisy := world(t, s)
	more, err := s.Series.Add(
		ctx,
		[]domain.Series{
			{DeviceID: d.ID, Kit: "k", Reading: "calm", Name: "Calm", Interval: time.Minute},
			{DeviceID: d.ID, Kit: "k", Reading: "new", Name: "New", Interval: 15 * time.Second},
		},
	)
	require.NoError(t, err)
	a, b := samples.History{Series: noisy.ID}, samples.History{Series: more[0].ID}
	from := now.AddDate(0, 0, -9)
	for m := range 7 * 1440 {
		at := from.Add(time.Duration(m) * time.Minute).UnixMilli()
		a.Points = append(a.Points, codec.Point{T: at, V: float64(m * 7919 % 10_000)})
		b.Points = append(b.Points, codec.Point{T: at, V: 1})
	}
	require.NoError(t, s.Samples.Import(ctx, []samples.History{a, b}))
	usage, share, err := s.Sizes.Usage(ctx)
	require.NoError(t, err)
	assert.Equal(t, 1.0, share, "so small a table is looked at whole")
	require.Len(t, usage, 3)
	by := map[string]int{}
	total := 0.0
	for i, u := range usage {
		by[u.Reading] = i
		total += u.Bytes
		assert.Equal(t, "log-1", u.Device)
	}
	loud, calm, fresh := usage[by["r"]], usage[by["calm"]], usage[by["new"]]
	assert.Greater(t, loud.Bytes, 3*calm.Bytes)
	assert.Greater(t, loud.PerSample, calm.PerSample)
	assert.Zero(t, fresh.Bytes)
	assert.Zero(t, fresh.PerSample)
	assert.Equal(t, 1440.0, loud.PerDay)
	assert.Equal(t, 5760.0, fresh.PerDay, "four a minute")
	size := 0.0
	for _, table := range samples.RestTables() {
		bytes, _, err := s.Samples.Size(ctx, table)
		require.NoError(t, err)
		size += bytes
	}
	assert.InDelta(t, size, total, 1, "all of the tables is shared out")
	storage, err := s.Sizes.Tables(ctx)
	require.NoError(t, err)
	assert.Greater(t, storage.Total, size)
	assert.NotEmpty(t, storage.Tables)
}

// What a month brings follows the last day: the past may have been brought in
// at wider intervals, at which a row's own size weighs more.
func TestASampleTakesWhatItTookLately(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, calm := world(t, s)
	moved, err := s.Series.Add(ctx, []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "moved", Name: "Moved", Interval: time.Minute}})
	require.NoError(t, err)
	yesterday := time.Now().UTC().Add(-2*time.Hour).Truncate(24*time.Hour).AddDate(0, 0, -1)
	a, b := samples.History{Series: calm.ID}, samples.History{Series: moved[0].ID}
	for at := yesterday.AddDate(0, 0, -20); at.Before(yesterday.AddDate(0, 0, 1)); at = at.Add(time.Minute) {
		p := codec.Point{T: at.UnixMilli(), V: float64(at.Unix() / 60 % 50)}
		a.Points = append(a.Points, p)
		if !at.Before(yesterday) || at.Minute()%30 == 0 {
			b.Points = append(b.Points, p)
		}
	}
	require.NoError(t, s.Samples.Import(ctx, []samples.History{a, b}))
	usage, _, err := s.Sizes.Usage(ctx)
	require.NoError(t, err)
	per := map[string]float64{}
	for _, u := range usage {
		per[u.Reading] = u.PerSample
	}
	assert.InEpsilon(t, per["r"], per["moved"], 0.2)
}

func TestNamedSeries(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, series := world(t, s)
	parts, err := s.Parts.Add(ctx, []domain.Part{{DeviceID: d.ID, Kit: "k", Kind: "volume", Key: "/data", Index: "1", Name: "/data"}})
	require.NoError(t, err)
	made, err := s.Series.Add(
		ctx,
		[]domain.Series{{DeviceID: d.ID, PartID: parts[0].ID, Kit: "k", Reading: "used", Name: "Used", Unit: "%", Interval: time.Minute}},
	)
	require.NoError(t, err)
	all, err := s.Series.Named(ctx, store.NamedFilter{Device: "log-1", Kit: "k"})
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, series.ID, all[0].ID)
	assert.Equal(t, "/data", all[1].Part)
	assert.Equal(t, made[0].ID, all[1].ID)
	none, err := s.Series.Named(ctx, store.NamedFilter{Part: "/tmp"})
	require.NoError(t, err)
	assert.Empty(t, none)
}

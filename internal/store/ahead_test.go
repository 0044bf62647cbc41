package store_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

// The page is the same whether it is found among the first of all series or not: it is for
// the first pages of all of them, which are more than are counted.
func TestPagesByValueOfManySeries(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	const high, low = 9800, 300
	var series []domain.Series
	for i := range high + low {
		kit := "high"
		if i >= high {
			kit = "low"
		}
		x := domain.Series{DeviceID: d.ID, Kit: kit, Reading: fmt.Sprint("r", i), Name: fmt.Sprint(i), Interval: time.Minute}
		series = append(series, x)
	}
	series, err := s.Series.Add(ctx, series)
	require.NoError(t, err)
	var values []domain.SeriesSample
	for i, x := range series {
		v := float64(high + low - i) // the first is the highest
		values = append(values, domain.SeriesSample{SeriesID: x.ID, Sample: domain.Sample{At: now, Value: v}})
	}
	require.NoError(t, s.Samples.Append(ctx, values))
	for _, c := range []struct {
		filter      domain.ValueFilter
		first, last int // the numbers of the series
		total       int64
	}{
		{domain.ValueFilter{Sort: "-value", Limit: 50}, 0, 49, domain.MostCounted + 1},
		{domain.ValueFilter{Sort: "-value", Limit: 50, Offset: 900}, 900, 949, domain.MostCounted + 1},
		{domain.ValueFilter{Sort: "-value", Limit: 50, Offset: 1500}, 1500, 1549, high + low + 1},
		{domain.ValueFilter{Sort: "-value", Limit: 50, Kit: "low"}, high, high + 49, low},
		{domain.ValueFilter{Sort: "-value", Limit: 50, Kit: "low", Offset: 280}, high + 280, high + 299, low},
		{domain.ValueFilter{Sort: "value", Limit: 50, Kit: "low"}, high + 299, high + 250, low},
		{domain.ValueFilter{Sort: "value", Limit: 50, Kit: "high"}, high - 1, high - 50, high},
	} {
		rows, total, err := s.Values.Listed(ctx, c.filter)
		require.NoError(t, err)
		assert.Equal(t, c.total, total, c.filter)
		assert.Equal(t, fmt.Sprint(c.first), rows[0].Name, c.filter)
		assert.Equal(t, fmt.Sprint(c.last), rows[len(rows)-1].Name, c.filter)
	}
}

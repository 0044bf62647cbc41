package store_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func TestCountersAreKeptOnce(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	_, series := textWorld(t, s)
	want := map[domain.ID]rate.Reading{
		series[0].ID: {At: now, Count: math.MaxUint64 - 5, Bits: 64, Uptime: math.MaxUint32, UptimeKnown: true},
		series[1].ID: {At: now, Count: 7, Bits: 32},
	}
	given := map[domain.ID]rate.Reading{999_999: {At: now, Bits: 32}} // gone meanwhile
	for id, r := range want {
		given[id] = r
	}
	for range 2 {
		require.NoError(t, s.Counters.Save(ctx, given))
	}
	got, err := s.Counters.Take(ctx)
	require.NoError(t, err)
	assert.Equal(t, want, got)
	got, err = s.Counters.Take(ctx)
	require.NoError(t, err)
	assert.Empty(t, got, "after a crash, nothing old is taken for the last look")
}

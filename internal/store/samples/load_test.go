package samples_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

// everySecond is a series of n points, the last of them a day before noon.
func everySecond(id int64, n int) samples.History {
	h := samples.History{Series: id, Points: make([]codec.Point, n)}
	for i := range h.Points {
		h.Points[i] = codec.Point{T: noon.Add(-24*time.Hour).UnixMilli() - int64(n-1-i)*1000, V: float64(i % 50)}
	}
	return h
}

// An import takes two million points in a transaction; this one needs three.
func TestAnImportOfManyTransactionsIsWhole(t *testing.T) {
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{})
	const many = 2_100_000
	past := []samples.History{everySecond(1, many), everySecond(2, many), everySecond(3, 10)}
	require.NoError(t, s.Import(t.Context(), past))
	for _, h := range past {
		assert.Equal(t, h.Points, points(t, s, h.Series)[h.Series])
		assert.Equal(t, h.Points[len(h.Points)-1], s.Latest(h.Series)[len(s.Latest(h.Series))-1])
	}
}

// The newest time of all goes forward with what is imported, and never back.
func TestTheNewestOfAllNeverGoesBack(t *testing.T) {
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{})
	yesterday := noon.Add(-24 * time.Hour)
	require.NoError(t, s.Import(t.Context(), []samples.History{everySecond(1, 5)}))
	assert.Equal(t, yesterday, s.Newest(), "an import alone")
	require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(0, 1, 1)}))
	assert.Equal(t, noon, s.Newest())
	require.NoError(t, s.Import(t.Context(), []samples.History{everySecond(2, 5)}))
	assert.Equal(t, noon, s.Newest(), "an older import")
}

// A partition goes at the moment from which nothing in it is wanted, not a
// millisecond before. Partitions of points begin at days that divide by seven,
// counted from 1970-01-01: 2023-12-28 is day 19719 = 7 × 2817.
func TestAPartitionGoesAtItsMoment(t *testing.T) {
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{})
	end := time.Date(2023, 12, 28, 0, 0, 0, 0, time.UTC)
	h := samples.History{Series: 1}
	for i := range 720 { // once in five seconds, so that rollups take less
		h.Points = append(h.Points, codec.Point{T: end.UnixMilli() - 1 - int64(719-i)*5000, V: float64(i % 7)})
	}
	require.NoError(t, s.Import(t.Context(), []samples.History{h}))
	const days = 30
	keep := samples.Keep{Points: days * oneDay, FiveMinutes: 900 * oneDay, Hours: 900 * oneDay, Days: 900 * oneDay}
	dropped, err := s.Retain(t.Context(), end.AddDate(0, 0, days).Add(-time.Millisecond), keep)
	require.NoError(t, err)
	assert.Empty(t, dropped)
	dropped, err = s.Retain(t.Context(), end.AddDate(0, 0, days), keep)
	require.NoError(t, err)
	assert.Len(t, dropped, 1)
}

// A day is folded no earlier than it ended that long ago: late values of it may come yet.
func TestADayIsFoldedWhenItEndedLongEnoughAgo(t *testing.T) {
	const after = 3 * time.Hour
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{FoldAfter: after})
	require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(0, 1, 1)}))
	require.NoError(t, s.Seal(t.Context()))
	due := noon.Truncate(oneDay).Add(oneDay + after)
	for _, early := range []time.Time{noon, due.Add(-time.Millisecond)} {
		done, err := s.FoldDue(t.Context(), early)
		require.NoError(t, err)
		assert.Zero(t, done, early)
	}
	done, err := s.FoldDue(t.Context(), due)
	require.NoError(t, err)
	assert.Equal(t, 1, done)
	assert.Equal(t, []float64{1}, values(points(t, s, 1)[1]))
}

package samples_test

import (
	"context"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

const oneDay = 24 * time.Hour

// past is some days of a series, the last of them today, with a point every so
// many seconds from noon to one.
func past(id int64, days, every int) samples.History {
	h, r := samples.History{Series: id}, rand.New(rand.NewPCG(uint64(id), 5))
	for d := days - 1; d >= 0; d-- {
		for s := 0; s < 3600; s += every {
			h.Points = append(h.Points, codec.Point{T: noon.AddDate(0, 0, -d).UnixMilli() + int64(s)*1000, V: float64(r.IntN(100))})
		}
	}
	return h
}

// planned is a store with plans that the test may change.
func planned(t *testing.T) (*samples.Store, map[int64]samples.Plan) {
	plans := map[int64]samples.Plan{}
	s := samples.New(
		testkit.OpenStore(t, testkit.URL(t)).Pool(),
		func(context.Context, []int64) (map[int64]samples.Plan, error) { return plans, nil },
	)
	require.NoError(t, s.Start(t.Context(), samples.Options{}))
	t.Cleanup(s.Stop)
	return s, plans
}

// daysLeft counts the days of which there are single points, and those of
// which there are rollups of five minutes.
func daysLeft(t *testing.T, s *samples.Store, ids ...int64) (points, rollups map[int64]int) {
	t.Helper()
	points, rollups = map[int64]int{}, map[int64]int{}
	from, to := noon.AddDate(-5, 0, 0), noon.AddDate(0, 0, 1)
	require.NoError(t, s.Points(t.Context(), ids, from, to, func(id int64, p []codec.Point) error {
		for i := range p {
			if i == 0 || samples.DayOf(p[i].T) != samples.DayOf(p[i-1].T) {
				points[id]++
			}
		}
		return nil
	}))
	_, err := s.Range(t.Context(), ids, from, to, 5*time.Minute, func(id int64, got []codec.Rollup) error {
		assert.Zero(t, len(got)%12, "a day has an hour of rollups")
		rollups[id] = len(got) / 12
		return nil
	})
	require.NoError(t, err)
	return points, rollups
}

// about holds that so many days are left, or at most a partition more.
func about(t *testing.T, want, got, span int, what string) {
	t.Helper()
	assert.GreaterOrEqual(t, got, want, what)
	assert.LessOrEqual(t, got, want+span, what)
}

func TestReadingsAreKeptForTimesOfTheirOwn(t *testing.T) {
	s, plans := planned(t)
	plans[2] = samples.Plan{Keep: samples.Keep{Points: 10 * oneDay}}
	plans[3] = samples.Plan{Keep: samples.Keep{Points: 60 * oneDay, FiveMinutes: 70 * oneDay}}
	plans[4] = samples.Plan{Keep: samples.Keep{FiveMinutes: 50 * oneDay}}
	require.NoError(t, s.Import(t.Context(), []samples.History{past(1, 120, 5), past(2, 120, 5), past(3, 120, 5), past(4, 120, 5)}))
	_, err := s.Retain(
		t.Context(),
		noon,
		samples.Keep{Points: 30 * oneDay, FiveMinutes: 90 * oneDay, Hours: 5 * 365 * oneDay, Days: 5 * 365 * oneDay},
	)
	require.NoError(t, err)
	points, rollups := daysLeft(t, s, 1, 2, 3, 4)
	about(t, 31, points[1], 7, "points as usual")
	about(t, 91, rollups[1], 28, "rollups as usual")
	about(t, 11, points[2], 7, "fewer points")
	about(t, 91, rollups[2], 28, "rollups as usual")
	about(t, 61, points[3], 7, "more points")
	about(t, 71, rollups[3], 28, "fewer rollups")
	about(t, 31, points[4], 7, "points as usual")
	about(t, 51, rollups[4], 28, "fewer rollups")
}

// Once a minute, five numbers for every five minutes are no less than the
// points themselves: these stay for as long as the rollups would.
func TestPointsStandForRollupsThatWouldBeLarger(t *testing.T) {
	s, _ := planned(t)
	hourly := samples.History{Series: 3}
	for d := range 120 {
		for h := range 24 {
			hourly.Points = append(
				hourly.Points,
				codec.Point{
					T: noon.Truncate(oneDay).AddDate(0, 0, d-119).Add(time.Duration(h) * time.Hour).UnixMilli(),
					V: float64(d*h%11) / 10,
				},
			)
		}
	}
	require.NoError(t, s.Import(t.Context(), []samples.History{past(1, 120, 60), past(2, 120, 5), hourly}))
	keep := samples.Keep{Points: 30 * oneDay, FiveMinutes: 60 * oneDay, Hours: 90 * oneDay, Days: 5 * 365 * oneDay}
	_, err := s.Retain(t.Context(), noon, keep)
	require.NoError(t, err)
	points, rollups := daysLeft(t, s, 1, 2)
	about(t, 61, points[1], 7, "a point a minute stays as long as rollups do")
	assert.Equal(t, points[1], rollups[1], "and gives the rollups")
	about(t, 31, points[2], 7, "a point every five seconds goes earlier")
	about(t, 61, rollups[2], 28, "its rollups stay")
	n := 0
	require.NoError(
		t,
		s.Points(
			t.Context(),
			[]int64{3},
			noon.AddDate(-1, 0, 0),
			noon.AddDate(0, 0, 1),
			func(_ int64, p []codec.Point) error { n = len(p) / 24; return nil },
		),
	)
	about(t, 91, n, 7, "a point an hour stays as long as hours do")
}

func TestAChangedTimeToKeepHoldsForWhatIsStored(t *testing.T) {
	s, plans := planned(t)
	ctx := t.Context()
	require.NoError(t, s.Import(ctx, []samples.History{past(1, 120, 60), past(2, 120, 60)}))
	usual := samples.Keep{Points: 100 * oneDay, FiveMinutes: 110 * oneDay, Hours: 365 * oneDay, Days: 365 * oneDay}
	_, before := daysLeft(t, s, 1)
	plans[1] = samples.Plan{Keep: samples.Keep{Points: 20 * oneDay, Hours: 40 * oneDay}}
	for range 2 { // once more changes nothing
		require.NoError(t, s.Refile(ctx, []int64{1}))
	}
	points, rollups := daysLeft(t, s, 1, 2)
	assert.Equal(t, 120, points[1])
	assert.Equal(t, before[1], rollups[1], "nothing is lost by refiling")
	_, err := s.Retain(ctx, noon, usual)
	require.NoError(t, err)
	points, rollups = daysLeft(t, s, 1, 2)
	about(t, 21, points[1], 7, "fewer points")
	about(t, 111, rollups[1], 28, "rollups were made, since the points no longer stand for them")
	about(t, 111, points[2], 7, "the other series is as before")
	plans[1] = samples.Plan{}
	require.NoError(t, s.Refile(ctx, []int64{1}))
	_, err = s.Retain(ctx, noon.AddDate(0, 0, 30), usual)
	require.NoError(t, err)
	points, _ = daysLeft(t, s, 1)
	about(t, 21, points[1], 7, "what is left is kept as usual again")
	require.NoError(t, s.Refile(ctx, []int64{77}), "a series without samples")
}

// All that is stored of a series lies where its new plan says, from the first day to the
// last.
func TestRefilingLeavesNothingBehind(t *testing.T) {
	pool, ctx := testkit.OpenStore(t, testkit.URL(t)).Pool(), t.Context()
	plans := map[int64]samples.Plan{}
	s := samples.New(pool, func(context.Context, []int64) (map[int64]samples.Plan, error) { return plans, nil })
	require.NoError(t, s.Start(ctx, samples.Options{}))
	t.Cleanup(s.Stop)
	require.NoError(t, s.Import(ctx, []samples.History{past(1, 40, 5)}))
	// Of the first days only rollups are left.
	_, err := s.Retain(ctx, noon, samples.Keep{Points: 10 * oneDay, FiveMinutes: 365 * oneDay, Hours: 365 * oneDay, Days: 365 * oneDay})
	require.NoError(t, err)
	points, rollups := daysLeft(t, s, 1)
	require.Less(t, points[1], rollups[1])
	keeps := func(table string) (out []int) {
		rows, err := pool.Query(ctx, "SELECT DISTINCT keep FROM "+table+" WHERE series_id = 1")
		require.NoError(t, err)
		for rows.Next() {
			var k int
			require.NoError(t, rows.Scan(&k))
			out = append(out, k)
		}
		require.NoError(t, rows.Err())
		return out
	}
	tables := []string{"days", "rollup_5m", "rollup_1h", "rollup_1d"}
	before := map[string][]int{}
	for _, table := range tables {
		before[table] = keeps(table)
		require.Len(t, before[table], 1, table)
	}
	plans[1] = samples.Plan{Keep: samples.Keep{Points: 20 * oneDay, FiveMinutes: 40 * oneDay, Hours: 50 * oneDay, Days: 60 * oneDay}}
	require.NoError(t, s.Refile(ctx, []int64{1}))
	for _, table := range tables {
		require.Len(t, keeps(table), 1, table)
		assert.NotEqual(t, before[table], keeps(table), table)
	}
}

// Rollups are kept as long as the points, or a year, five and twenty where that is longer.
func TestHowLongRollupsAreKeptFollowsFromThePoints(t *testing.T) {
	const year = 365 * oneDay
	assert.Equal(t, samples.Keep{Points: 90 * oneDay, FiveMinutes: year, Hours: 5 * year, Days: 20 * year}, samples.KeepFor(90*oneDay))
	assert.Equal(t, samples.Keep{Points: 8 * year, FiveMinutes: 8 * year, Hours: 8 * year, Days: 20 * year}, samples.KeepFor(8*year))
}

package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// Samples at rest of the release before keep classes are there afterwards.
func TestSamplesAtRestSurviveMigration(t *testing.T) {
	s, ctx := testkit.OpenStore(t, testkit.EmptyURL(t)), t.Context()
	require.NoError(t, s.MigrateTo(ctx, 4))
	var enc codec.Encoder
	begin := now.Truncate(24 * time.Hour)
	exec := func(sql string, values ...any) {
		t.Helper()
		_, err := s.Pool().Exec(ctx, sql, values...)
		require.NoError(t, err)
	}
	for _, d := range []int{-400, -30, -1} {
		at := begin.AddDate(0, 0, d)
		day := int(at.Unix() / 86_400)
		var points []codec.Point
		for m := range 1440 {
			points = append(points, codec.Point{T: at.Add(time.Duration(m) * time.Minute).UnixMilli(), V: float64(m % 7)})
		}
		for table, row := range map[string]struct {
			span int
			data []byte
		}{
			"days":      {7, enc.Append(nil, points)},
			"rollup_5m": {28, enc.AppendRollups(nil, codec.Fold(nil, points, 300_000), 300_000)},
			"rollup_1h": {28, enc.AppendRollups(nil, codec.Fold(nil, points, 3_600_000), 3_600_000)},
		} {
			from := day - day%row.span
			exec(
				fmt.Sprintf(
					"CREATE TABLE IF NOT EXISTS %s_%d PARTITION OF %s FOR VALUES FROM (%d) TO (%d)",
					table,
					from,
					table,
					from,
					from+row.span,
				),
			)
			if table == "days" {
				exec("INSERT INTO days VALUES (7, $1, 1, $2)", day, row.data)
			} else {
				exec("INSERT INTO "+table+" VALUES (7, $1, $2)", day, row.data)
			}
		}
	}
	exec("INSERT INTO keeps VALUES ('k', 'r', 12)")
	_, err := s.Migrate(ctx)
	require.NoError(t, err)
	require.NoError(t, s.Samples.Load(ctx))
	counts := func() (points int, rollups int) {
		require.NoError(
			t,
			s.Samples.Points(
				ctx,
				[]int64{7},
				begin.AddDate(-2, 0, 0),
				now,
				func(_ int64, p []codec.Point) error { points += len(p); return nil },
			),
		)
		_, err := s.Samples.Range(
			ctx,
			[]int64{7},
			begin.AddDate(-2, 0, 0),
			now,
			time.Hour,
			func(_ int64, x []codec.Rollup) error { rollups += len(x); return nil },
		)
		require.NoError(t, err)
		return points, rollups
	}
	points, rollups := counts()
	assert.Equal(t, []int{3 * 1440, 3 * 24}, []int{points, rollups})
	keeps, err := s.Keeps.All(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[domain.ReadingKey]domain.KeepDays{{Kit: "k", Reading: "r"}: {Points: 12}}, keeps)
	dropped, err := s.Samples.Retain(ctx, now, store.Times(store.UsualKeep(90)))
	require.NoError(t, err)
	assert.Len(t, dropped, 2, "points and rollups of 400 days ago")
	points, rollups = counts()
	assert.Equal(t, []int{2 * 1440, 3 * 24}, []int{points, rollups})
	require.NoError(t, s.MigrateTo(ctx, 4))
	var left int
	require.NoError(t, s.Pool().QueryRow(ctx, "SELECT count(*) FROM days").Scan(&left))
	assert.Equal(t, 2, left, "and back")
	_, err = s.Migrate(ctx)
	require.NoError(t, err)
	sizes, err := s.Sizes.Tables(ctx)
	require.NoError(t, err)
	for _, x := range sizes.Tables {
		assert.False(t, strings.Contains(x.Name, "_k"), "partitions are counted with their table: %s", x.Name)
	}
}

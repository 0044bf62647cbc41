package store_test

import (
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/testkit"
)

// What was picked before there were steps goes on as it was, and back again.
func TestPickedReadingsGetSteps(t *testing.T) {
	s, ctx := testkit.OpenStore(t, testkit.EmptyURL(t)), t.Context()
	require.NoError(t, s.MigrateTo(ctx, 47))
	before := []string{
		`{"key": "a", "treat": "rate", "scale": 8, "table": "t"}`,
		`{"key": "b", "treat": "value", "scale": 1, "by": "units", "of": "size"}`,
		`{"key": "c", "treat": "state", "scale": 1, "codes": {"1": "up"}}`,
	}
	_, err := s.Pool().Exec(ctx, `WITH p AS (INSERT INTO places (name, kind) VALUES ('Pier', 'site') RETURNING id),
		d AS (INSERT INTO all_devices (place_id, name, address, created_at) SELECT id, 'log-1', '192.0.2.7', now() FROM p RETURNING id)
		INSERT INTO own_kits (device_id, picked) SELECT id, $1::jsonb FROM d`, `{"readings": [`+strings.Join(before, ",")+`]}`)
	require.NoError(t, err)
	read := func() (got []string) {
		rows, err := s.Pool().Query(ctx, `SELECT r::text FROM own_kits,
			jsonb_array_elements(picked->'readings') WITH ORDINALITY AS x(r, n) ORDER BY n`)
		require.NoError(t, err)
		got, err = pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		return got
	}
	require.NoError(t, s.MigrateTo(ctx, 48))
	got := read()
	require.Len(t, got, 3)
	assert.JSONEq(t, `{"key": "a", "treat": "number", "table": "t", "steps": [{"do": "rate"}, {"do": "scale", "with": "8"}]}`, got[0])
	assert.JSONEq(t, `{"key": "b", "treat": "number",
		"steps": [{"do": "times", "with": "units"}, {"do": "percent_of", "with": "size"}]}`, got[1])
	assert.JSONEq(t, `{"key": "c", "treat": "state", "codes": {"1": "up"}, "steps": []}`, got[2])
	require.NoError(t, s.MigrateTo(ctx, 47))
	for i, got := range read() {
		assert.JSONEq(t, before[i], got)
	}
}

package store_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// textWorld is a device with a number, a state and two texts.
func textWorld(t *testing.T, s *store.Store) (domain.Device, []domain.Series) {
	t.Helper()
	d, number := world(t, s)
	made, err := s.Series.Add(t.Context(), []domain.Series{
		{DeviceID: d.ID, Kit: "k", Reading: "state", Name: "State", Kind: domain.KindState, Interval: time.Minute},
		{DeviceID: d.ID, Kit: "k", Reading: "about", Name: "About", Kind: domain.KindText, Interval: time.Minute},
		{DeviceID: d.ID, Kit: "k", Reading: "who", Name: "Who", Kind: domain.KindText, Interval: time.Minute}})
	require.NoError(t, err)
	return d, append([]domain.Series{number}, made...)
}

func see(t *testing.T, s *store.Store, texts ...domain.SeriesText) []domain.ID {
	t.Helper()
	coded, full, err := s.Words.Code(t.Context(), texts)
	require.NoError(t, err)
	require.NoError(t, s.Samples.Append(t.Context(), coded))
	return full
}

func TestTextsAreKeptAsRuns(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, series := textWorld(t, s)
	about, who := series[2], series[3]
	begin := now.Truncate(24*time.Hour).AddDate(0, 0, -3)
	var texts []domain.SeriesText
	for m := range 3 * 1440 {
		text := "release 6.1"
		if m >= 2000 {
			text = "release 6.2 — 'quoted' \"twice\"; DROP TABLE words"
		}
		texts = append(texts, domain.SeriesText{SeriesID: about.ID, At: begin.Add(time.Duration(m) * time.Minute), Text: text})
		if m%60 == 0 {
			texts = append(texts, domain.SeriesText{SeriesID: who.ID, At: begin.Add(time.Duration(m) * time.Minute), Text: ""})
		}
	}
	assert.Empty(t, see(t, s, texts...))
	want := []domain.Run{
		{From: begin, Until: begin.Add(1999 * time.Minute), Count: 2000, Value: 1, Text: "release 6.1"},
		{
			From:  begin.Add(2000 * time.Minute),
			Until: begin.Add(4319 * time.Minute),
			Count: 2320,
			Value: 2,
			Text:  "release 6.2 — 'quoted' \"twice\"; DROP TABLE words",
		},
	}
	for _, when := range []string{"in memory", "sealed", "folded"} {
		runs, err := s.Values.Runs(ctx, []domain.Series{about, who}, begin.AddDate(0, 0, -30), begin.AddDate(0, 0, 9))
		require.NoError(t, err)
		assert.Equal(t, want, runs[about.ID], when)
		require.Len(t, runs[who.ID], 1, "%s: an hour is its usual pause", when)
		assert.Equal(t, 72, runs[who.ID][0].Count)
		assert.Equal(t, "", runs[who.ID][0].Text)
		if when == "in memory" {
			require.NoError(t, s.Samples.Seal(ctx))
		} else {
			_, err = s.Samples.FoldDue(ctx, begin.AddDate(0, 0, 9))
			require.NoError(t, err)
		}
	}
	var rollups, rows int
	require.NoError(
		t,
		s.Pool().
			QueryRow(ctx, "SELECT (SELECT count(*) FROM rollup_5m) + (SELECT count(*) FROM rollup_1h) + (SELECT count(*) FROM "+
				"rollup_1d), (SELECT count(*) FROM runs)").
			Scan(&rollups, &rows),
	)
	assert.Zero(t, rollups, "the mean of texts says nothing")
	assert.LessOrEqual(t, rows, 4, "a row for each series and four weeks")

	// Single samples go, runs stay.
	_, err := s.Samples.Retain(ctx, begin.AddDate(1, 0, 0), store.Times(store.UsualKeep(30)))
	require.NoError(t, err)
	left, err := s.Values.Of(ctx, about.ID, begin, begin.AddDate(0, 0, 9))
	require.NoError(t, err)
	assert.Empty(t, left)
	runs, err := s.Values.Runs(ctx, []domain.Series{about}, begin, begin.AddDate(0, 0, 9))
	require.NoError(t, err)
	assert.Equal(t, want, runs[about.ID])

	standing, err := s.Values.Standing(ctx, series)
	require.NoError(t, err)
	assert.Len(t, standing, 2, "numbers do not stand, and the state has no value yet")
	assert.Equal(t, want[1], standing[about.ID])
	rowsShown, _, err := s.Values.Listed(ctx, domain.ValueFilter{Reading: "about", Limit: 5})
	require.NoError(t, err)
	assert.Equal(t, want[1].Text, rowsShown[0].Text)

	remove(t, s, d.ID)
	full := see(t, s, domain.SeriesText{SeriesID: about.ID, At: now, Text: "ghost"})
	assert.Empty(t, full, "texts of a series that is gone are left out")
}

// A late text changes the past where it belongs.
func TestLateTexts(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	_, series := textWorld(t, s)
	about := series[2]
	begin := now.Truncate(24*time.Hour).AddDate(0, 0, -5)
	at := func(minutes int, text string) domain.SeriesText {
		return domain.SeriesText{SeriesID: about.ID, At: begin.Add(time.Duration(minutes) * time.Minute), Text: text}
	}
	see(t, s, at(0, "a"), at(1, "a"), at(2, "a"), at(3, "a"), at(4, "a"), at(1441, "a"))
	require.NoError(t, s.Samples.Seal(ctx))
	_, err := s.Samples.FoldDue(ctx, now)
	require.NoError(t, err)
	see(t, s, at(2, "b"))
	words := func() (out []string) {
		runs, err := s.Values.Runs(ctx, []domain.Series{about}, begin, now)
		require.NoError(t, err)
		for _, r := range runs[about.ID] {
			out = append(out, fmt.Sprint(r.Text, r.Count))
		}
		return out
	}
	want := []string{"a2", "b1", "a2", "a1"}
	assert.Equal(t, want, words())
	require.NoError(t, s.Samples.Seal(ctx))
	_, err = s.Samples.FoldDue(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, want, words(), "folded again")
}

func TestASeriesWithTooManyTextsIsNamed(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	_, series := textWorld(t, s)
	about, who := series[2].ID, series[3].ID
	_, err := s.Pool().Exec(ctx, "INSERT INTO words VALUES ($1, 99999, '\\x00', 'one of very many')", about)
	require.NoError(t, err)
	text := func(id domain.ID, text string) domain.SeriesText {
		return domain.SeriesText{SeriesID: id, At: now, Text: text}
	}
	coded, full, err := s.Words.Code(ctx, []domain.SeriesText{text(about, "the last"), text(who, "x")})
	require.NoError(t, err)
	assert.Len(t, coded, 2)
	assert.Empty(t, full)
	again, full, err := s.Words.Code(
		ctx,
		[]domain.SeriesText{text(who, strings.Repeat("ü", 2000)), text(about, "one too many"), text(who, "x")},
	)
	require.NoError(t, err)
	require.Len(t, again, 2)
	assert.NotEqual(t, again[0].Value, again[1].Value)
	assert.Equal(t, 1.0, again[1].Value, "a text keeps its code")
	assert.Equal(t, []domain.ID{about}, full)
}

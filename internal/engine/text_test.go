package engine_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// system is the answer to the kit "system": description, uptime, contact, name,
// location; of what it tells of uptimes it has that of the agent only.
func system(q way.Question, n int, description string) derive.Fetched {
	text := func(s string) derive.Value { return derive.Value{Kind: derive.Text, Text: s} }
	at := time.Now().UTC().Truncate(time.Hour).Add(time.Duration(n-60) * time.Minute)
	if q.Key == "system/since" {
		return derive.Fetched{
			At:          at,
			Uptime:      4200,
			UptimeKnown: true,
			Rows:        []derive.Row{{Values: []derive.Value{{}, {}, {}, {Kind: derive.Gauge, Num: 4200}}}},
		}
	}
	return derive.Fetched{
		At: at,
		Rows: []derive.Row{
			{Values: []derive.Value{text(description), {}, text("np-sw-1"), text("  North\tPier \x00")}},
		},
	}
}

func TestTextsAreCollectedWithSinceWhenTheyStand(t *testing.T) {
	w := setup(t, "system")
	w.start(t, func(q way.Question, n int) derive.Fetched {
		if n >= 3 {
			return system(q, n, "switch, release 6.2")
		}
		return system(q, n, "switch, release 6.1")
	})
	past := func(reading string) []domain.Run {
		x := w.series(t)[reading]
		runs, err := w.store.Values.Runs(t.Context(), []domain.Series{x}, time.Now().AddDate(0, 0, -2), time.Now().AddDate(0, 0, 1))
		require.NoError(t, err)
		return runs[x.ID]
	}
	for n := range 4 {
		require.Eventually(t, func() bool {
			seen := 0
			for _, r := range past("description") {
				seen += r.Count
			}
			return seen > n
		}, 10*time.Second, 20*time.Millisecond)
		w.collector.CollectNow(w.device.ID, "")
	}
	runs := past("description")
	require.Len(t, runs, 2)
	assert.Equal(t, "switch, release 6.1", runs[0].Text)
	assert.Equal(t, "switch, release 6.2", runs[1].Text)
	assert.Equal(t, "North Pier", past("location")[0].Text, "what cannot be shown is taken away")
	assert.Equal(
		t,
		42.0,
		w.store.Values.LatestIn([]domain.ID{w.series(t)["uptime"].ID})[w.series(t)["uptime"].ID].Value,
		"hundredths become seconds",
	)
	all := w.series(t)
	assert.Equal(t, domain.KindText, all["description"].Kind)
	assert.Equal(t, domain.SeriesFailing, all["contact"].State)
	assert.Contains(t, all["contact"].Error, "does not give this value")
	assert.Equal(t, domain.SeriesAbsent, all["machine"].State, "a device need not have it")
	assert.Contains(t, all["machine"].Error, "does not give machine")
	assert.Equal(t, domain.SeriesAbsent, all["boots"].State)
	trace, err := w.collector.WhyValue(t.Context(), all["description"])
	require.NoError(t, err)
	assert.Contains(t, words(trace.Facts), "kept as it is")
}

func TestATextThatNeverStaysFails(t *testing.T) {
	w := setup(t, "system")
	w.start(t, func(q way.Question, n int) derive.Fetched { return system(q, n, "booted "+time.Now().String()) })
	require.Eventually(t, func() bool { return w.series(t)["description"].State == domain.SeriesOK }, 10*time.Second, 20*time.Millisecond)
	_, err := w.store.Pool().
		Exec(t.Context(), "INSERT INTO words VALUES ($1, 100000, '\\x00', 'one of very many')", w.series(t)["description"].ID)
	require.NoError(t, err)
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(
		t,
		func() bool { return w.series(t)["description"].State == domain.SeriesFailing },
		10*time.Second,
		20*time.Millisecond,
	)
	assert.Contains(t, w.series(t)["description"].Error, "so many different texts")
	name := w.series(t)["name"].ID
	before := w.store.Values.LatestIn([]domain.ID{name})[name].At
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(
		t,
		func() bool { return w.store.Values.LatestIn([]domain.ID{name})[name].At.After(before) },
		10*time.Second,
		20*time.Millisecond,
		"others go on",
	)
	assert.Equal(t, domain.SeriesFailing, w.series(t)["description"].State)
}

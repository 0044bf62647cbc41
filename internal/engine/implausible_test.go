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

// A device says things that cannot be: 2.4·10¹⁸ bit/s on a port of 1 Gbit/s and a
// state as a text. They are no samples, no rule sees them, and people are told.
func TestWhatCannotBeIsKeptApart(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Truncate(time.Minute).Add(-30 * time.Minute)
	said := func(state derive.Value, octets uint64) []derive.Row {
		row := port("5", "eth1", 6, octets)
		row.Values[3] = state
		return []derive.Row{row}
	}
	// (2⁶⁴ − 1) octets in 60 s are 2.459565876494607·10¹⁸ bit/s.
	w.looks(t, t0, said(num(1), 0), said(text("2"), 1<<64-1), said(num(1.5), 1<<64-1), said(num(1), 750_000-1))
	at, in := w.stored(t, "eth1/in", t0)
	assert.Equal(t, []int{2, 3}, at, "nothing in the second minute")
	assert.Equal(t, []float64{0, 100_000}, in, "it stood still, then passed its end: 750,000 B ÷ 60 s × 8")
	at, states := w.stored(t, "eth1/state", t0)
	assert.Equal(t, []int{0, 3}, at)
	assert.Equal(t, []float64{1, 1}, states)
	x := w.series(t)["eth1/in"]
	apart, err := w.store.Implausible.Of(t.Context(), []domain.ID{x.ID})
	require.NoError(t, err)
	require.Equal(t, int64(1), apart[x.ID].Count)
	assert.InEpsilon(t, 2.45957e18, apart[x.ID].Newest[0].Value, 1e-5)
	assert.Contains(t, apart[x.ID].Reason, "a line of 1\u00a0Gbit/s carries no more than twice that")
	assert.Equal(t, t0.Add(time.Minute), apart[x.ID].FirstAt)
	assert.Equal(t, int64(2), w.collector.Stats().Implausible, "in and out")
}

// Memory of −100 % and a processor of 10⁹ %; one processor of four spoils the mean.
func TestSharesThatCannotBe(t *testing.T) {
	w := setup(t, "host-resources")
	var asked []string
	w.start(t, func(q way.Question, _ int) derive.Fetched {
		asked = append(asked, q.Key)
		rows := make([]derive.Row, 4)
		for i := range rows {
			rows[i] = derive.Row{Index: string(rune('1' + i)), Values: make([]derive.Value, len(q.Columns))}
			for c := range q.Columns {
				rows[i].Values[c] = num(7)
			}
		}
		rows[2].Values[len(q.Columns)-1] = num(1e9)
		return derive.Fetched{Rows: rows}
	})
	require.Eventually(t, func() bool { return w.series(t)["cpu"].State == domain.SeriesFailing }, 10*time.Second, 20*time.Millisecond)
	assert.Contains(t, w.series(t)["cpu"].Error, "a share lies between 0 and 100 %")
	assert.NotEmpty(t, asked)
	_, ok := w.store.Values.LatestIn([]domain.ID{w.series(t)["cpu"].ID})[w.series(t)["cpu"].ID]
	assert.False(t, ok, "a mean of three would not be the truth")
}

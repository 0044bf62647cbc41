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

// looks gives the scripted tables one by one, a minute apart, and waits until
// all are stored.
func (w world) looks(t *testing.T, t0 time.Time, tables ...[]derive.Row) {
	t.Helper()
	w.start(t, func(_ way.Question, n int) derive.Fetched {
		n = min(n, len(tables))
		return derive.Fetched{At: t0.Add(time.Duration(n-1) * time.Minute), Uptime: uint32(n * 6000), UptimeKnown: true, Rows: tables[n-1]}
	})
	for {
		w.fetcher.mu.Lock()
		n := w.fetcher.counts["interfaces/table"]
		w.fetcher.mu.Unlock()
		if n >= len(tables) {
			break
		}
		w.collector.CollectNow(w.device.ID, "")
		require.Eventually(t, func() bool {
			w.fetcher.mu.Lock()
			defer w.fetcher.mu.Unlock()
			return w.fetcher.counts["interfaces/table"] > n
		}, 10*time.Second, time.Millisecond)
	}
	w.collector.Stop()
}

func (w world) stored(t *testing.T, name string, t0 time.Time) (at []int, values []float64) {
	t.Helper()
	got, err := w.store.Values.Of(t.Context(), w.series(t)[name].ID, t0, t0.Add(time.Hour))
	require.NoError(t, err)
	for _, x := range got {
		at, values = append(at, int(x.At.Sub(t0)/time.Minute)), append(values, x.Value)
	}
	return at, values
}

// eth1 carries 1 Mbyte a minute. It is removed and made again under its name;
// the agent goes on listing the old row, as down, for two looks. The counter of
// the new row begins at 20,000,000, far from the old one.
func TestAnInterfaceThatIsMadeAgainKeepsTrueValues(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Truncate(time.Minute).Add(-30 * time.Minute)
	old, now := uint64(5_000_000), uint64(20_000_000)
	w.looks(t, t0,
		[]derive.Row{port("5", "eth1", 6, old)},
		[]derive.Row{port("5", "eth1", 6, old+1_000_000)},
		[]derive.Row{stopped("5", "eth1", old+1_300_000), port("9", "eth1", 6, now)},
		[]derive.Row{stopped("5", "eth1", old+1_300_000), port("9", "eth1", 6, now+1_000_000)},
		[]derive.Row{port("9", "eth1", 6, now+2_000_000)},
	)
	parts, err := w.store.Parts.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	require.Len(t, parts, 1, "one interface, whatever rows there were")
	at, in := w.stored(t, "eth1/in", t0)
	assert.Equal(t, []int{1, 3, 4}, at, "the first looks at each row have no rate")
	for _, v := range in {
		assert.InDelta(t, 8_000_000.0/60, v, 1, "1,000,000 B in 60 s × 8")
	}
	_, states := w.stored(t, "eth1/state", t0)
	assert.Equal(t, []float64{1, 1, 1, 1, 1}, states, "it was never seen down")
}

// The same row counts since another time: ifCounterDiscontinuityTime says so.
func TestADiscontinuityBeginsACounterAnew(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Truncate(time.Minute).Add(-30 * time.Minute)
	since := func(octets uint64, hundredths float64) []derive.Row {
		row := port("5", "eth1", 6, octets)
		row.Values = append(row.Values, text(""), num(hundredths))
		return []derive.Row{row}
	}
	w.looks(t, t0, since(1_000_000, 0), since(2_000_000, 0), since(9_000_000, 7000), since(10_000_000, 7000))
	at, in := w.stored(t, "eth1/in", t0)
	assert.Equal(t, []int{1, 3}, at)
	for _, v := range in {
		assert.InDelta(t, 8_000_000.0/60, v, 1)
	}
}

// Values are of the moment at which their row came, not of the whole walk.
func TestRowsHaveTimesOfTheirOwn(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Truncate(time.Minute).Add(-30 * time.Minute)
	late := func(minutes, seconds int, octets uint64) []derive.Row {
		row := port("5", "eth1", 6, octets)
		row.At = t0.Add(time.Duration(minutes)*time.Minute + time.Duration(seconds)*time.Second)
		return []derive.Row{row}
	}
	// 900,000 B in 45 s: the first look came 20 s late, the second 5 s.
	w.looks(t, t0, late(0, 20, 0), late(1, 5, 900_000))
	got, err := w.store.Values.Of(t.Context(), w.series(t)["eth1/in"].ID, t0, t0.Add(time.Hour))
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, t0.Add(65*time.Second), got[0].At)
	assert.InDelta(t, 160_000, got[0].Value, 1, "900,000 B ÷ 45 s × 8")
}

func stopped(index, name string, octets uint64) derive.Row {
	row := port(index, name, 6, octets)
	row.Values[2], row.Values[3] = num(2), num(2)
	return row
}

// Fifty ports, two of which are called alike: all are watched, each as itself.
func TestTwinsAreWatchedEachAsItself(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Truncate(time.Minute).Add(-30 * time.Minute)
	look := func(n uint64) (rows []derive.Row) {
		for i, name := range []string{"Ethernet", "Ethernet", "lan3"} {
			rows = append(rows, port(string(rune('1'+i)), name, 6, n*uint64(i+1)*750_000))
		}
		return rows
	}
	w.looks(t, t0, look(1), look(2))
	series := w.series(t)
	assert.Len(t, series, 15)
	for name, want := range map[string]float64{"Ethernet (row 1)/in": 100_000, "Ethernet (row 2)/in": 200_000, "lan3/in": 300_000} {
		got := w.store.Values.LatestIn([]domain.ID{series[name].ID})
		assert.InDelta(t, want, got[series[name].ID].Value, 1e-6, name)
	}
}

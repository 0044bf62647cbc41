package codec

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRunsEndWithTheirValueOrAPause(t *testing.T) {
	at := func(minutes int64, v float64) Point { return Point{t0 + minutes*60_000, v} }
	points := []Point{at(0, 1), at(1, 1), at(2, 2), at(3, 1), at(4, 1), at(9, 1)}
	const minute = 60_000
	assert.Equal(t, []Run{
		{
			t0,
			t0 + minute,
			2,
			1,
		}, {t0 + 2*minute, t0 + 2*minute, 1, 2}, {t0 + 3*minute, t0 + 4*minute, 2, 1}, {t0 + 9*minute, t0 + 9*minute, 1, 1},
	}, Runs(nil, points, 3*minute), "five minutes without a point are a pause")
	assert.Len(t, Runs(nil, points, 5*minute), 3)
	assert.Len(t, Runs(nil, points, 0), 3, "any pause is allowed")
	assert.Empty(t, Runs(nil, nil, 0))
}

// A past that was brought in may be coarser than what is collected now.
func TestRunsFollowTheUsualPause(t *testing.T) {
	var points []Point
	at := int64(t0)
	for i := range 100 {
		at += 300_000 // five minutes
		if i == 50 {
			at += 3_600_000
		}
		points = append(points, Point{at, 1})
	}
	runs := Runs(nil, points, 180_000) // three times a minute
	assert.Len(t, runs, 2, "an hour is more than three times five minutes")
	assert.Equal(t, int64(300_000), runs[0].Pause())
	next := Runs(nil, []Point{{at + 600_000, 1}, {at + 660_000, 1}}, 180_000)
	assert.Len(t, JoinRun(runs, next[0], 180_000), 2, "ten minutes are not")
}

// Runs of parts, joined, are the runs of the whole.
func TestJoinedRunsAreThoseOfTheWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for range 50 {
		var points []Point
		at := int64(t0)
		for range 500 {
			at += 30_000 * (1 + r.Int64N(2)*r.Int64N(2)) // never more than what is allowed
			points = append(points, Point{at, float64(r.IntN(3))})
		}
		cut := r.IntN(len(points))
		joined := Runs(nil, points[:cut], 90_000)
		for _, x := range Runs(nil, points[cut:], 90_000) {
			joined = JoinRun(joined, x, 90_000)
		}
		whole := Runs(nil, points, 90_000)
		require.Equal(t, whole, joined)
		n := 0
		for _, x := range whole {
			n += x.Count
		}
		require.Equal(t, len(points), n)
	}
}

func runsRoundTrip(t *testing.T, runs []Run) int {
	t.Helper()
	var e Encoder
	var d Decoder
	block := e.AppendRuns(nil, runs)
	got, err := d.AppendRuns([]Run{{Count: 77}}, block)
	require.NoError(t, err)
	require.Equal(t, append([]Run{{Count: 77}}, runs...), got)
	for n := range len(block) {
		_, err := d.AppendRuns(nil, block[:n])
		require.ErrorIs(t, err, ErrCorrupt, "cut at %d", n)
	}
	return len(block)
}

func TestRunsComeBackExactly(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	var month []Run
	for d := range int64(28) { // one value for four weeks, asked once a minute
		month = append(month, Run{t0 + d*day, t0 + d*day + day - 60_000, 1440, 1})
	}
	assert.Less(t, runsRoundTrip(t, month), 32, "a month without change takes next to nothing")
	runsRoundTrip(t, nil)
	runsRoundTrip(t, []Run{{-5, -5, 1, 0}})
	runsRoundTrip(
		t,
		[]Run{{math.MinInt64 / 4, math.MaxInt64 / 4, 3, -1e300}, {math.MaxInt64/4 + 1, math.MaxInt64 / 3, 1, math.SmallestNonzeroFloat64}},
	)
	var wild []Run
	at := int64(t0)
	for range 300 {
		at += r.Int64N(1e6)
		x := Run{First: at, Count: r.IntN(9) + 1, V: r.NormFloat64()}
		at += r.Int64N(1e7)
		x.Last = at
		wild = append(wild, x)
	}
	runsRoundTrip(t, wild)
	_, err := new(Decoder).AppendRuns(nil, []byte{9})
	assert.ErrorIs(t, err, ErrCorrupt)
}

func FuzzDecodeRuns(f *testing.F) {
	var e Encoder
	f.Add(e.AppendRuns(nil, Runs(nil, regular(99, func(i int) float64 { return float64(i / 10) }), 0)))
	f.Fuzz(func(t *testing.T, data []byte) {
		var d Decoder
		_, _ = d.AppendRuns(nil, data)
	})
}

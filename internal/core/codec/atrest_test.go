package codec

import (
	"encoding/hex"
	"encoding/json"
	"flag"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write testdata/at-rest.json anew")

const atRest = "testdata/at-rest.json"

// pointsAtRest are chunks of every layout that the encoder chooses.
func pointsAtRest() map[string][]Point {
	r := rand.New(rand.NewPCG(11, 12))
	chance := func(one int) bool { return r.IntN(one) == 0 }
	uneven := regular(40, func(int) float64 { return float64(r.IntN(90)) / 10 })
	for i := range uneven {
		uneven[i].T += r.Int64N(3000)
	}
	slow := 20.5
	return map[string][]Point{
		"none":                       nil,
		"one":                        regular(1, func(int) float64 { return -3.25 }),
		"two":                        regular(2, func(i int) float64 { return float64(i) }),
		"constant":                   regular(30, func(int) float64 { return 99.97 }),
		"counter":                    regular(30, func(i int) float64 { return 1e6 + 150*float64(i) }),
		"counter that gathers speed": regular(30, func(i int) float64 { return float64(i * i) }),
		"uneven times":               uneven,
		"times of odd milliseconds":  {{t0, 1}, {t0 + 1, 2}, {t0 + 7, 3}, {t0 + 20, 4}},
		"times backwards":            {{t0, 1}, {t0 - 6000, 2}, {t0 - 3000, 3}},
		"before 1970":                {{-6000, 1}, {-4000, 2}, {-3000, 4}},
		"whole thousands":            regular(30, func(int) float64 { return float64(1+r.IntN(9)) * 1000 }),
		"seldom a peak": regular(60, func(int) float64 {
			if chance(20) {
				return 1e7 + float64(r.IntN(1000))
			}
			return float64(r.IntN(4))
		}),
		"one in eight no decimal":         regular(16, func(i int) float64 { return float64(i) + float64((i%8)/7)/3 }),
		"more than one in eight":          regular(15, func(i int) float64 { return float64(i) + float64((i%7)/6)/3 }),
		"slow floats":                     regular(30, func(i int) float64 { slow += float64(r.IntN(1<<20)) / (1 << 40); return slow }),
		"floats that stay":                regular(30, func(i int) float64 { return math.Sqrt(float64(2 + i/4)) }),
		"any bits":                        regular(20, func(int) float64 { return math.Float64frombits(r.Uint64() &^ (1 << 62)) }),
		"up to the largest exact integer": {{t0, 1 << 53}, {t0 + 1000, -1 << 53}},
		"behind the exact integers":       {{t0, 1<<53 + 2}, {t0 + 1000, 1<<53 + 4}, {t0 + 2000, 1<<53 + 8}},
		"wide":                            {{t0, 1 << 52}, {t0 + 1000, -1 << 52}, {t0 + 2000, 1<<52 - 5}, {t0 + 3000, 7}},
		"nine decimals":                   regular(9, func(i int) float64 { return 1 + float64(i)/1e9 }),
	}
}

// blocksAtRest writes each example as it lies in the database.
func blocksAtRest() map[string]string {
	var e Encoder
	out := map[string]string{}
	for name, points := range pointsAtRest() {
		out["chunk: "+name] = hex.EncodeToString(e.Append(nil, points))
		out["rollups: "+name] = hex.EncodeToString(e.AppendRollups(nil, Fold(nil, points, 5*60_000), 5*60_000))
		out["runs: "+name] = hex.EncodeToString(e.AppendRuns(nil, Runs(nil, points, 30_000)))
		var trail Trail
		for _, p := range points {
			trail.Add(p)
		}
		out["trail: "+name] = hex.EncodeToString(trail.data)
	}
	return out
}

// What lies in databases was written by versions of before. Each of its bytes
// must be written as then, so that no change of the layout slips in without a
// version of its own. The file was made by this very code, once: that what it
// says comes back exactly is told by the tests beside.
func TestBytesAtRestStayTheSame(t *testing.T) {
	got := blocksAtRest()
	if *update {
		text, err := json.MarshalIndent(got, "", "  ")
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(atRest, append(text, '\n'), 0o644))
	}
	text, err := os.ReadFile(atRest)
	require.NoError(t, err)
	var want map[string]string
	require.NoError(t, json.Unmarshal(text, &want))
	require.Len(t, got, len(want))
	for name := range want {
		assert.Equal(t, want[name], got[name], name)
	}
}

func TestWhatLiesAtRestComesBack(t *testing.T) {
	for name, points := range pointsAtRest() {
		t.Run(name, func(t *testing.T) {
			roundTrip(t, points)
			rollupsRoundTrip(t, Fold(nil, points, 5*60_000), 5*60_000)
			runsRoundTrip(t, Runs(nil, points, 30_000))
		})
	}
}

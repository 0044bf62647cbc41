package sim

import (
	"hash/fnv"
	"math"
	"time"
)

// seedOf makes a stable seed from a name.
func seedOf(name string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(name))
	return h.Sum64()
}

// hash gives a number in [0, 1) for a seed and a position (SplitMix64's mixer).
func hash(seed uint64, k int64) float64 {
	z := seed + uint64(k)*0x9e3779b97f4a7c15
	z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9
	z = (z ^ (z >> 27)) * 0x94d049bb133111eb
	return float64((z^(z>>31))>>11) / (1 << 53)
}

// smooth is value noise: a number in [0, 1] that changes smoothly, with the
// given period in seconds between independent values.
func smooth(seed uint64, t float64, period float64) float64 {
	k := math.Floor(t / period)
	x := t/period - k
	x = x * x * (3 - 2*x) // smoothstep: slope at most 1.5
	a, b := hash(seed, int64(k)), hash(seed, int64(k)+1)
	return a + (b-a)*x
}

// seconds gives a time as seconds, with fractions.
func seconds(t time.Time) float64 { return float64(t.UnixMilli()) / 1000 }

const day = 86400.0

// daytime is 0 at night and 1 in the early afternoon (UTC).
func daytime(t float64) float64 {
	return 0.5 - 0.5*math.Cos(2*math.Pi*(t-2*3600)/day)
}

func clamp(v, low, high float64) float64 { return math.Max(low, math.Min(high, v)) }

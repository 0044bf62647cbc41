package sim

import (
	"math"
	"time"
)

// traffic is a flow of bytes as a closed formula, so that a counter can be
// read at any time without adding up what went before.
type traffic struct {
	seed   uint64
	base   float64 // mean rate in bytes a second
	pulses []pulse
}

// pulse adds a steady rate for a while, once a week.
type pulse struct {
	start, length float64 // seconds since Monday 00:00 UTC
	rate          float64 // bytes a second
}

const (
	week      = 7 * day
	monday    = 4 * day // 1970-01-05 was a Monday
	swing     = 0.4     // share of the base that follows the time of day
	dayOffset = 8 * 3600
)

// octaves of noise: period in seconds and share of the base rate. The shares
// add up to less than (1 − swing) / 1.5, so that the flow never turns back.
var octaves = []struct{ period, share float64 }{{97, 0.12}, {641, 0.13}, {3607, 0.13}}

// total is the integral of the flow from time zero to t, in bytes:
//
//	∫ base (1 + swing·sin ω(t−t₀)) dt + noise displacement + pulses
func (f traffic) total(t float64) float64 {
	omega := 2 * math.Pi / day
	sum := f.base * (t - swing/omega*math.Cos(omega*(t-dayOffset)))
	for i, o := range octaves {
		sum += f.base * o.share * o.period * smooth(f.seed+uint64(i), t, o.period)
	}
	since := t - monday
	weeks := math.Floor(since / week)
	into := since - weeks*week
	for _, p := range f.pulses {
		sum += p.rate * (weeks*p.length + clamp(into-p.start, 0, p.length))
	}
	return sum
}

// counter reads the flow as a counter that began at boot.
func (f traffic) counter(boot, now time.Time) uint64 {
	return uint64(math.Max(0, f.total(seconds(now))-f.total(seconds(boot))))
}

// boarding are pulses at boarding time on sailing days.
func boarding(rate float64) []pulse {
	var out []pulse
	for _, weekday := range []float64{0, 2, 4, 5, 6} {
		for _, hour := range []float64{6.5, 12.25, 17.5} {
			out = append(out, pulse{weekday*day + hour*3600, 25 * 60, rate})
		}
	}
	return out
}

package rate

import (
	"math"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var t0 = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// at makes a reading some seconds after t0 on a device that booted 1000 s before t0.
func at(seconds int, count uint64, bits int) Reading {
	return Reading{At: t0.Add(time.Duration(seconds) * time.Second), Count: count, Bits: bits,
		Uptime: uint32((1000 + seconds) * 100), UptimeKnown: true}
}

func TestBetween(t *testing.T) {
	noUptime := func(r Reading) Reading { r.UptimeKnown = false; return r }
	apart := func(r Reading) Reading { r.Apart = true; return r }
	uptime := func(r Reading, ticks uint32) Reading { r.Uptime = ticks; return r }
	for name, c := range map[string]struct {
		old, now Reading
		ceiling  float64
		outcome  Outcome
		want     float64
	}{
		// (7000 − 1000) / 60 = 100
		"steady": {at(0, 1000, 64), at(60, 7000, 64), 0, Steady, 100},
		"still":  {at(0, 1000, 64), at(60, 1000, 64), 0, Steady, 0},
		// a missed poll: the average over the longer time, 12000 / 120 = 100
		"missed poll": {at(0, 1000, 64), at(120, 13000, 64), 0, Steady, 100},
		// 2^32 − 4294967000 = 296; 296 + 304 = 600; 600 / 60 = 10
		"32-bit wrap": {at(0, 4294967000, 32), at(60, 304, 32), 0, Wrapped, 10},
		// 2^64 − 18446744073709551000 = 616; 616 + 584 = 1200; 1200 / 60 = 20
		"64-bit wrap": {at(0, 18446744073709551000, 64), at(60, 584, 64), 0, Wrapped, 20},
		// From 2 000 000 down to 5: a wrap would mean 4 292 967 301 in 60 s,
		// more than half a round.
		"32-bit reset":              {at(0, 2_000_000, 32), at(60, 5, 32), 0, Reset, 0},
		"64-bit reset":              {at(0, 2_000_000_000, 64), at(60, 5, 64), 0, Reset, 0},
		"wrap above the line speed": {at(0, 4_000_000_000, 32), at(60, 304, 32), 1_250_000, Reset, 0},
		// 100 Mbit/s = 12.5 MB/s; 400 s × 12.5 MB = 5 GB > 2^32
		"may have wrapped twice":     {at(0, 1000, 32), at(400, 2000, 32), 12_500_000, Ambiguous, 0},
		"a day is too long a gap":    {at(0, 1000, 64), at(90_000, 2000, 64), 0, Ambiguous, 0},
		"reboot":                     {at(0, 9000, 64), uptime(at(60, 500, 64), 3000), 0, Rebooted, 0},
		"reboot with higher counter": {at(0, 10, 64), uptime(at(60, 500, 64), 3000), 0, Rebooted, 0},
		// sysUpTime wraps at 2^32 hundredths: 4294964296 is 30 s before the
		// end, so 60 s later it shows 3000. Not a reboot: 6000 / 60 = 100.
		"uptime wrap":       {uptime(at(0, 1000, 64), 4294964296), uptime(at(60, 7000, 64), 3000), 0, Steady, 100},
		"no uptime known":   {noUptime(at(0, 1000, 64)), noUptime(at(60, 7000, 64)), 0, Steady, 100},
		"clock stood still": {at(0, 1000, 64), at(0, 7000, 64), 0, NoTime, 0},
		"clock went back":   {at(60, 1000, 64), at(0, 7000, 64), 0, NoTime, 0},
		// Another run looked, or our clock was set: the device's own clock decides
		// whether what we think has passed is what passed.
		"apart, and the clocks agree":      {apart(at(0, 1000, 64)), at(60, 7000, 64), 0, Steady, 100},
		"apart, within 2 s":                {apart(at(0, 1000, 64)), uptime(at(20, 3000, 64), 102_200), 0, Steady, 100},
		"apart, beyond 2 s":                {apart(at(0, 1000, 64)), uptime(at(20, 3000, 64), 102_201), 0, Doubtful, 0},
		"apart, 5 % of a long time":        {apart(at(0, 1000, 64)), uptime(at(600, 61_000, 64), 163_000), 0, Steady, 100},
		"apart, our clock was set forward": {apart(at(0, 1000, 64)), uptime(at(240, 7000, 64), 106_000), 0, Doubtful, 0},
		"apart, and no uptime known":       {noUptime(apart(at(0, 1000, 64))), noUptime(at(60, 7000, 64)), 0, Steady, 100},
		"apart, over a wrap of the uptime": {apart(uptime(at(0, 1000, 64), 4294964296)), uptime(at(60, 7000, 64), 3000), 0, Steady, 100},
		"width changed":                    {at(0, 1000, 32), at(60, 7000, 64), 0, Changed, 0},
	} {
		t.Run(name, func(t *testing.T) {
			got, outcome, trace := Between(&c.old, c.now, c.ceiling)
			require.Equal(t, c.outcome, outcome)
			assert.InDelta(t, c.want, got, 1e-9)
			assert.NotEmpty(t, trace.Facts)
		})
	}
}

func TestFirstHasNoRate(t *testing.T) {
	_, outcome, trace := Between(nil, at(0, 5, 64), 0)
	assert.Equal(t, First, outcome)
	assert.Contains(t, trace.Facts[0].Text, "two values")
}

// Whatever the input, a rate is finite and not negative.
func FuzzBetween(f *testing.F) {
	f.Add(uint64(5), uint64(3), int64(60), uint32(100), uint32(50), true, 0.0)
	f.Fuzz(func(t *testing.T, a, b uint64, seconds int64, up1, up2 uint32, wide bool, ceiling float64) {
		bits := 64
		if !wide {
			bits, a, b = 32, a&math.MaxUint32, b&math.MaxUint32
		}
		old := Reading{At: t0, Count: a, Bits: bits, Uptime: up1, UptimeKnown: true}
		now := Reading{At: t0.Add(time.Duration(seconds%1e6) * time.Second), Count: b, Bits: bits, Uptime: up2, UptimeKnown: true}
		got, _ := Value(&old, now, ceiling)
		if got < 0 || math.IsNaN(got) || math.IsInf(got, 0) {
			t.Fatalf("rate %v", got)
		}
	})
}

// A row that was removed and made again under its name begins to count anew.
func TestAnotherInstanceBeginsAnew(t *testing.T) {
	of := func(r Reading, index string, since int64) Reading {
		r.Of = Instance{Index: index, Since: uint32(max(0, since)), SinceKnown: since >= 0}
		return r
	}
	before := of(at(0, 1000, 64), "5", 100)
	for name, c := range map[string]struct {
		now  Reading
		want Outcome
	}{
		"the same":               {of(at(60, 7000, 64), "5", 100), Steady},
		"another index":          {of(at(60, 7000, 64), "9", 100), Replaced},
		"another beginning":      {of(at(60, 7000, 64), "5", 4000), Replaced},
		"no word of a beginning": {of(at(60, 7000, 64), "5", -1), Steady},
	} {
		_, got := Value(&before, c.now, 0)
		assert.Equal(t, c.want, got, name)
	}
	silent := of(at(0, 1000, 64), "5", -1)
	_, got := Value(&silent, of(at(60, 7000, 64), "5", 4000), 0)
	assert.Equal(t, Steady, got, "the first word of it is no change")
}

// A value without its trace is the same value.
func TestValueIsBetweenWithoutTheTrace(t *testing.T) {
	for _, pair := range [][2]Reading{
		{at(0, 1000, 64), at(60, 7000, 64)}, {at(0, 4294967000, 32), at(60, 304, 32)}, {at(0, 2_000_000, 32), at(60, 5, 32)},
		{at(60, 1, 64), at(0, 1, 64)},
	} {
		want, outcome, _ := Between(&pair[0], pair[1], 0)
		got, same := Value(&pair[0], pair[1], 0)
		assert.Equal(t, outcome, same)
		assert.Equal(t, want, got)
	}
}

// The bounds of every decision, with what is just on the other side.
func TestBounds(t *testing.T) {
	uptime := func(r Reading, ticks uint32) Reading { r.Uptime = ticks; return r }
	const end = uint32(1<<32 - 1)
	for name, c := range map[string]struct {
		old, now Reading
		ceiling  float64
		want     Outcome
	}{
		// 64 s × 2^26 counts a second are 2^32: just one round
		"a round within the interval":         {at(0, 1000, 32), at(64, 2000, 32), 1 << 26, Ambiguous},
		"a little less than a round":          {at(0, 1000, 32), at(64, 2000, 32), 1<<26 - 1, Steady},
		"a day":                               {at(0, 1000, 64), at(86_400, 2000, 64), 0, Steady},
		"a second more than a day":            {at(0, 1000, 64), at(86_401, 2000, 64), 0, Ambiguous},
		"an agent that shows a cached uptime": {at(0, 1000, 64), uptime(at(60, 2000, 64), at(0, 0, 64).Uptime), 0, Steady},
		// sysUpTime passes its end 300 s after the first reading and shows 300 s after 600 s
		"a long wrap of the uptime": {uptime(at(0, 10, 64), end-30_000+1), uptime(at(600, 20, 64), 30_000), 0, Steady},
		// 120 s are allowed: 600 s of our clock, 480 s and 479 s of the device's
		"the uptime is 120 s behind": {uptime(at(0, 10, 64), end-30_000+1), uptime(at(600, 20, 64), 18_000), 0, Steady},
		"the uptime is 121 s behind": {uptime(at(0, 10, 64), end-30_000+1), uptime(at(600, 20, 64), 17_900), 0, Rebooted},
		// 1000 a second, 60 s and a tenth: 66 000
		"a wrap as fast as can be":      {at(0, 1<<32-1000, 32), at(60, 65_000, 32), 1000, Wrapped},
		"a wrap faster than can be":     {at(0, 1<<32-1000, 32), at(60, 65_001, 32), 1000, Reset},
		"more than half a round, known": {at(0, 4_000_000_000, 32), at(60, 3_000_000_000, 32), 71_000_000, Wrapped},
		"half a round, not known":       {at(0, 1<<31+5, 32), at(60, 5, 32), 0, Wrapped},
		"more than half, not known":     {at(0, 1<<31+5, 32), at(60, 6, 32), 0, Reset},
		// 10^12 a second for 60 s
		"64 bits wrap at 10^12 a second": {at(0, math.MaxUint64, 64), at(60, 60_000_000_000_000-1, 64), 0, Wrapped},
		"64 bits wrap faster":            {at(0, math.MaxUint64, 64), at(60, 60_000_000_100_000, 64), 0, Reset},
	} {
		_, got := Value(&c.old, c.now, c.ceiling)
		assert.Equal(t, c.want, got, name)
	}
}

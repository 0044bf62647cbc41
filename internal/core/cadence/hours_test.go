package cadence

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// 2026-11-27 is a Friday.
func at(day, clock string) time.Time {
	t, err := time.Parse("2006-01-02 15:04", "2026-11-"+day+" "+clock)
	if err != nil {
		panic(err)
	}
	return t
}

func TestWhenHoursAreOpen(t *testing.T) {
	h, err := ReadHours("Mon-Fri 07:00-19:00, Sat 08:00-12:00")
	require.NoError(t, err)
	for when, want := range map[string]bool{
		"27 06:59": false, "27 07:00": true, "27 18:59": true, "27 19:00": false,
		"28 07:30": false, "28 08:00": true, "28 12:00": false, "29 10:00": false, "30 07:00": true,
	} {
		assert.Equal(t, want, h.Open(at(when[:2], when[3:])), when)
	}
	next, ok := h.Turns(at("27", "18:30"))
	assert.True(t, ok)
	assert.Equal(t, at("27", "19:00"), next)
	next, _ = h.Turns(at("28", "12:00"))
	assert.Equal(t, at("30", "07:00"), next, "from Saturday noon to Monday")
	assert.InDelta(t, 64.0/168, h.Share(), 1e-9, "5 × 12 h and 4 h of 168 h")
	assert.False(t, h.Always())
}

func TestHoursMayPassMidnightAndTheWeek(t *testing.T) {
	night, err := ReadHours("fri-sun 22:00-06:00 utc")
	require.NoError(t, err)
	for when, want := range map[string]bool{
		"27 21:59": false, "27 22:00": true, "28 05:59": true, "28 06:00": false, "29 23:00": true, "30 05:00": true, "30 22:00": false,
		"27 03:00": false,
	} {
		assert.Equal(t, want, night.Open(at(when[:2], when[3:])), when)
	}
	whole, err := ReadHours("daily 00:00-24:00")
	require.NoError(t, err)
	assert.InDelta(t, 1, whole.Share(), 1e-9)
	_, ok := whole.Turns(at("27", "12:00"))
	assert.False(t, ok, "it never ends")
	around, err := ReadHours("Sat-Mon 00:00-00:00")
	require.NoError(t, err)
	assert.InDelta(t, 3.0/7, around.Share(), 1e-9, "as long as a day, three times")
}

// In Vienna it is an hour later than in UTC in winter, two in summer: the clock goes on from 2 to 3
// on 2026-03-29.
func TestHoursAreThoseOfTheirZone(t *testing.T) {
	h, err := ReadHours("daily 02:30-04:00 Europe/Vienna")
	require.NoError(t, err)
	assert.True(t, h.Open(at("27", "01:30")))
	assert.False(t, h.Open(at("27", "03:00")))
	spring := time.Date(2026, 3, 29, 0, 59, 0, 0, time.UTC) // 01:59, then 03:00
	assert.False(t, h.Open(spring))
	assert.True(t, h.Open(spring.Add(time.Minute)), "half past two does not come, three does")
}

func TestHoursThatAreNone(t *testing.T) {
	for _, same := range []string{"", " always ", "Always"} {
		h, err := ReadHours(same)
		require.NoError(t, err)
		assert.True(t, h.Always())
		assert.True(t, h.Open(time.Now()))
		assert.Equal(t, 1.0, h.Share())
	}
	for typed, want := range map[string]string{
		"working hours":             "there is no zone “hours”",
		"Mon-Fri":                   "hours such as",
		"Mon-Fri 7-19":              "hours such as",
		"Mon-Fri 07:00":             "hours such as",
		"Mon-Fri 07:00-25:00":       "hours such as",
		"Mon-Fri 24:00-25:00":       "hours such as",
		"Moon 07:00-19:00":          "“Moon” are no days",
		"Mon-Moon 07:00-19:00":      "are no days",
		"Mon 07:00-19:00 Harbour":   "there is no zone “Harbour”",
		"Mon 07:00-19:00 Local":     "there is no zone",
		"Mon 07:00-19:00,":          "hours such as",
		"Mon 07:00-19:00 ../../etc": "there is no zone",
	} {
		_, err := ReadHours(typed)
		assert.ErrorContains(t, err, want, typed)
	}
}

// 2026-12-24 is a Thursday.
func TestDaysOff(t *testing.T) {
	on := func(text string) time.Time {
		at, err := time.Parse("2006-01-02 15:04", text)
		require.NoError(t, err)
		return at
	}
	h, err := ReadHours("Mon-Fri 07:00-19:00, not 12-24..12-26, not 2026-12-31, daily 22:00-02:00, not 12-30..01-01")
	require.NoError(t, err)
	for when, want := range map[string]bool{
		"2026-12-23 10:00": true, "2026-12-24 10:00": false, "2027-12-24 10:00": false, "2026-12-25 23:00": false,
		"2026-12-24 01:00": true,  // began on the 23rd
		"2026-12-27 01:00": false, // would have begun on the 26th
		"2026-12-31 10:00": false, "2027-12-31 10:00": false, "2027-01-01 10:00": false, "2026-12-29 10:00": true,
		"2027-01-02 23:00": true,
	} {
		assert.Equal(t, want, h.Open(on(when)), when)
	}
	next, ok := h.Turns(on("2026-12-24 02:00"))
	assert.True(t, ok)
	assert.Equal(t, on("2026-12-27 22:00"), next, "a Sunday: nothing by day")

	alone, err := ReadHours("not 2026-12-01..2027-06-30 Europe/Vienna")
	require.NoError(t, err)
	assert.True(t, alone.Open(on("2026-11-30 22:59")))
	assert.False(t, alone.Open(on("2026-11-30 23:00")), "midnight in Vienna")
	next, ok = alone.Turns(on("2026-11-30 23:00"))
	assert.True(t, ok)
	assert.Equal(t, on("2027-06-30 22:00"), next, "half a year later, in summer time")

	leap, err := ReadHours("daily 00:00-24:00, not 02-29")
	require.NoError(t, err)
	assert.False(t, leap.Open(on("2028-02-29 12:00")))
	for typed, want := range map[string]string{
		"Mon 07:00-19:00, not 13-01":                 "“13-01” is no day",
		"Mon 07:00-19:00, not 2026-02-29":            "is no day",
		"Mon 07:00-19:00, not 12-24..2026-12-26":     "the year of both days",
		"Mon 07:00-19:00, not 2026-12-24..2026-12-1": "is no day",
		"Mon 07:00-19:00, not 2026-12-24..2025-12-1": "is no day",
		"not 2026-12-24..2026-12-23":                 "ends before it begins",
		"not":                                        "hours such as",
	} {
		_, err := ReadHours(typed)
		assert.ErrorContains(t, err, want, typed)
	}
}

// Turning is when being open changes, and at no minute before: looked for minute by minute.
func FuzzTurns(f *testing.F) {
	f.Add("Mon-Fri 07:00-19:00, Sat 22:30-04:15, not 03-28..03-30 Europe/Vienna", int64(1774700000))
	f.Add("daily 02:30-04:00 Europe/Vienna", int64(1774740000)) // the clock is set on 2026-03-29
	f.Add("Sun 00:00-00:00", int64(1790000000))
	f.Fuzz(func(t *testing.T, typed string, unix int64) {
		h, err := ReadHours(typed)
		if err != nil || unix < 0 || unix > 4e9 {
			return
		}
		from := time.Unix(unix, 0).UTC().Truncate(time.Minute)
		next, ok := h.Turns(from)
		for at := from.Add(time.Minute); at.Before(from.Add(50 * time.Hour)); at = at.Add(time.Minute) {
			if h.Open(at) != h.Open(from) {
				require.True(t, ok, "%s turns at %s", typed, at)
				require.Equal(t, at, next, typed)
				return
			}
		}
		require.True(t, !ok || !next.Before(from.Add(50*time.Hour)), "%s does not turn at %s", typed, next)
	})
}

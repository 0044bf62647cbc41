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
		"Mon-Fri 7-19":              "there is no zone “7-19”",
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

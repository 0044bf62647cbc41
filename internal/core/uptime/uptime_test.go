package uptime

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

var now = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

const day = 24 * time.Hour

func TestRound(t *testing.T) {
	// 2³² hundredths: 42,949,672.96 s = 497 d 2 h 27 min 52.96 s
	assert.Equal(t, 497*day+2*time.Hour+27*time.Minute+52*time.Second+960*time.Millisecond, time.Duration(Round))
}

func TestSince(t *testing.T) {
	boot := func(ago time.Duration) time.Time { return now.Add(-ago) }
	for name, c := range map[string]struct {
		before time.Time
		uptime time.Duration
		since  time.Time
		want   Outcome
	}{
		"nothing known":           {time.Time{}, 3 * day, boot(3 * day), First},
		"it runs on":              {boot(3 * day), 3 * day, boot(3 * day), Same},
		"clocks differ by 5 min":  {boot(10 * day), 10*day - 5*time.Minute, boot(10 * day), Same},
		"a minute of a young one": {boot(time.Hour), time.Hour - time.Minute, boot(time.Hour), Same},
		// a minute and a thousandth of 1000 s
		"as much as is allowed":    {boot(1061 * time.Second), 1000 * time.Second, boot(1061 * time.Second), Same},
		"a second more":            {boot(1062 * time.Second), 1000 * time.Second, boot(1000 * time.Second), Started},
		"it started 5 minutes ago": {boot(3 * day), 5 * time.Minute, boot(5 * time.Minute), Started},
		// the least that a new start can look like: it ran for two minutes, and starts
		"it starts again and again": {boot(2 * time.Minute), 0, now, Started},
		// it ran for 500 days: 500 d − 497 d 2:27:52.96 are 2 d 21:32:07.04
		"it wrapped":             {boot(500 * day), 500*day - Round, boot(500 * day), Wrapped},
		"it wrapped, with drift": {boot(500 * day), 500*day - Round - 3*time.Minute, boot(500 * day), Wrapped},
		"it wrapped twice":       {boot(1000 * day), 1000*day - 2*Round, boot(1000 * day), Wrapped},
		"started after 500 days": {boot(500 * day), time.Hour, boot(time.Hour), Started},
		"started near a wrap":    {boot(Round + 2*time.Hour), 5 * time.Minute, boot(5 * time.Minute), Started},
		// A ten-thousandth of 497 days are 72 minutes: nobody can tell.
		"started just at a wrap": {boot(Round + time.Hour), 5 * time.Minute, boot(Round + time.Hour), Wrapped},
		"the clock was set back": {boot(time.Hour), 3 * time.Hour, boot(3 * time.Hour), Started},
	} {
		since, got, trace := Since(c.before, now, c.uptime)
		assert.Equal(t, c.want, got, name)
		assert.Equal(t, c.since.Truncate(time.Second), since.Truncate(time.Second), name)
		assert.Equal(t, string(got), trace.Answer)
		assert.NotEmpty(t, trace.Facts[0].Detail)
	}
}

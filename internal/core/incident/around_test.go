package incident

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestTheTimeAroundAnIncident(t *testing.T) {
	at := time.Date(2026, 11, 12, 3, 40, 0, 0, time.UTC)
	now := at.Add(14 * 24 * time.Hour)
	for name, c := range map[string]struct {
		in       domain.Incident
		now      time.Time
		from, to time.Duration // after it began
	}{
		"twelve minutes, two weeks ago": {domain.Incident{RecoveredAt: at.Add(12 * time.Minute)}, now, -30 * time.Minute, 42 * time.Minute},
		"eight hours":                   {domain.Incident{RecoveredAt: at.Add(8 * time.Hour)}, now, -2 * time.Hour, 10 * time.Hour},
		"just begun":                    {domain.Incident{}, at.Add(time.Minute), -30 * time.Minute, time.Minute},
		"open for four days":            {domain.Incident{}, at.Add(96 * time.Hour), -24 * time.Hour, 96 * time.Hour},
		"recovered a minute ago": {
			domain.Incident{RecoveredAt: at.Add(time.Hour)}, at.Add(61 * time.Minute), -30 * time.Minute, 61 * time.Minute,
		},
		"resolved by hand":          {domain.Incident{ResolvedAt: at.Add(time.Hour)}, now, -30 * time.Minute, 90 * time.Minute},
		"a clock that was set back": {domain.Incident{}, at.Add(-time.Hour), -30 * time.Minute, -time.Hour},
	} {
		c.in.EpisodeAt = at
		from, to := Around(c.in, c.now)
		assert.Equal(t, c.from, from.Sub(at), name)
		assert.Equal(t, c.to, to.Sub(at), name)
	}
}

package incident

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func TestAssign(t *testing.T) {
	resolved := func(id domain.ID, ago time.Duration) domain.Incident {
		return domain.Incident{ID: id, DeviceID: 5, Cause: "reach", State: domain.IncidentResolved, ResolvedAt: noon.Add(-ago)}
	}
	open := domain.Incident{ID: 3, DeviceID: 5, Cause: "reach", State: domain.IncidentAcknowledged}
	for name, c := range map[string]struct {
		known []domain.Incident
		want  Action
		id    domain.ID
	}{
		"nothing known":             {nil, Start, 0},
		"an open one is joined":     {[]domain.Incident{resolved(9, time.Minute), open}, Join, 3},
		"a recent one reopens":      {[]domain.Incident{resolved(7, 14*time.Minute), resolved(8, 10*time.Minute)}, Reopen, 8},
		"an old one does not":       {[]domain.Incident{resolved(7, 15*time.Minute)}, Start, 0},
		"another cause is another":  {[]domain.Incident{{ID: 1, DeviceID: 5, Cause: "volume:/data"}}, Start, 0},
		"another device is another": {[]domain.Incident{{ID: 1, DeviceID: 6, Cause: "reach"}}, Start, 0},
		"resolved by hand, then recovered": {
			[]domain.Incident{
				{ID: 4, DeviceID: 5, Cause: "reach", State: domain.IncidentResolved,
					ResolvedAt: noon.Add(-time.Hour), RecoveredAt: noon.Add(-time.Minute)},
			},
			Reopen, 4,
		},
	} {
		action, id, trace := Assign(5, "reach", noon, c.known)
		assert.Equal(t, c.want, action, name)
		assert.Equal(t, c.id, id, name)
		assert.NotEmpty(t, trace.Facts, name)
	}
}

func TestCause(t *testing.T) {
	assert.Equal(t, "reach", Cause("reach", ""))
	assert.Equal(t, "volume:/data", Cause("volume", "/data"))
}

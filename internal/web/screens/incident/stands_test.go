package incident

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

func TestHowAnIncidentStands(t *testing.T) {
	var v pageView
	v.In.Level, v.In.Worst = domain.LevelCritical, domain.LevelCritical
	assert.Equal(t, "Critical", v.Stands())
	v.In.Level = domain.LevelNotice
	assert.Equal(t, "Notice now, critical at its worst", v.Stands())
}

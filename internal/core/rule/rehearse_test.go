package rule

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

func TestRehearse(t *testing.T) {
	// Two in a row above 80: minutes 1–2 raise at minute 2; 75 at minute 4
	// recovers; minutes 6–7 raise again and last.
	past := window(70, 81, 83, 99, 75, 70, 85, 86)
	got := Rehearse(full(), past)
	require.Len(t, got, 2)
	assert.Equal(t, Episode{From: noon.Add(2 * time.Minute), To: noon.Add(4 * time.Minute), Level: domain.LevelNotice, Peak: 99}, got[0])
	assert.Equal(t, noon.Add(7*time.Minute), got[1].From)
	assert.True(t, got[1].To.IsZero())
	assert.Empty(t, Rehearse(full(), nil))
}

// Rehearsing must find the same changes as judging value by value.
func TestRehearseEqualsJudging(t *testing.T) {
	var values []float64
	for i := range 300 {
		values = append(values, float64((i*i*7)%100))
	}
	past := window(values...)
	level, raised := domain.LevelNone, 0
	for i := range past {
		next := Judge(full(), level, past[max(0, i-1):i+1]).Level
		if level == domain.LevelNone && next > level {
			raised++
		}
		level = next
	}
	assert.Len(t, Rehearse(full(), past), raised)
}

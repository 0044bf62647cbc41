package limit

import (
	"math/rand"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

func TestRehearse(t *testing.T) {
	// Two in a row above 80: minutes 1–2 raise at minute 2; 75 at minute 4
	// recovers; minutes 6–7 raise again and last.
	past := window(70, 81, 83, 99, 75, 70, 85, 86)
	got := rule.Rehearse(full(), past)
	require.Len(t, got, 2)
	assert.Equal(
		t,
		rule.Episode{From: noon.Add(2 * time.Minute), To: noon.Add(4 * time.Minute), Level: domain.LevelNotice, Peak: 99},
		got[0],
	)
	assert.Equal(t, noon.Add(7*time.Minute), got[1].From)
	assert.True(t, got[1].To.IsZero())
	assert.Empty(t, rule.Rehearse(full(), nil))
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
		next := rule.Judge(full(), level, past[max(0, i-1):i+1]).Level
		if level == domain.LevelNone && next > level {
			raised++
		}
		level = next
	}
	assert.Len(t, rule.Rehearse(full(), past), raised)
}

// A window by time holds what the condition needs, and no more than that.
func TestRehearseByTimeEqualsJudgingEverything(t *testing.T) {
	r := rule.Rule{
		Name: "r",
		Condition: &Condition{Side: Above, For: rule.Hold{Time: 4 * time.Minute}, Recover: rule.Hold{Time: 3 * time.Minute},
			Limits: map[domain.Level]Limit{domain.LevelWarning: {60, 55}}},
	}
	rng := rand.New(rand.NewSource(3))
	var past []domain.Sample
	at := noon
	for v := 50.0; len(past) < 2000; v += rng.NormFloat64() * 9 {
		v = min(100, max(0, v))
		at = at.Add(time.Duration(10+rng.Intn(170)) * time.Second)
		past = append(past, domain.Sample{At: at, Value: v})
	}
	level, raised := domain.LevelNone, 0
	for i := range past {
		next := rule.Judge(r, level, past[:i+1]).Level
		if level == domain.LevelNone && next > level {
			raised++
		}
		level = next
	}
	assert.Greater(t, raised, 3)
	assert.Len(t, rule.Rehearse(r, past), raised)
}

package rule_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
)

// Loads of four lines, judged from 80 %, 90 % and 100 % on, after three values.
func TestWhatARuleWouldSayOfSingleValues(t *testing.T) {
	condition := &limit.Condition{Side: limit.Above, For: rule.Hold{Values: 3}, Recover: rule.Hold{Values: 1},
		Limits: map[domain.Level]limit.Limit{
			domain.LevelNotice:   {Raise: 80, Recover: 75},
			domain.LevelWarning:  {Raise: 90, Recover: 85},
			domain.LevelCritical: {Raise: 100, Recover: 95},
		}}
	r := rule.Rule{Name: "Loaded", Unit: "%", Condition: condition}
	f, ok := rule.Foretell(r, []float64{12, 95, 81, 40})
	assert.True(t, ok)
	assert.Equal(t, domain.LevelWarning, f.Level)
	assert.Equal(t, 2, f.Bad)
	assert.Equal(t, 95.0, f.Worst)
	assert.Equal(t, "warning for 3 values in a row: 95\u00a0%", f.Why.Answer)
	assert.Equal(t, "2 of 4 values are bad", f.Why.Facts[0].Detail)
	f, ok = rule.Foretell(r, []float64{12, 43})
	assert.True(t, ok)
	assert.Equal(t, domain.LevelNone, f.Level)
	assert.Equal(t, "fine: 43\u00a0%", f.Why.Answer)
	_, ok = rule.Foretell(r, nil)
	assert.False(t, ok)
	_, ok = rule.Foretell(rule.Rule{Condition: &limit.Condition{}}, []float64{1})
	assert.False(t, ok, "it watches nothing")
}

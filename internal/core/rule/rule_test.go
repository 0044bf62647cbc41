package rule

import (
	"math/rand"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func window(values ...float64) []domain.Sample {
	out := make([]domain.Sample, len(values))
	for i, v := range values {
		out[i] = domain.Sample{At: noon.Add(time.Duration(i) * time.Minute), Value: v}
	}
	return out
}

// full is a volume rule: notice 80, warning 90, critical 95, two in a row,
// fine again at 75, 85 and 92.
func full() Rule {
	return Rule{
		ID: 7, Name: "volume full", Unit: "%", Side: Above, InARow: 2, RecoverInARow: 1,
		Limits: map[domain.Level]Limit{
			domain.LevelNotice:   {80, 75},
			domain.LevelWarning:  {90, 85},
			domain.LevelCritical: {95, 92},
		},
	}
}

func TestJudge(t *testing.T) {
	none, notice, warning, critical := domain.LevelNone, domain.LevelNotice, domain.LevelWarning, domain.LevelCritical
	for name, c := range map[string]struct {
		before domain.Level
		values []float64
		want   domain.Level
	}{
		"no value changes nothing":             {warning, nil, warning},
		"one of two is not enough":             {none, []float64{70, 96}, none},
		"a single value is not two":            {none, []float64{99}, none},
		"two in a row raise":                   {none, []float64{81, 82}, notice},
		"the level both values pass counts":    {none, []float64{91, 99}, warning},
		"both critical":                        {none, []float64{96, 97}, critical},
		"the limit itself is good":             {none, []float64{80, 80}, none},
		"stays between recovery and limit":     {notice, []float64{78, 76}, notice},
		"the recovery limit itself recovers":   {notice, []float64{81, 75}, none},
		"eases to warning, not to fine":        {critical, []float64{96, 91}, warning},
		"93 is not recovered from critical":    {critical, []float64{96, 93}, critical},
		"eases to notice":                      {critical, []float64{96, 84}, notice},
		"falls right through":                  {critical, []float64{96, 10}, none},
		"raises while in trouble":              {notice, []float64{96, 97}, critical},
		"one critical value does not raise it": {notice, []float64{82, 97}, notice},
	} {
		t.Run(name, func(t *testing.T) {
			got := Judge(full(), c.before, window(c.values...))
			assert.Equal(t, c.want, got.Level)
			assert.NotEmpty(t, got.Why.Answer)
		})
	}
}

func TestJudgeBelowWithLongerRecovery(t *testing.T) {
	battery := Rule{Name: "battery", Unit: "V", Side: Below, InARow: 1, RecoverInARow: 3,
		Limits: map[domain.Level]Limit{domain.LevelWarning: {24, 25}}}
	assert.Equal(t, domain.LevelWarning, Judge(battery, domain.LevelNone, window(23.9)).Level)
	assert.Equal(t, domain.LevelNone, Judge(battery, domain.LevelNone, window(24)).Level)
	assert.Equal(t, domain.LevelWarning, Judge(battery, domain.LevelWarning, window(25, 26)).Level, "two good of three")
	assert.Equal(t, domain.LevelWarning, Judge(battery, domain.LevelWarning, window(25, 24.9, 26)).Level)
	assert.Equal(t, domain.LevelNone, Judge(battery, domain.LevelWarning, window(25, 26, 27)).Level)
}

func TestJudgeTellsWhenItBeganAndWhy(t *testing.T) {
	v := Judge(full(), domain.LevelNone, window(70, 82, 91, 92))
	assert.Equal(t, domain.LevelWarning, v.Level)
	assert.Equal(t, 90.0, v.Limit)
	assert.Equal(t, noon.Add(time.Minute), v.FirstBadAt, "82 was the first beyond 80")
	assert.Contains(t, v.Why.Facts[0].Text, "91")
	assert.Contains(t, v.Why.Facts[0].Text, "92")
	assert.Equal(t, int64(7), v.Why.Facts[1].Ref.ID)
	assert.True(t, Judge(full(), domain.LevelNone, window(82, 70)).FirstBadAt.IsZero())
}

// A value seen again must never change the outcome, and a window beyond every
// limit must always end critical: two invariants over random input.
func TestJudgeInvariants(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	for range 2000 {
		values := []float64{rng.Float64() * 100, rng.Float64() * 100}
		before := domain.Level(rng.Intn(4))
		once := Judge(full(), before, window(values...)).Level
		assert.Equal(t, once, Judge(full(), once, window(values...)).Level, "settled: %v from %v", values, before)
		assert.Equal(t, domain.LevelCritical, Judge(full(), before, window(99, 99)).Level)
	}
}

// The short way out is taken only where the long way leads to the same.
func TestAtRestEqualsJudging(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	below := Rule{Name: "low", Side: Below, InARow: 1, RecoverInARow: 2, Limits: map[domain.Level]Limit{domain.LevelWarning: {20, 25}}}
	rested := 0
	for range 5000 {
		for _, r := range []Rule{full(), below} {
			w := window(rng.Float64()*100, rng.Float64()*100, rng.Float64()*100)
			if !r.AtRest(w) {
				continue
			}
			rested++
			v := Judge(r, domain.LevelNone, w)
			assert.Equal(t, domain.LevelNone, v.Level)
			assert.True(t, v.FirstBadAt.IsZero())
		}
	}
	assert.Greater(t, rested, 5000)
	assert.True(t, full().AtRest(nil))
	assert.False(t, full().AtRest(window(1, 81)), "beyond the mildest limit")
}

func TestWords(t *testing.T) {
	assert.Equal(t, "Critical above 95\u00a0%, warning above 90\u00a0%, notice above 80\u00a0% for 2 values in a row; fine again at or below 75\u00a0%.", full().Words())
	assert.Contains(t, Rule{}.Words(), "nothing")
}

func TestValidate(t *testing.T) {
	assert.Empty(t, full().Validate())
	bad := full()
	bad.Name, bad.InARow, bad.RecoverInARow = " ", 0, 61
	bad.Limits[domain.LevelCritical] = Limit{85, 92}
	errs := bad.Validate()
	for _, field := range []string{"name", "in_a_row", "recover_in_a_row", "raise_critical", "recover_critical"} {
		assert.Contains(t, errs, field)
	}
	assert.Contains(t, Rule{Name: "x", Side: Above, InARow: 1, RecoverInARow: 1}.Validate(), "limits")
}

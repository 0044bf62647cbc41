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

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func window(values ...float64) []domain.Sample {
	out := make([]domain.Sample, len(values))
	for i, v := range values {
		out[i] = domain.Sample{At: noon.Add(time.Duration(i) * time.Minute), Value: v}
	}
	return out
}

func inARow(n int) rule.Hold { return rule.Hold{Values: n} }

// full is a volume rule: notice 80, warning 90, critical 95, two in a row,
// fine again at 75, 85 and 92.
func full() rule.Rule {
	return rule.Rule{ID: 7, Name: "volume full", Unit: "%", Condition: &Condition{
		Side: Above, For: inARow(2), Recover: inARow(1),
		Limits: map[domain.Level]Limit{
			domain.LevelNotice:   {80, 75},
			domain.LevelWarning:  {90, 85},
			domain.LevelCritical: {95, 92},
		},
	}}
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
			got := rule.Judge(full(), c.before, window(c.values...))
			assert.Equal(t, c.want, got.Level)
			assert.NotEmpty(t, got.Why.Answer)
		})
	}
}

func TestJudgeBelowWithLongerRecovery(t *testing.T) {
	battery := rule.Rule{Name: "battery", Unit: "V", Condition: &Condition{Side: Below, For: inARow(1), Recover: inARow(3),
		Limits: map[domain.Level]Limit{domain.LevelWarning: {24, 25}}}}
	assert.Equal(t, domain.LevelWarning, rule.Judge(battery, domain.LevelNone, window(23.9)).Level)
	assert.Equal(t, domain.LevelNone, rule.Judge(battery, domain.LevelNone, window(24)).Level)
	assert.Equal(t, domain.LevelWarning, rule.Judge(battery, domain.LevelWarning, window(25, 26)).Level, "two good of three")
	assert.Equal(t, domain.LevelWarning, rule.Judge(battery, domain.LevelWarning, window(25, 24.9, 26)).Level)
	assert.Equal(t, domain.LevelNone, rule.Judge(battery, domain.LevelWarning, window(25, 26, 27)).Level)
}

func TestJudgeTellsWhenItBeganAndWhy(t *testing.T) {
	v := rule.Judge(full(), domain.LevelNone, window(70, 82, 91, 92))
	assert.Equal(t, domain.LevelWarning, v.Level)
	assert.Equal(t, 90.0, v.Limit)
	assert.Equal(t, noon.Add(time.Minute), v.FirstBadAt, "82 was the first beyond 80")
	assert.Contains(t, v.Why.Facts[0].Text, "91")
	assert.Contains(t, v.Why.Facts[0].Text, "92")
	assert.Equal(t, int64(7), v.Why.Facts[1].Ref.ID)
	assert.True(t, rule.Judge(full(), domain.LevelNone, window(82, 70)).FirstBadAt.IsZero())
}

// A value seen again must never change the outcome, and a window beyond every
// limit must always end critical: two invariants over random input.
func TestJudgeInvariants(t *testing.T) {
	rng := rand.New(rand.NewSource(1))
	for range 2000 {
		values := []float64{rng.Float64() * 100, rng.Float64() * 100}
		before := domain.Level(rng.Intn(4))
		once := rule.Judge(full(), before, window(values...)).Level
		assert.Equal(t, once, rule.Judge(full(), once, window(values...)).Level, "settled: %v from %v", values, before)
		assert.Equal(t, domain.LevelCritical, rule.Judge(full(), before, window(99, 99)).Level)
	}
}

// The short way out is taken only where the long way leads to the same.
func TestAtRestEqualsJudging(t *testing.T) {
	rng := rand.New(rand.NewSource(2))
	below := rule.Rule{
		Name: "low",
		Condition: &Condition{
			Side:    Below,
			For:     inARow(1),
			Recover: inARow(2),
			Limits:  map[domain.Level]Limit{domain.LevelWarning: {20, 25}},
		},
	}
	rested := 0
	for range 5000 {
		for _, r := range []rule.Rule{full(), below} {
			w := window(rng.Float64()*100, rng.Float64()*100, rng.Float64()*100)
			if !r.AtRest(w) {
				continue
			}
			rested++
			v := rule.Judge(r, domain.LevelNone, w)
			assert.Equal(t, domain.LevelNone, v.Level)
			assert.True(t, v.FirstBadAt.IsZero())
		}
	}
	assert.Greater(t, rested, 5000)
	assert.True(t, full().AtRest(nil))
	assert.False(t, full().AtRest(window(1, 81)), "beyond the mildest limit")
}

func TestWords(t *testing.T) {
	assert.Equal(
		t,
		"Critical above 95\u00a0%, warning above 90\u00a0%, notice above 80\u00a0% for 2 values in a row; fine again at or "+
			"below 75\u00a0%.",
		full().Words(),
	)
	assert.Contains(t, (&Condition{}).Words("%"), "nothing")
	low := &Condition{
		Side:    Below,
		For:     rule.Hold{Time: 10 * time.Minute},
		Recover: inARow(2),
		Limits:  map[domain.Level]Limit{domain.LevelWarning: {20, 25}},
	}
	assert.Equal(t, "Warning below 20\u00a0% for 10\u00a0min; fine again at or above 25\u00a0% for 2 values in a row.", low.Words("%"))
}

func TestValidate(t *testing.T) {
	assert.Empty(t, full().Validate())
	bad := full()
	c := *bad.Condition.(*Condition)
	c.For, c.Recover = inARow(0), inARow(61)
	c.Limits = map[domain.Level]Limit{domain.LevelWarning: {90, 85}, domain.LevelCritical: {85, 92}}
	bad.Name, bad.Condition = " ", &c
	errs := bad.Validate()
	for _, field := range []string{"name", "for", "recover_for", "raise_critical", "recover_critical"} {
		assert.Contains(t, errs, field)
	}
	assert.Len(t, errs, 5)
	assert.Contains(t, (&Condition{Side: Above, For: inARow(1), Recover: inARow(1)}).Validate(), "limits")
	assert.Contains(t, (&Condition{Side: "over", For: inARow(1), Recover: inARow(1)}).Validate(), "side")
	assert.Contains(t, rule.Rule{Name: "x"}.Validate(), "condition")
}

// By time: beyond for 3 min means that the first of the run of bad values is
// 3 min older than the newest. Values come each minute.
func TestByTime(t *testing.T) {
	c := &Condition{Side: Above, For: rule.Hold{Time: 3 * time.Minute}, Recover: rule.Hold{Time: 2 * time.Minute},
		Limits: map[domain.Level]Limit{domain.LevelWarning: {90, 85}}}
	r := rule.Rule{Name: "r", Unit: "%", Condition: c}
	level := func(before domain.Level, values ...float64) domain.Level {
		return rule.Judge(r, before, window(values...)).Level
	}
	none, warning := domain.LevelNone, domain.LevelWarning
	assert.Equal(t, none, level(none, 91, 92, 93), "two minutes only")
	assert.Equal(t, warning, level(none, 91, 92, 93, 94), "three minutes")
	assert.Equal(t, none, level(none, 91, 80, 93, 94, 95), "the run was broken")
	assert.Equal(t, warning, level(warning, 95, 80, 81), "good for one minute")
	assert.Equal(t, none, level(warning, 95, 80, 81, 82), "good for two")
	assert.Equal(t, rule.Window{Count: 1, Span: 3 * time.Minute}, r.Window())
	v := rule.Judge(r, none, window(91, 92, 93, 94))
	assert.Equal(t, noon, v.FirstBadAt)
	assert.Contains(t, v.Why.Answer, "3\u00a0min above 90")
	assert.Contains(t, v.Why.Facts[0].Text, "4 values are 91", "all that it looked at are shown")
}

func TestFormAndDocumentGiveTheSameConditionBack(t *testing.T) {
	c := full().Condition
	doc, err := rule.Document(c)
	require.NoError(t, err)
	assert.JSONEq(t, `{"side":"above","for":"2 values","recover_for":"1 value",
		"levels":{"notice":{"at":80,"recover":75},"warning":{"at":90,"recover":85},"critical":{"at":95,"recover":92}}}`, string(doc))
	again, err := Kind.Decode(doc)
	require.NoError(t, err)
	assert.Equal(t, c, again)
	read, errs := Kind.Read(rule.Subject{}, Kind.Values(c))
	assert.Empty(t, errs)
	assert.Equal(t, c, read)
	short, err := Kind.Decode([]byte(`{"levels":{"warning":{"at":5}}}`))
	require.NoError(t, err)
	assert.Equal(
		t,
		&Condition{Side: Above, For: inARow(1), Recover: inARow(1), Limits: map[domain.Level]Limit{domain.LevelWarning: {5, 5}}},
		short,
	)
	for _, wrong := range []string{
		`{"levels":{"dire":{"at":1}}}`, `{"levels":{"fine":{"at":1}}}`, `{"over":1}`, `{"for":"0 values"}`, `{"for":"often"}`,
		`[]`,
	} {
		_, err := Kind.Decode([]byte(wrong))
		assert.Error(t, err, wrong)
	}
}

func TestWrongFormsAreToldAtTheirFields(t *testing.T) {
	_, errs := Kind.Read(
		rule.Subject{},
		map[string]string{
			"side":             "above",
			"for":              "now and then",
			"raise_warning":    "ninety",
			"recover_critical": "1",
			"raise_critical":   "0,5",
		},
	)
	assert.Contains(t, errs["for"], "3 values")
	assert.Contains(t, errs["raise_warning"], "90 or 0.5")
	assert.Contains(t, errs["recover_critical"], "good side")
	c, errs := Kind.Read(
		rule.Subject{},
		map[string]string{"side": "below", "for": "10 min", "raise_warning": "0,5", "recover_warning": " 0.7 "},
	)
	assert.Empty(t, errs, "a decimal comma is understood")
	assert.Equal(
		t,
		&Condition{
			Side:    Below,
			For:     rule.Hold{Time: 10 * time.Minute},
			Recover: inARow(1),
			Limits:  map[domain.Level]Limit{domain.LevelWarning: {0.5, 0.7}},
		},
		c,
	)
	names := map[string]bool{}
	for _, f := range Kind.Fields(rule.Subject{}) {
		names[f.Name] = true
	}
	assert.Len(t, names, 9, "side, two holds, two limits for each of three levels")
}

func TestSaysWhatIsTheMatter(t *testing.T) {
	v := rule.Judge(full(), domain.LevelNone, window(96, 97))
	assert.Equal(t, "97\u00a0%, limit 95\u00a0%", v.Says)
	assert.Equal(t, "2 values in a row above 95\u00a0%", v.Why.Answer)
	v = rule.Judge(full(), domain.LevelCritical, window(96, 70))
	assert.Equal(t, "is good again at 70\u00a0%, recovery limit 92\u00a0%", v.Says)
	assert.Equal(t, 92.0, v.Limit)
	v = rule.Judge(full(), domain.LevelCritical, window(96, 91))
	assert.Contains(t, v.Why.Answer, "eased from critical")
	v = rule.Judge(full(), domain.LevelWarning, window(91, 88))
	assert.Contains(t, v.Why.Answer, "not yet at the recovery limit 85")
	v = rule.Judge(full(), domain.LevelNone, window(81, 70))
	assert.Contains(t, v.Why.Answer, "no limit is passed")
	assert.Equal(t, 80.0, v.Limit, "the lowest")
	v = rule.Judge(full(), domain.LevelWarning, nil)
	assert.Equal(t, domain.LevelWarning, v.Level)
	assert.Contains(t, v.Why.Answer, "no value")
}

func TestLines(t *testing.T) {
	lines := full().Condition.(rule.Drawn).Lines("%")
	require.Len(t, lines, 3)
	assert.Equal(t, rule.Line{Level: domain.LevelNotice, Value: 80, Label: "notice 80\u00a0% for 2 values"}, lines[0])
}

// Only the newest values that the rule needs are looked at, and told.
func TestJudgingLooksAtWhatItNeeds(t *testing.T) {
	c := &Condition{
		Side:    Above,
		For:     rule.Hold{Values: 2},
		Recover: rule.Hold{Values: 1},
		Limits:  map[domain.Level]Limit{domain.LevelWarning: {Raise: 90, Recover: 80}},
	}
	var past []domain.Sample
	for i := range 5 {
		past = append(past, domain.Sample{At: time.Date(2026, 11, 23, 12, i, 0, 0, time.UTC), Value: 95})
	}
	assert.Equal(t, 2, c.Judge(domain.LevelNone, past, "%").Looked)
	assert.Equal(t, 1, c.Judge(domain.LevelNone, past[:1], "%").Looked)
}

package state

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// ifOperStatus of IF-MIB (RFC 2863).
var oper = map[int]string{1: "up", 2: "down", 3: "testing", 7: "lower layer down"}

func port() *Condition {
	return &Condition{Codes: oper, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 1},
		Levels: map[domain.Level][]string{domain.LevelNotice: {"testing"}, domain.LevelCritical: {"down", "lower layer down"}}}
}

func past(values ...float64) (out []domain.Sample) {
	for i, v := range values {
		out = append(out, domain.Sample{At: noon.Add(time.Duration(i) * time.Minute), Value: v})
	}
	return out
}

func TestJudge(t *testing.T) {
	r := rule.Rule{ID: 3, Name: "port", Condition: port()}
	none, notice, critical := domain.LevelNone, domain.LevelNotice, domain.LevelCritical
	for name, c := range map[string]struct {
		before domain.Level
		values []float64
		want   domain.Level
	}{
		"up":                              {none, []float64{1, 1}, none},
		"down once":                       {none, []float64{1, 2}, none},
		"down twice":                      {none, []float64{2, 2}, critical},
		"two bad states in turn":          {none, []float64{2, 7}, critical},
		"testing is a notice":             {none, []float64{3, 3}, notice},
		"down and testing are a notice":   {none, []float64{2, 3}, notice},
		"eases from down to testing":      {critical, []float64{2, 3}, notice},
		"up again":                        {critical, []float64{2, 1}, none},
		"an unknown number is no trouble": {none, []float64{42, 42}, none},
	} {
		v := rule.Judge(r, c.before, past(c.values...))
		assert.Equal(t, c.want, v.Level, name)
		assert.NotEmpty(t, v.Why.Answer, name)
	}
	v := rule.Judge(r, none, past(1, 2, 2))
	assert.Equal(t, "is down", v.Says)
	assert.Equal(t, noon.Add(time.Minute), v.FirstBadAt)
	assert.Contains(t, v.Why.Facts[0].Text, "2 values are down, down")
	assert.Equal(t, "2 values in a row in a state that is critical", v.Why.Answer)
	assert.Equal(t, "is up again", rule.Judge(r, critical, past(2, 1)).Says)
	assert.True(t, r.AtRest(past(2, 1)))
	assert.False(t, r.AtRest(past(1, 3)))
	assert.Equal(t, "42", r.Write(42))
}

func TestRehearseNamesTheWorstState(t *testing.T) {
	got := rule.Rehearse(rule.Rule{Condition: port()}, past(1, 3, 3, 2, 2, 1, 1))
	require.Len(t, got, 1)
	assert.Equal(
		t,
		rule.Episode{From: noon.Add(2 * time.Minute), To: noon.Add(5 * time.Minute), Level: domain.LevelCritical, Peak: 2},
		got[0],
	)
}

func TestWords(t *testing.T) {
	assert.Equal(
		t,
		"Critical when it is down or lower layer down, notice when it is testing for 2 values in a row; fine again in any other state.",
		port().Words(""),
	)
	assert.Contains(t, (&Condition{}).Words(""), "nothing")
}

// A port that was down from the start is no trouble; one that goes down is, and
// stays so however long it is down.
func TestTroubleThatMustComeFromSomewhere(t *testing.T) {
	c := port()
	c.After = []string{"up"}
	require.Empty(t, c.Validate())
	r := rule.Rule{ID: 3, Name: "port", Condition: c}
	none, notice, critical := domain.LevelNone, domain.LevelNotice, domain.LevelCritical
	for name, x := range map[string]struct {
		before domain.Level
		values []float64
		want   domain.Level
	}{
		"it goes down":                        {none, []float64{1, 2, 2}, critical},
		"down from the start":                 {none, []float64{2, 2, 2}, none},
		"only what is known counts":           {none, []float64{2, 2}, none},
		"down for long":                       {critical, []float64{2, 2, 2}, critical},
		"up again":                            {critical, []float64{2, 2, 1}, none},
		"by way of another state of trouble":  {none, []float64{1, 3, 2, 2}, critical},
		"it came from a state that is unlike": {none, []float64{42, 2, 2}, none},
		"from testing, which is bad, to down": {notice, []float64{3, 2, 2}, critical},
		"down for one value only":             {none, []float64{2, 1, 2}, none},
	} {
		v := rule.Judge(r, x.before, past(x.values...))
		assert.Equal(t, x.want, v.Level, name)
	}
	assert.Equal(t, rule.Window{Count: 3}, c.Window(), "two values and the one before")
	assert.Contains(t, rule.Judge(r, none, past(2, 2, 2)).Why.Answer, "was not up before")
	assert.Contains(t, c.Words(""), "and was up before")
	doc, err := rule.Document(c)
	require.NoError(t, err)
	again, err := Kind.Decode(doc)
	require.NoError(t, err)
	assert.Equal(t, c, again)
	subject := rule.Subject{Kind: domain.KindState, Codes: oper}
	read, errs := Kind.Read(subject, Kind.Values(c))
	assert.Empty(t, errs)
	assert.Equal(t, c, read)
	_, errs = Kind.Read(subject, map[string]string{"states_warning": "down", "for": "1 value", "recover_for": "1 value", "after": "asleep"})
	assert.Contains(t, errs["after"], "“asleep” is not one of")
}

func TestFormAndDocument(t *testing.T) {
	doc, err := rule.Document(port())
	require.NoError(t, err)
	again, err := Kind.Decode(doc)
	require.NoError(t, err)
	assert.Equal(t, port(), again)
	subject := rule.Subject{Kind: domain.KindState, Codes: oper}
	read, errs := Kind.Read(subject, Kind.Values(port()))
	assert.Empty(t, errs)
	assert.Equal(t, port(), read)
	_, errs = Kind.Read(subject, map[string]string{"states_warning": "asleep, down", "for": "x"})
	assert.Contains(t, errs["states_warning"], "“asleep” is not one of up, down, testing, lower layer down")
	assert.Contains(t, errs, "for")
	_, errs = Kind.Read(subject, map[string]string{})
	assert.Contains(t, errs, "levels")
	assert.True(t, Kind.Fits(subject))
	assert.False(t, Kind.Fits(rule.Subject{Kind: domain.KindNumber}))
	for _, wrong := range []string{`{"levels":{"dire":["down"]}}`, `{"codes":{"x":"down"}}`, `{"states":1}`} {
		_, err := Kind.Decode([]byte(wrong))
		assert.Error(t, err, wrong)
	}
	assert.Len(t, Kind.Fields(subject), 6)
}

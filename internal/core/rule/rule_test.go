package rule

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// stairs is the simplest condition: in trouble at level n from 10 n on, good
// again below that less 5.
type stairs struct {
	Levels []domain.Level `json:"levels"`
	Raise  Hold           `json:"for"`
	Calm   Hold           `json:"recover_for"`
}

func (c stairs) Has(l domain.Level) bool {
	for _, x := range c.Levels {
		if x == l {
			return true
		}
	}
	return false
}
func (stairs) Bad(l domain.Level, v float64) bool  { return v >= 10*float64(l) }
func (stairs) Good(l domain.Level, v float64) bool { return v < 10*float64(l)-5 }
func (c stairs) Holds() (Hold, Hold)               { return c.Raise, c.Calm }

func (stairs) Kind() string                 { return "stairs" }
func (c stairs) Window() Window             { return LadderWindow(c) }
func (c stairs) AtRest(newest float64) bool { return LadderAtRest(c, newest) }
func (c stairs) Level(before domain.Level, past []domain.Sample) domain.Level {
	return Settle(c, before, past)
}
func (c stairs) Judge(before domain.Level, past []domain.Sample, _ string) Finding {
	return Finding{Level: Settle(c, before, past), FirstBadAt: FirstBad(c, past), Answer: "so it is", Looked: len(past)}
}
func (stairs) Worse(value, than float64) bool       { return value > than }
func (stairs) Write(value float64, _ string) string { return strings.Repeat("|", int(value)) }
func (stairs) Words(unit string) string             { return "Trouble in " + unit + "." }
func (c stairs) Validate() domain.FieldErrors {
	if len(c.Levels) == 0 {
		return domain.FieldErrors{"levels": "Set one."}
	}
	return domain.FieldErrors{}
}

var t0 = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// seen makes values a minute apart.
func seen(values ...float64) (out []domain.Sample) {
	for i, v := range values {
		out = append(out, domain.Sample{At: t0.Add(time.Duration(i) * time.Minute), Value: v})
	}
	return out
}

const none, notice, warning, critical = domain.LevelNone, domain.LevelNotice, domain.LevelWarning, domain.LevelCritical

func TestSettleClimbsAndComesDown(t *testing.T) {
	two := stairs{Levels: []domain.Level{notice, critical}, Raise: Hold{Values: 2}, Calm: Hold{Values: 3}}
	for _, c := range []struct {
		before domain.Level
		past   []domain.Sample
		want   domain.Level
	}{
		{none, nil, none},
		{none, seen(10), none},           // one of two
		{none, seen(10, 10), notice},     // 10 is beyond the notice
		{none, seen(9, 10), none},        //
		{none, seen(30, 30), critical},   // the highest that is reached
		{none, seen(20, 20), notice},     // there is no warning
		{notice, seen(30, 30), critical}, //
		{notice, seen(30), notice},       //
		{critical, seen(20, 20, 20), notice},
		{critical, seen(25, 24, 24), critical}, // 25 is not below 25
		{critical, seen(24, 24), critical},     // two of three
		{critical, seen(4, 4, 4), none},
		{notice, seen(4, 4, 5), notice},
		{notice, seen(4, 4, 4), none},
	} {
		assert.Equal(t, c.want, Settle(two, c.before, c.past), "%v %v", c.before, c.past)
	}
}

func TestTroubleBeganWithItsFirstValueInARow(t *testing.T) {
	c := stairs{Levels: []domain.Level{warning, critical}}
	assert.Equal(t, t0.Add(2*time.Minute), FirstBad(c, seen(20, 19, 20, 35)))
	assert.Equal(t, t0, FirstBad(c, seen(20, 20)))
	assert.True(t, FirstBad(c, seen(20, 19)).IsZero())
	assert.True(t, FirstBad(stairs{}, seen(90)).IsZero(), "no level is set")
}

func TestALadderAtRestNeedsNoJudging(t *testing.T) {
	c := stairs{Levels: []domain.Level{warning}}
	assert.True(t, LadderAtRest(c, 19))
	assert.False(t, LadderAtRest(c, 20))
	assert.True(t, LadderAtRest(stairs{}, 99))
	r := Rule{Condition: c}
	assert.True(t, r.AtRest(nil))
	assert.False(t, r.AtRest(seen(1, 20)))
	assert.True(t, r.AtRest(seen(20, 1)))
}

func TestWindowsHoldBothSides(t *testing.T) {
	r := Rule{Condition: stairs{Raise: Hold{Values: 2}, Calm: Hold{Time: time.Minute}}}
	assert.Equal(t, Window{Count: 2, Span: time.Minute}, r.Window())
	assert.Equal(t, Window{Count: 1}, Hold{}.Window())
}

func TestHoldsInWords(t *testing.T) {
	for h, want := range map[Hold][2]string{
		{Values: 1}: {"", "1 value"}, {Values: 2}: {" for 2 values in a row", "2 values in a row"},
		{Time: 10 * time.Minute}: {" for 10\u00a0min", "10\u00a0min"}, {}: {"", "1 value"},
	} {
		assert.Equal(t, want, [2]string{h.Words(), h.Took()})
	}
}

func TestJudgingExplainsItself(t *testing.T) {
	r := Rule{
		ID:        7,
		Name:      "steep",
		Unit:      "m",
		Condition: stairs{Levels: []domain.Level{warning}, Raise: Hold{Values: 1}, Calm: Hold{Values: 1}},
	}
	v := Judge(r, none, seen(2, 20))
	assert.Equal(t, warning, v.Level)
	assert.Equal(t, "Why warning?", v.Why.Question)
	assert.Equal(t, "so it is", v.Why.Answer)
	require.Len(t, v.Why.Facts, 2)
	assert.Equal(t, "The newest 2 values are ||, ||||||||||||||||||||", v.Why.Facts[0].Text)
	assert.Equal(t, "newest at 2026-11-23 12:01:00 UTC", v.Why.Facts[0].Detail)
	assert.Equal(t, why.Fact{Text: "Trouble in m.", Detail: "rule “steep”", Ref: why.To("rule", 7)}, v.Why.Facts[1])
	assert.Equal(t, "The newest 1 value is |", Judge(r, none, seen(1)).Why.Facts[0].Text)
	long := make([]float64, 20)
	assert.Contains(t, Judge(r, none, seen(long...)).Why.Facts[0].Text, "The newest 12 values are")
	v = Judge(r, warning, nil)
	assert.Equal(t, warning, v.Level, "no value changes nothing")
	assert.Equal(t, "there is no value to judge yet", v.Why.Answer)
	assert.Equal(t, "5\u00a0V", Rule{Unit: "V"}.Write(5), "without a condition as a number")
}

func TestRulesAreChecked(t *testing.T) {
	good := Rule{Name: "steep", Condition: stairs{Levels: []domain.Level{notice}}}
	assert.Empty(t, good.Validate())
	assert.Equal(
		t,
		domain.FieldErrors{"name": "Give the rule a name.", "condition": "Say when there is trouble."},
		Rule{Name: " "}.Validate(),
	)
	assert.Equal(t, domain.FieldErrors{"levels": "Set one."}, Rule{Name: "x", Condition: stairs{}}.Validate())
}

func TestKindsAreFoundAndDecoded(t *testing.T) {
	kinds := Kinds{
		{Name: "stairs", Fits: func(s Subject) bool { return s.Kind == domain.KindNumber }, Decode: func(doc []byte) (Condition, error) {
			var c stairs
			return c, json.Unmarshal(doc, &c)
		}},
		{
			Name:   "broken",
			Fits:   func(Subject) bool { return true },
			Decode: func([]byte) (Condition, error) { return nil, errors.New("no document") },
		},
	}
	assert.Len(t, kinds.Fitting(Subject{Kind: domain.KindNumber}), 2)
	assert.Len(t, kinds.Fitting(Subject{Kind: domain.KindText}), 1)
	doc, err := Document(stairs{Levels: []domain.Level{notice}, Raise: Hold{Values: 3}, Calm: Hold{Time: time.Hour}})
	require.NoError(t, err)
	assert.JSONEq(t, `{"levels": [1], "for": "3 values", "recover_for": "1 h"}`, string(doc))
	_, err = kinds.Decode("stairs", doc)
	require.NoError(t, err)
	_, err = kinds.Decode("broken", doc)
	assert.EqualError(t, err, "a rule of the kind broken: no document")
	_, err = kinds.Decode("ladder", doc)
	assert.ErrorContains(t, err, `no kind of rule "ladder"`)
}

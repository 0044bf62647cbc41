// Package rule judges the values of a series against limits.
package rule

import (
	"fmt"
	"math"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Side tells on which side of a limit trouble lies.
type Side string

// The sides.
const (
	Above Side = "above"
	Below Side = "below"
)

// MaxInARow is the longest run of values that a rule may ask for.
const MaxInARow = 60

// Limit is where one level begins and where it ends.
type Limit struct {
	// Raise: a value strictly beyond it counts as trouble.
	Raise float64 `json:"raise"`
	// Recover is the easier limit for leaving the level: a value must be on
	// its good side or on it. Equal to Raise unless set.
	Recover float64 `json:"recover"`
}

// Rule says when a series is in trouble, at which level.
type Rule struct {
	ID      domain.ID `json:"id"`
	Name    string    `json:"name"`
	Kit     string    `json:"kit"`
	Reading string    `json:"reading"`
	Unit    string    `json:"unit"`
	Side    Side      `json:"side"`
	// InARow is how many values in a row must be beyond a limit, 1 to MaxInARow.
	InARow int `json:"in_a_row"`
	// RecoverInARow is how many values in a row must be good again, 1 to MaxInARow.
	RecoverInARow int `json:"recover_in_a_row"`
	// Limits by level; a level without a limit is never reached.
	Limits map[domain.Level]Limit `json:"limits"`
	// Title is what an alert is called; "{part}" and "{device}" are filled in.
	Title   string `json:"title"`
	Runbook string `json:"runbook"`
	Cause   string `json:"cause"`
	Enabled bool   `json:"enabled"`
}

// Window returns how many of the latest values Judge needs.
func (r Rule) Window() int { return max(r.InARow, r.RecoverInARow, 1) }

// beyond tells whether a value lies strictly on the bad side of a limit.
func (r Rule) beyond(value, limit float64) bool {
	if r.Side == Below {
		return value < limit
	}
	return value > limit
}

// Verdict is the outcome of judging.
type Verdict struct {
	Level domain.Level
	// Limit is the limit of the level reached, or of the level just left.
	Limit float64
	// FirstBadAt is the time of the first value of the current run beyond
	// the lowest limit; zero when the newest value is good.
	FirstBadAt time.Time
	Why        why.Trace
}

// Judge decides the level of a series from its latest values, oldest first,
// and the level that it had before. A higher level needs InARow values beyond
// its limit; a level is left when RecoverInARow values are on the good side
// of its recovery limit. Missing values (an empty window) change nothing.
func Judge(r Rule, before domain.Level, window []domain.Sample) Verdict {
	v := Verdict{Level: before}
	v.Why.Question = "Why " + before.String() + "?"
	if len(window) == 0 {
		v.Why.Answer = "there is no value to judge yet"
		return v
	}
	v.Level = r.settle(before, window)
	v.FirstBadAt = r.firstBad(window)
	v.Limit = r.deciding(before, v.Level)
	v.Why = r.explain(before, v, window)
	return v
}

// AtRest tells whether the newest value is within all limits: then a rule that
// was at rest stays so, and there is nothing to be judged or explained.
func (r Rule) AtRest(window []domain.Sample) bool {
	_, lowest, ok := r.lowest()
	return len(window) == 0 || !ok || !r.beyond(window[len(window)-1].Value, lowest.Raise)
}

// settle finds the level: the highest that is newly reached, or the highest
// one up to the old level that is not yet recovered from.
func (r Rule) settle(before domain.Level, window []domain.Sample) domain.Level {
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		limit, set := r.Limits[l]
		if !set {
			continue
		}
		if l > before && r.reached(limit, window) {
			return l
		}
		if l <= before && !r.recovered(limit, window) {
			return l
		}
	}
	return domain.LevelNone
}

func (r Rule) reached(limit Limit, window []domain.Sample) bool {
	if len(window) < r.InARow {
		return false
	}
	for _, s := range window[len(window)-r.InARow:] {
		if !r.beyond(s.Value, limit.Raise) {
			return false
		}
	}
	return true
}

func (r Rule) recovered(limit Limit, window []domain.Sample) bool {
	need := max(r.RecoverInARow, 1)
	if len(window) < need {
		return false
	}
	for _, s := range window[len(window)-need:] {
		if r.beyond(s.Value, limit.Recover) {
			return false
		}
	}
	return true
}

// firstBad walks back from the newest value while values are beyond the lowest limit.
func (r Rule) firstBad(window []domain.Sample) time.Time {
	_, lowest, ok := r.lowest()
	var first time.Time
	for i := len(window) - 1; ok && i >= 0 && r.beyond(window[i].Value, lowest.Raise); i-- {
		first = window[i].At
	}
	return first
}

func (r Rule) lowest() (domain.Level, Limit, bool) {
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		if limit, ok := r.Limits[l]; ok {
			return l, limit, true
		}
	}
	return 0, Limit{}, false
}

// deciding returns the limit that a change of level turned on.
func (r Rule) deciding(before, after domain.Level) float64 {
	if after == domain.LevelNone {
		if limit, ok := r.Limits[before]; ok {
			return limit.Recover
		}
		_, limit, _ := r.lowest()
		return limit.Raise
	}
	return r.Limits[after].Raise
}

func (r Rule) explain(before domain.Level, v Verdict, window []domain.Sample) why.Trace {
	t := why.Trace{Question: "Why " + v.Level.String() + "?"}
	need := r.InARow
	if v.Level < before {
		need = max(r.RecoverInARow, 1)
	}
	shown := window[max(0, len(window)-need):]
	values := make([]string, len(shown))
	for i, s := range shown {
		values[i] = units.Format(s.Value, r.Unit)
	}
	newest := window[len(window)-1]
	t.Because(fmt.Sprintf("The newest %s %s", plural(len(shown), "value is", "values are"), strings.Join(values, ", ")),
		"newest at "+newest.At.UTC().Format("2006-01-02 15:04:05 UTC"), nil)
	t.Because(r.Words(), "rule “"+r.Name+"”", why.To("rule", r.ID))
	switch {
	case v.Level > before:
		t.Answer = fmt.Sprintf("%s in a row %s %s", plural(r.InARow, "value", "values"), r.Side, units.Format(v.Limit, r.Unit))
	case v.Level < before && v.Level == domain.LevelNone:
		t.Answer = fmt.Sprintf("%s good again, to the recovery limit %s", plural(need, "value", "values"), units.Format(v.Limit, r.Unit))
	case v.Level < before:
		t.Answer = fmt.Sprintf("eased from %s, still not at the recovery limit of %s", before, v.Level)
	case v.Level == domain.LevelNone:
		t.Answer = "no limit is passed often enough"
	default:
		t.Answer = fmt.Sprintf("not yet at the recovery limit %s", units.Format(r.Limits[v.Level].Recover, r.Unit))
	}
	return t
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// Words says in one sentence what the rule does.
func (r Rule) Words() string {
	var parts []string
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if limit, ok := r.Limits[l]; ok {
			parts = append(parts, fmt.Sprintf("%s %s %s", l, r.Side, units.Format(limit.Raise, r.Unit)))
		}
	}
	if len(parts) == 0 {
		return "Watches nothing: no level has a limit."
	}
	text := upperFirst(strings.Join(parts, ", "))
	if r.InARow > 1 {
		text += fmt.Sprintf(" for %d values in a row", r.InARow)
	}
	return text + r.recoveryWords() + "."
}

func (r Rule) recoveryWords() string {
	_, lowest, _ := r.lowest()
	side := "at or below"
	if r.Side == Below {
		side = "at or above"
	}
	text := fmt.Sprintf("; fine again %s %s", side, units.Format(lowest.Recover, r.Unit))
	if r.RecoverInARow > 1 {
		text += fmt.Sprintf(" for %d in a row", r.RecoverInARow)
	}
	return text
}

func upperFirst(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Validate returns what is wrong, by field: in_a_row, recover_in_a_row,
// limits, and raise_LEVEL or recover_LEVEL.
func (r Rule) Validate() domain.FieldErrors {
	errs := domain.FieldErrors{}
	if strings.TrimSpace(r.Name) == "" {
		errs["name"] = "Give the rule a name."
	}
	if r.Side != Above && r.Side != Below {
		errs["side"] = "Choose above or below."
	}
	checkRun(errs, "in_a_row", r.InARow)
	checkRun(errs, "recover_in_a_row", r.RecoverInARow)
	if len(r.Limits) == 0 {
		errs["limits"] = "Set a limit for at least one level."
	}
	r.checkLimits(errs)
	return errs
}

func checkRun(errs domain.FieldErrors, field string, n int) {
	if n < 1 || n > MaxInARow {
		errs[field] = fmt.Sprintf("Must be a whole number from 1 to %d.", MaxInARow)
	}
}

func (r Rule) checkLimits(errs domain.FieldErrors) {
	var previous *Limit
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		limit, ok := r.Limits[l]
		if !ok {
			continue
		}
		switch {
		case math.IsNaN(limit.Raise) || math.IsInf(limit.Raise, 0):
			errs["raise_"+l.String()] = "Must be a number."
		case previous != nil && r.beyond(previous.Raise, limit.Raise):
			errs["raise_"+l.String()] = fmt.Sprintf("Must be at least as far %s as the level before it.", r.Side)
		}
		if math.IsNaN(limit.Recover) || math.IsInf(limit.Recover, 0) || r.beyond(limit.Recover, limit.Raise) {
			errs["recover_"+l.String()] = "Must be on the good side of the limit, or equal to it."
		}
		previous = &limit
	}
}

// Package rule judges the values of a series: a rule says on what it acts and
// what it is called; its condition, which is of one of several kinds, says
// when there is trouble.
package rule

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Rule says when a series is in trouble, at which level.
type Rule struct {
	ID domain.ID `json:"id"`
	// Key is what its kit calls it, whatever people name it; empty for a rule
	// that no kit brought.
	Key     string `json:"key,omitempty"`
	Name    string `json:"name"`
	Kit     string `json:"kit"`
	Reading string `json:"reading"`
	Unit    string `json:"unit"`
	// DeviceID is the device that it is for alone; 0 for all.
	DeviceID domain.ID `json:"device_id,omitempty"`
	// Condition is when there is trouble.
	Condition Condition `json:"condition"`
	// Title is what an alert is called; "{part}" and "{device}" are filled in.
	Title   string `json:"title"`
	Runbook string `json:"runbook"`
	Cause   string `json:"cause"`
	Enabled bool   `json:"enabled"`
	// Tags go along to the incidents that it leads to.
	Tags []string `json:"tags,omitempty"`
	// Version counts its changes; a change may name the one that it was made of.
	Version int `json:"version"`
}

// Condition says when values are trouble. Values come oldest first.
type Condition interface {
	// Kind is the name of the kind of rule that it belongs to.
	Kind() string
	// Window is how much of the past it looks at.
	Window() Window
	// AtRest tells that a rule at rest stays so with this newest value, so
	// that nothing needs to be judged.
	AtRest(newest float64) bool
	// Level decides the level, given the one before.
	Level(before domain.Level, past []domain.Sample) domain.Level
	// Judge decides the level, and says what decided it. past is not empty.
	Judge(before domain.Level, past []domain.Sample, unit string) Finding
	// Worse tells whether a value is farther in trouble than another.
	Worse(value, than float64) bool
	// Write writes a value as people read it.
	Write(value float64, unit string) string
	// Words says in one sentence when there is trouble and when it ends.
	Words(unit string) string
	// Validate returns what is wrong, by the fields of the kind's form.
	Validate() domain.FieldErrors
}

// Finding is what a condition decided.
type Finding struct {
	Level domain.Level
	// Limit is the limit of the level reached or just left, where there is one.
	Limit float64
	// FirstBadAt is the time of the first value of the present run of bad
	// ones; zero when the newest value is good.
	FirstBadAt time.Time
	// Says is what is the matter, to follow the name of what is watched:
	// "97 %, limit 96 %", "is down".
	Says string
	// Answer is what decided, in words; Looked is how many of the newest
	// values it looked at.
	Answer string
	Looked int
}

// Subject is what the values of a reading are.
type Subject struct {
	Kind  domain.SeriesKind
	Unit  string
	Codes map[int]string // words that numbers stand for
}

// Kind is one kind of rule: how its condition is stored, and how people set it.
type Kind struct {
	Name  string
	Title string
	About string
	// Fits tells whether it can judge values of a kind.
	Fits func(Subject) bool
	// Decode reads a condition out of its document.
	Decode func(doc []byte) (Condition, error)
	// Fields are those of its form; Values fills them, Read takes them.
	Fields func(Subject) []field.Field
	Values func(Condition) map[string]string
	Read   func(Subject, map[string]string) (Condition, domain.FieldErrors)
}

// Kinds are the kinds of rules that there are.
type Kinds []Kind

// Of returns a kind by its name; ok is false when there is none.
func (k Kinds) Of(name string) (Kind, bool) {
	for _, kind := range k {
		if kind.Name == name {
			return kind, true
		}
	}
	return Kind{}, false
}

// Fitting returns the kinds that can judge values of a reading.
func (k Kinds) Fitting(s Subject) (out Kinds) {
	for _, kind := range k {
		if kind.Fits(s) {
			out = append(out, kind)
		}
	}
	return out
}

// Decode reads the document of a condition of a kind.
func (k Kinds) Decode(name string, doc []byte) (Condition, error) {
	kind, ok := k.Of(name)
	if !ok {
		return nil, fmt.Errorf("there is no kind of rule %q", name)
	}
	c, err := kind.Decode(doc)
	if err != nil {
		return nil, fmt.Errorf("a rule of the kind %s: %w", name, err)
	}
	return c, nil
}

// Line is what a chart draws of a condition.
type Line struct {
	Level domain.Level
	Value float64
	Label string
}

// Drawn is a condition that charts can show as lines.
type Drawn interface{ Lines(unit string) []Line }

// Window returns how much of the past Judge needs.
func (r Rule) Window() Window { return r.Condition.Window() }

// AtRest tells whether a rule that was at rest stays so: then there is
// nothing to be judged or explained.
func (r Rule) AtRest(past []domain.Sample) bool {
	return len(past) == 0 || r.Condition.AtRest(past[len(past)-1].Value)
}

// Write writes a value as people read it.
func (r Rule) Write(value float64) string {
	if r.Condition == nil {
		return units.Format(value, r.Unit)
	}
	return r.Condition.Write(value, r.Unit)
}

// Words says in one sentence what the rule does.
func (r Rule) Words() string { return r.Condition.Words(r.Unit) }

// Verdict is the outcome of judging.
type Verdict struct {
	Finding
	Why why.Trace
}

// Judge decides the level of a series from its latest values, oldest first,
// and the level that it had before. Missing values (an empty window) change
// nothing.
func Judge(r Rule, before domain.Level, past []domain.Sample) Verdict {
	return r.Explain(r.Find(before, past), past)
}

// Find is Judge without the reasons, for whoever may not need them.
func (r Rule) Find(before domain.Level, past []domain.Sample) Finding {
	if len(past) == 0 {
		return Finding{Level: before, Answer: "there is no value to judge yet"}
	}
	return r.Condition.Judge(before, past, r.Unit)
}

// Explain adds the reasons to what Find found in the same samples.
func (r Rule) Explain(found Finding, past []domain.Sample) Verdict {
	t := why.Trace{Question: "Why " + found.Level.String() + "?", Answer: found.Answer}
	if len(past) == 0 {
		return Verdict{found, t}
	}
	shown := past[max(0, len(past)-min(found.Looked, mostShown)):]
	values := make([]string, len(shown))
	for i, s := range shown {
		values[i] = r.Write(s.Value)
	}
	are := "value is"
	if len(shown) != 1 {
		are = fmt.Sprintf("%d values are", len(shown))
	} else {
		are = "1 " + are
	}
	t.Because(
		"The newest "+are+" "+strings.Join(values, ", "),
		"newest at "+past[len(past)-1].At.UTC().Format("2006-01-02 15:04:05 UTC"),
		nil,
	)
	t.Because(r.Words(), "rule “"+r.Name+"”", why.To("rule", r.ID))
	return Verdict{found, t}
}

// mostShown bounds the values that an explanation lists.
const mostShown = 12

// The longest texts of a rule, in bytes. They come back in every list.
const (
	mostName    = 200
	mostTitle   = 500
	mostRunbook = 10_000
)

// Validate returns what is wrong, by field: name, title, runbook, tags, and those of the
// condition.
func (r Rule) Validate() domain.FieldErrors {
	errs := domain.FieldErrors{}
	if r.Condition != nil {
		errs = r.Condition.Validate()
	} else {
		errs["condition"] = "Say when there is trouble."
	}
	switch {
	case strings.TrimSpace(r.Name) == "":
		errs["name"] = "Give the rule a name."
	case len(r.Name) > mostName:
		errs["name"] = fmt.Sprintf("At most %d characters.", mostName)
	case !text.Printable(r.Name):
		errs["name"] = "It has characters that cannot be shown."
	}
	if len(r.Title) > mostTitle {
		errs["title"] = fmt.Sprintf("At most %d characters.", mostTitle)
	}
	if len(r.Runbook) > mostRunbook {
		errs["runbook"] = fmt.Sprintf("At most %d characters.", mostRunbook)
	}
	if _, problem := tag.Read(strings.Join(r.Tags, ",")); problem != "" {
		errs["tags"] = problem
	}
	return errs
}

// Document writes a condition as it is stored and exchanged.
func Document(c Condition) ([]byte, error) { return json.Marshal(c) }

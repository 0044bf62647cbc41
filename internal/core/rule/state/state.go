// Package state is the kind of rule on values that stand for words: trouble
// when a thing is in one of certain states for long enough.
package state

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

const name = "state"

// Kind describes this kind of rule.
var Kind = rule.Kind{
	Name:   name,
	Title:  "States",
	About:  "Trouble when a thing is in one of certain states for long enough.",
	Fits:   func(s rule.Subject) bool { return s.Kind == domain.KindState },
	Decode: decode,
	Fields: fields,
	Values: values,
	Read:   read,
}

// Condition is in trouble while the value stands for one of a level's words.
type Condition struct {
	// Levels lists the words of trouble by level.
	Levels map[domain.Level][]string
	// After are the words of which one must have been right before: what is in a
	// state of trouble from the start is none. Empty for any.
	After []string
	// For is how long the state must last, Recover how long another one.
	For, Recover rule.Hold
	// Codes are the words that the numbers stand for.
	Codes map[int]string
}

// Kind implements rule.Condition.
func (c *Condition) Kind() string { return name }

// Has implements rule.Ladder.
func (c *Condition) Has(l domain.Level) bool { return len(c.Levels[l]) > 0 }

// Bad implements rule.Ladder: what is trouble at a level is so at the lower ones.
func (c *Condition) Bad(l domain.Level, v float64) bool {
	word, known := c.Codes[int(v)]
	for ; known && l <= domain.LevelCritical; l++ {
		if slices.Contains(c.Levels[l], word) {
			return true
		}
	}
	return false
}

// Good implements rule.Ladder.
func (c *Condition) Good(l domain.Level, v float64) bool { return !c.Bad(l, v) }

// Holds implements rule.Ladder.
func (c *Condition) Holds() (raise, recover rule.Hold) { return c.For, c.Recover }

// Window implements rule.Condition.
func (c *Condition) Window() rule.Window {
	w := rule.LadderWindow(c)
	if len(c.After) > 0 { // and the value before
		w.Count, w.Span = w.Count+1, 2*w.Span
	}
	return w
}

// AtRest implements rule.Condition.
func (c *Condition) AtRest(newest float64) bool { return rule.LadderAtRest(c, newest) }

// Level implements rule.Condition.
func (c *Condition) Level(before domain.Level, past []domain.Sample) domain.Level {
	after := rule.Settle(c, before, past)
	if after > before && before == domain.LevelNone && !c.came(past) {
		return domain.LevelNone
	}
	return after
}

// came tells whether the present run of trouble followed one of the states that
// it must come from.
func (c *Condition) came(past []domain.Sample) bool {
	if len(c.After) == 0 {
		return true
	}
	lowest, _ := rule.Lowest(c)
	i := len(past) - 1
	for i >= 0 && c.Bad(lowest, past[i].Value) {
		i--
	}
	return i >= 0 && slices.Contains(c.After, c.Codes[int(past[i].Value)])
}

// Worse implements rule.Condition: a state of a higher level is worse.
func (c *Condition) Worse(value, than float64) bool { return c.levelOf(value) > c.levelOf(than) }

func (c *Condition) levelOf(v float64) domain.Level {
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if slices.Contains(c.Levels[l], c.Codes[int(v)]) {
			return l
		}
	}
	return domain.LevelNone
}

// Write implements rule.Condition.
func (c *Condition) Write(value float64, unit string) string {
	if word, ok := c.Codes[int(value)]; ok {
		return word
	}
	return units.Format(value, unit)
}

// Judge implements rule.Condition.
func (c *Condition) Judge(before domain.Level, past []domain.Sample, unit string) rule.Finding {
	after := c.Level(before, past)
	newest := c.Write(past[len(past)-1].Value, unit)
	f := rule.Finding{Level: after, FirstBadAt: rule.FirstBad(c, past), Says: "is " + newest}
	hold := c.For
	switch {
	case after > before:
		f.Answer = fmt.Sprintf("%s in a state that is %s", hold.Took(), after)
	case after < before && after == domain.LevelNone:
		hold = c.Recover
		f.Says = "is " + newest + " again"
		f.Answer = hold.Took() + " in another state"
	case after < before:
		hold = c.Recover
		f.Answer = fmt.Sprintf("eased from %s, still in a state that is %s", before, after)
	case after == domain.LevelNone && len(c.After) > 0 && rule.Settle(c, before, past) > before:
		f.Answer = "it was not " + text.List(c.After, "or") + " before, as far as is known"
	case after == domain.LevelNone:
		f.Answer = "it is in no state of trouble for long enough"
	default:
		f.Answer = "it has not been in another state for long enough"
	}
	window := hold.Window()
	f.Looked = len(past) - window.Needs(past)
	return f
}

// Words implements rule.Condition.
func (c *Condition) Words(string) string {
	var parts []string
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if words := c.Levels[l]; len(words) > 0 {
			parts = append(parts, fmt.Sprintf("%s when it is %s", l, text.List(words, "or")))
		}
	}
	if len(parts) == 0 {
		return "Watches nothing: no level has a state."
	}
	from := ""
	if len(c.After) > 0 {
		from = " and was " + text.List(c.After, "or") + " before"
	}
	return text.UpperFirst(strings.Join(parts, ", ")) + c.For.Words() + from + "; fine again in any other state" + c.Recover.Words() + "."
}

// document is the condition as it is stored and exchanged.
type document struct {
	Levels  map[string][]string `json:"levels"`
	After   []string            `json:"after,omitempty"`
	For     rule.Hold           `json:"for"`
	Recover rule.Hold           `json:"recover_for"`
	Codes   map[string]string   `json:"codes,omitempty"`
}

// MarshalJSON implements json.Marshaler.
func (c *Condition) MarshalJSON() ([]byte, error) {
	d := document{Levels: map[string][]string{}, After: c.After, For: c.For, Recover: c.Recover, Codes: map[string]string{}}
	for l, words := range c.Levels {
		d.Levels[l.String()] = words
	}
	for code, word := range c.Codes {
		d.Codes[strconv.Itoa(code)] = word
	}
	return json.Marshal(d)
}

func decode(data []byte) (rule.Condition, error) {
	once := rule.Hold{Values: 1}
	d := document{For: once, Recover: once}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		return nil, err
	}
	c := &Condition{Levels: map[domain.Level][]string{}, After: d.After, For: d.For, Recover: d.Recover, Codes: map[int]string{}}
	for word, states := range d.Levels {
		level, err := domain.ParseLevel(word)
		if err != nil || level == domain.LevelNone {
			return nil, fmt.Errorf("%q is not a level: use notice, warning or critical", word)
		}
		c.Levels[level] = states
	}
	for code, word := range d.Codes {
		n, err := strconv.Atoi(code)
		if err != nil {
			return nil, fmt.Errorf("the code %q is not a whole number", code)
		}
		c.Codes[n] = word
	}
	return c, nil
}

// Bind gives the condition the words of the reading that it judges.
func (c *Condition) Bind(codes map[int]string) { c.Codes = codes }

func fields(s rule.Subject) []field.Field {
	help := "one or several of: " + strings.Join(wordsOf(s.Codes), ", ")
	var out []field.Field
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		out = append(out, field.Field{Name: "states_" + l.String(), Label: "When it is", Kind: field.Text, Help: help, Group: l.String()})
	}
	return append(
		out,
		field.Field{Name: "after", Label: "Only after it was", Kind: field.Text, Help: help + "; empty for any"},
		field.Field{Name: "for", Label: "For", Kind: field.Text, Default: "1 value", Help: "such as 3 values or 10 min"},
		field.Field{
			Name:    "recover_for",
			Label:   "Fine again after",
			Kind:    field.Text,
			Default: "1 value",
			Help:    "such as 3 values or 10 min",
		},
	)
}

func wordsOf(codes map[int]string) []string {
	var numbers []int
	for n := range codes {
		numbers = append(numbers, n)
	}
	slices.Sort(numbers)
	var out []string
	for _, n := range numbers {
		out = append(out, codes[n])
	}
	return out
}

func values(condition rule.Condition) map[string]string {
	c, ok := condition.(*Condition)
	if !ok {
		return map[string]string{}
	}
	out := map[string]string{"after": strings.Join(c.After, ", "), "for": c.For.String(), "recover_for": c.Recover.String()}
	for l, words := range c.Levels {
		out["states_"+l.String()] = strings.Join(words, ", ")
	}
	return out
}

func read(s rule.Subject, values map[string]string) (rule.Condition, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	c := &Condition{Levels: map[domain.Level][]string{}, After: listed(values["after"]), Codes: s.Codes}
	c.For, c.Recover = rule.ReadHold(errs, "for", values["for"]), rule.ReadHold(errs, "recover_for", values["recover_for"])
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if words := listed(values["states_"+l.String()]); len(words) > 0 {
			c.Levels[l] = words
		}
	}
	for name, problem := range c.Validate() {
		if errs[name] == "" {
			errs[name] = problem
		}
	}
	return c, errs
}

// listed reads words between commas.
func listed(text string) (out []string) {
	for word := range strings.SplitSeq(text, ",") {
		if word = strings.TrimSpace(word); word != "" {
			out = append(out, word)
		}
	}
	return out
}

// Validate implements rule.Condition. The errors are by field: after, for,
// recover_for, levels, and states_LEVEL.
func (c *Condition) Validate() domain.FieldErrors {
	errs := domain.FieldErrors{}
	c.For.Validate(errs, "for")
	c.Recover.Validate(errs, "recover_for")
	if _, ok := rule.Lowest(c); !ok {
		errs["levels"] = "Name a state for at least one level."
	}
	known := wordsOf(c.Codes)
	for _, w := range c.After {
		if !slices.Contains(known, w) {
			errs["after"] = fmt.Sprintf("“%s” is not one of %s.", w, strings.Join(known, ", "))
		}
	}
	for l, words := range c.Levels {
		for _, w := range words {
			if !slices.Contains(known, w) {
				errs["states_"+l.String()] = fmt.Sprintf("“%s” is not one of %s.", w, strings.Join(known, ", "))
			}
		}
	}
	return errs
}

package browse

import (
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/web/ui"
)

// focus is the part of a form that goes on having it after the form came back: what at step At.
type focus struct {
	At   int
	What string // up, down, with or add
}

// stepView is a step in the form.
type stepView struct {
	At       int
	Do       string
	Title    string
	With     ui.FieldView
	Nothing  bool // goes with it
	Up, Down bool // it can move there
	focus    focus
}

// N counts from 1, as people do.
func (s stepView) N() int { return s.At + 1 }

// Focused tells whether a part of it has the focus.
func (s stepView) Focused(what string) bool { return s.focus == focus{s.At, what} }

// stepAct is one thing that can be done to a step.
type stepAct struct {
	Device              domain.ID
	Title, Label, Glyph string
	Sends               string
	Disabled, Focused   bool
}

// Acts are what can be done to the step.
func (s stepView) Acts(device domain.ID) []stepAct {
	act := func(what, title, label, glyph string, possible bool) stepAct {
		return stepAct{device, title, fmt.Sprintf(label, s.N()), glyph, fmt.Sprintf(`{"show":"steps","act":"%s %d"}`, what, s.At),
			!possible, s.Focused(what)}
	}
	return []stepAct{
		act("up", "Up", "Move step %d up", "↑", s.Up),
		act("down", "Down", "Move step %d down", "↓", s.Down),
		act("drop", "Away", "Take step %d away", "×", true),
	}
}

// StepRows are the steps with what can be done to them.
func (v pickView) StepRows() (out []stepView) {
	steps := v.Typed.steps
	for i, w := range steps {
		kind, ok := derive.StepKindOf(w.Do)
		if !ok {
			continue // only what was not typed here, which its error names
		}
		f := ui.Typed("pick-", "with", fmt.Sprintf("%s of step %d: %s", kind.With, i+1, kind.Title), w.With, "", "")
		f.ID = fmt.Sprintf("pick-with-%d", i)
		f.Mono = kind.Do == "compute" || kind.Do == "find"
		f.Default = kind.Example
		switch {
		case kind.Column:
			f.Kind, f.Options = field.Choice, v.numberColumns(w.With)
		case len(kind.Choices) > 0:
			f.Kind, f.Choices = field.Choice, kind.Choices
		}
		out = append(out, stepView{At: i, Do: w.Do, Title: kind.Title, With: f, Nothing: kind.With == "", Up: i > 0,
			Down: i < len(steps)-1, focus: v.Typed.focus})
	}
	return out
}

// AddFocused tells whether the choice of a further step has the focus.
func (v pickView) AddFocused() bool { return v.Typed.focus.What == "add" }

// Addable are the steps that may be added.
func (v pickView) Addable() ui.FieldView {
	options := []ui.Option{{Value: "", Title: "Add a step …"}}
	for _, k := range derive.StepKinds {
		if !k.Column || len(v.numberColumns("")) > 0 {
			options = append(options, ui.Option{Value: k.Do, Title: k.Title})
		}
	}
	return ui.Chosen("pick-", "add", "Add a step", "", options, "", "")
}

// numberColumns are the columns of its table that have numbers, with the one that is chosen.
func (v pickView) numberColumns(chosen string) (out []ui.Option) {
	for _, c := range v.Rows.Columns {
		if c.Is != condition.Text || c.As == chosen {
			out = append(out, ui.Option{Value: c.As, Title: c.As})
		}
	}
	return out
}

// Formulas says what a formula may name; empty where there is none.
func (v pickView) Formulas() string {
	if !slices.ContainsFunc(v.Typed.steps, func(w derive.Written) bool { return w.Do == "compute" }) {
		return ""
	}
	out := "A formula may name value, which is what the step before it gives"
	if v.Table != "" {
		out += ", and columns of the table"
	}
	return out + `, and other readings by their keys: reading["key"] of its own ones, reading["kit/key"] of the device's other kits. ` +
		"math.abs, math.greatest, math.least, math.round and a ? b : c are there, too."
}

// stepsTyped are the steps as the form has them, with what was pressed done to them.
func stepsTyped(form url.Values, in typed) (steps []derive.Written, f focus) {
	does, withs := form["do"], form["with"]
	for i, do := range does {
		w := derive.Written{Do: do}
		if i < len(withs) {
			w.With = strings.TrimSpace(withs[i])
		}
		steps = append(steps, w)
	}
	if form.Has("steps") { // as a caution mended them
		steps = own.OfLines(form.Get("steps"))
	}
	if kind, ok := derive.StepKindOf(in.Add); ok && in.Show == "steps" {
		return append(steps, derive.Written{Do: kind.Do, With: startOf(kind)}), focus{len(steps), "with"}
	}
	what, at := acted(in.Act)
	if at < 0 || at >= len(steps) {
		return steps, focus{}
	}
	switch {
	case what == "drop":
		return slices.Delete(steps, at, at+1), focus{What: "add"}
	case what == "up" && at > 0:
		steps[at-1], steps[at] = steps[at], steps[at-1]
		at--
	case what == "down" && at < len(steps)-1:
		steps[at+1], steps[at] = steps[at], steps[at+1]
		at++
	}
	if at == 0 {
		what = "down"
	} else if at == len(steps)-1 {
		what = "up"
	}
	return steps, focus{at, what}
}

// startOf is with what a further step begins: something that can be computed, where there is one.
func startOf(k derive.StepKind) string {
	if len(k.Choices) > 0 {
		return k.Choices[0]
	}
	return ""
}

func acted(text string) (what string, at int) {
	if n, err := fmt.Sscanf(text, "%s %d", &what, &at); n != 2 || err != nil {
		return "", -1
	}
	return what, at
}

// SeenSteps are what each step made of the newest value of the row that is told, for the form.
func (v rehearsedView) SeenSteps() (out []seenStep) {
	for i := range v.Of {
		s := seenStep{At: i}
		if i < len(v.Rehearsal.Steps) {
			s.StepSeen = v.Rehearsal.Steps[i]
		}
		if v.Misstep != nil && v.Misstep.At == i {
			s.Problem = text.UpperFirst(v.Misstep.Text)
		}
		out = append(out, s)
	}
	return out
}

// seenStep is what one step made, with which it is.
type seenStep struct {
	At int
	browse.StepSeen
}

// Said is that in words.
func (s seenStep) Said() string {
	if s.Problem != "" {
		return s.Problem
	}
	return s.Value
}

// SampleSaid says of which row the steps are told.
func (v rehearsedView) SampleSaid() string {
	switch {
	case len(v.Of) == 0 || len(v.Rehearsal.Rows) == 0:
		return ""
	case v.Rows && v.Rehearsal.Sample != "":
		return "At the right is what each step made of the newest value of " + v.Rehearsal.Sample +
			". Another row is chosen in the list of what would be stored."
	}
	return "At the right is what each step made of the newest value."
}

// Choosing has the steps told of a row.
func (rehearsedView) Choosing(r browse.RowSeen) string {
	out, _ := json.Marshal(map[string]string{"sample": r.Index}) // texts alone
	return string(out)
}

package kits

import (
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/web/ui"
)

// usual are the fields that come first, and are shown at once though nothing stands in them.
var usual = map[string][]string{
	"":           {"title", "kit", "folder", "version", "about", "needs"},
	"parameters": {"label", "name", "kind", "default", "about"},
	"sources":    {"key", "way", "every", "optional", "ask", "columns"},
	"parts":      {"title", "kind", "source", "key", "name", "where"},
	"readings":   {"name", "key", "unit", "of", "source", "value", "steps", "about"},
	"rules":      {"name", "key", "reading", "condition", "title", "runbook"},
	"charts":     {"title", "readings"},
	"kits":       {"kit", "set"},
}

// rank is where a field comes; those that are not usual come last.
func (v sheetView) rank(e draft.Entry) int {
	name, _, _ := strings.Cut(e.Name, ".")
	if at := slices.Index(usual[v.Section], name); at >= 0 {
		return at
	}
	return len(usual[v.Section])
}

// shown tells whether a field is shown at once: the others are behind a word.
func (v sheetView) shown(e draft.Entry) bool {
	return e.Value != "" || len(e.Rows) > 1 || e.As != nil || v.errs[e.Name] != "" || v.rank(e) < len(usual[v.Section])
}

// hidden are fields that are set in other ways: the format by the application, parking by a button.
var hidden = map[string]bool{"format": true, "parked": true}

// Fields are those that are shown at once: of a rule, up to when there is trouble.
func (v sheetView) Fields() []sheetField {
	return v.fields(func(e draft.Entry) bool { return v.shown(e) && !v.behind(e) })
}

// Rest are the others that are shown at once.
func (v sheetView) Rest() []sheetField {
	return v.fields(func(e draft.Entry) bool { return v.shown(e) && v.behind(e) })
}

// More are fields that few need.
func (v sheetView) More() []sheetField {
	return v.fields(func(e draft.Entry) bool { return !v.shown(e) })
}

// behind tells whether a field comes behind those of the levels of a rule.
func (v sheetView) behind(e draft.Entry) bool {
	return v.Section == "rules" && v.rank(e) > slices.Index(usual["rules"], "condition")
}

func (v sheetView) fields(wanted func(draft.Entry) bool) (out []sheetField) {
	entries := slices.Clone(v.entries)
	slices.SortStableFunc(entries, func(a, b draft.Entry) int { return v.rank(a) - v.rank(b) })
	for _, e := range entries {
		if !hidden[e.Name] && wanted(e) && (e.As == nil || e.As.Group == "") {
			out = append(out, v.field(e))
		}
	}
	return out
}

// Levels are the fields of a rule that are one row for each level.
func (v sheetView) Levels() []ui.FieldRow {
	var all []ui.FieldView
	for _, e := range v.entries {
		if e.As != nil && e.As.Group != "" {
			all = append(all, v.view(e))
		}
	}
	_, rows := ui.Rows(all)
	return rows
}

// MoreSaid names the fields that few need.
func (v sheetView) MoreSaid() string {
	var names []string
	for _, f := range v.More() {
		names = append(names, strings.ToLower(f.Label))
	}
	return text.Some(names, 5)
}

// sheetField is a field as it is filled in: one input, or a table of them.
type sheetField struct {
	ui.FieldView
	Wide bool
	// Columns and Cells are those of a table.
	Columns []string
	Cells   [][]ui.FieldView
}

// prefix is that of the names of inputs that are fields of a thing.
const prefix = "f."

func (v sheetView) field(e draft.Entry) sheetField {
	out := sheetField{FieldView: v.view(e)}
	out.Wide = out.Rows > 0 || len(e.Rows) > 0
	for i, row := range e.Rows {
		var cells []ui.FieldView
		for _, cell := range row {
			if i == 0 {
				out.Columns = append(out.Columns, cell.Label)
			}
			x := v.view(cell)
			x.Label = fmt.Sprintf("%s, row %d: %s", e.Label, i+1, cell.Label)
			x.Help, x.HelpID = "", ""
			cells = append(cells, x)
		}
		out.Cells = append(out.Cells, cells)
	}
	return out
}

// view is a field with one input.
func (v sheetView) view(e draft.Entry) ui.FieldView {
	if typed, ok := v.typed[e.Name]; ok {
		e.Value = typed
	}
	f := ui.Typed("thing-", prefix+e.Name, e.Label, e.Value, e.About, v.errs[e.Name])
	f.Suggested = e.Suggested
	if v.Section == "" && e.Name == "folder" {
		f.Suggested = v.folders
	}
	switch {
	case e.Form == kit.Lines:
		f.Rows = 2 + len(e.Value)/90
	case e.Form == kit.Other:
		f.Rows, f.Mono = min(2+strings.Count(e.Value, "\n"), 14), true
	case e.Form == kit.Flag:
		f.Kind, f.Options = field.Choice, flagOptions(e)
	case len(e.Choices) > 0:
		f.Kind, f.Options = field.Choice, choices(e)
	case e.Form == kit.List && len(e.Suggested) > 0:
		f.Help, f.HelpID = "Several with commas: "+text.Some(e.Suggested, 12), f.ID+"-help"
		f.Suggested = nil
	}
	if e.As != nil {
		f.Group, f.Default = e.As.Group, e.As.Default
	}
	return f
}

func flagOptions(e draft.Entry) []ui.Option {
	if e.Name == "enabled" { // the only one that is on where it is left out
		return []ui.Option{{Value: "", Title: "yes"}, {Value: "false", Title: "no"}}
	}
	out := []ui.Option{{Value: "", Title: "no"}, {Value: "true", Title: "yes"}}
	if e.Value == "false" {
		out[0].Value = "false"
	}
	return out
}

func choices(e draft.Entry) []ui.Option {
	out := ui.Options(e.Choices)
	for i, o := range out {
		switch kind, isStep := derive.StepKindOf(o.Value); {
		case o.Value == "":
			out[i].Title = "–"
		case isStep && strings.HasSuffix(e.Name, ".do"):
			out[i].Title = kind.Title
		case e.As != nil && e.As.Labels[o.Value] != "":
			out[i].Title = e.As.Labels[o.Value]
		}
	}
	return out
}

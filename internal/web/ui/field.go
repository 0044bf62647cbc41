package ui

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

// FieldView is a described setting in a form, with what was typed and what is
// wrong with it; the "field" template shows it.
type FieldView struct {
	field.Field
	ID    string
	Value string
	// Rows is how many lines are shown where several may be typed; 0 for one line.
	Rows int
	// Mono is true for what is better read in letters of one width, such as addresses.
	Mono bool
	// Options are what may be chosen, where that is not described.
	Options []Option
	// Suggested are values that may be meant, where others may be typed, too.
	Suggested []string
	Error     string
	// HelpID is where the help stands; fields of a table share it.
	HelpID string
	// Since is how long ago it was stored; empty where that is not known.
	Since string
	// Stored is true for a secret that is there already, Again for one that is typed
	// to show that it is known.
	Stored, Again bool
	// Kept is true for what stays as it was typed when the form comes again: a secret, which is never sent back.
	Kept bool
	// Autocomplete tells the browser what belongs there, such as “new-password”;
	// nothing, where it is empty.
	Autocomplete string
}

// Fields makes views of described settings; ids begin with the prefix, so that
// several forms fit on a page.
func Fields(prefix string, fields []field.Field, values map[string]string, errs domain.FieldErrors) []FieldView {
	out := make([]FieldView, len(fields))
	for i, f := range fields {
		out[i] = FieldView{Field: f, ID: prefix + f.Name, Value: values[f.Name], Error: errs[f.Name]}
		if f.Most > field.MaxText { // of several lines, such as certificates
			out[i].Rows, out[i].Mono = manyLines, true
		}
		if f.Kind == field.Choice && out[i].Value == "" {
			out[i].Value = f.Default
		}
		if f.Kind == field.Secret {
			out[i].Value = ""
		}
		if f.Help != "" {
			out[i].HelpID = out[i].ID + "-help"
		}
	}
	return out
}

// manyLines is how many lines are shown of a long text.
const manyLines = 5

// Typed is a field of a form that no description lists.
func Typed(prefix, name, label, value, help, problem string) FieldView {
	f := FieldView{
		Field: field.Field{Name: name, Label: label, Kind: field.Text, Help: help},
		ID:    prefix + name,
		Value: value,
		Error: problem,
	}
	if help != "" {
		f.HelpID = f.ID + "-help"
	}
	return f
}

// ChangedMeanwhile is told where somebody else was faster; what is there now is shown beside.
const ChangedMeanwhile = "Somebody else has changed it meanwhile. What you typed is kept; save again to let it hold."

// Chosen is such a field for one of several values.
func Chosen(prefix, name, label, value string, options []Option, help, problem string) FieldView {
	f := Typed(prefix, name, label, value, help, problem)
	f.Kind, f.Options = field.Choice, options
	return f
}

// WholeTree is the choice of no place.
var WholeTree = Option{Value: "0", Title: "the whole tree"}

// TypedLines is such a field for several lines.
func TypedLines(prefix, name, label, value string, rows int, help, problem string) FieldView {
	f := Typed(prefix, name, label, value, help, problem)
	f.Rows = rows
	return f
}

// PlaceOptions are places to choose from, after those that come first.
func PlaceOptions(places []domain.Place, first ...Option) []Option {
	out := slices.Clone(first)
	for _, p := range places {
		out = append(out, Option{Value: strconv.FormatInt(p.ID, 10), Title: p.Name})
	}
	return out
}

// PlacesOrAll are places to choose from, with the whole tree where that may be chosen.
func PlacesOrAll(places []domain.Place, whole bool) []Option {
	if whole {
		return PlaceOptions(places, WholeTree)
	}
	return PlaceOptions(places)
}

// CredentialOptions are credentials to choose from.
func CredentialOptions(credentials []domain.Credential) []Option {
	out := make([]Option, len(credentials))
	for i, c := range credentials {
		out[i] = Option{Value: strconv.FormatInt(c.ID, 10), Title: c.Name}
	}
	return out
}

// TypedSecret is such a field for a secret.
func TypedSecret(prefix, name, label, problem string) FieldView {
	return FieldView{Field: field.Field{Name: name, Label: label, Kind: field.Secret}, ID: prefix + name, Error: problem, Again: true}
}

// DescribedBy are the ids of what explains the field; empty for nothing.
func (f FieldView) DescribedBy() string {
	var ids []string
	if f.Error != "" {
		ids = append(ids, f.ID+"-error")
	}
	if f.HelpID != "" {
		ids = append(ids, f.HelpID)
	}
	return strings.Join(ids, " ")
}

// Choosable are the values that may be chosen.
func (f FieldView) Choosable() []Option {
	if f.Options != nil {
		return f.Options
	}
	out := Options(f.Choices)
	for i, o := range out {
		out[i].Title = cmp.Or(f.Labels[o.Value], o.Title)
	}
	return out
}

// IsChoice and IsSecret tell the template what to show.
func (f FieldView) IsChoice() bool { return f.Kind == field.Choice }

// IsSecret tells that what is typed is never shown.
func (f FieldView) IsSecret() bool { return f.Kind == field.Secret }

// Completes is what the browser may fill in.
func (f FieldView) Completes() string { return cmp.Or(f.Autocomplete, "off") }

// InputMode is the keyboard that telephones should show.
func (f FieldView) InputMode() string {
	switch f.Kind {
	case field.Whole:
		return "numeric"
	case field.Number:
		return "decimal"
	}
	return "text"
}

// Placeholder says what holds when nothing is typed.
func (f FieldView) Placeholder() string {
	switch {
	case f.Again:
		return ""
	case f.IsSecret() && f.Stored:
		return strings.TrimSpace("stored "+f.Since) + "; leave empty to keep it"
	case f.IsSecret():
		return "none is stored"
	}
	return f.Default
}

// FieldRow is fields that are one row of a table, such as those of a level.
type FieldRow struct {
	Group  string
	Fields []FieldView
}

// Rows parts fields into those that stand alone and those of a table. Help
// that the field above has already is not said again.
func Rows(fields []FieldView) (plain []FieldView, rows []FieldRow) {
	for _, f := range fields {
		if f.Group == "" {
			plain = append(plain, f)
			continue
		}
		if len(rows) == 0 || rows[len(rows)-1].Group != f.Group {
			rows = append(rows, FieldRow{Group: f.Group})
		}
		row := &rows[len(rows)-1]
		if above := rows[0].Fields; len(rows) > 1 && len(row.Fields) < len(above) && above[len(row.Fields)].Help == f.Help {
			f.Help, f.HelpID = "", above[len(row.Fields)].HelpID
		}
		row.Fields = append(row.Fields, f)
	}
	return plain, rows
}

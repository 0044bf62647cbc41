package ui

import (
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
	Error string
	// Stored is true for a secret that is there already.
	Stored bool
}

// Fields makes views of described settings; ids begin with the prefix, so that
// several forms fit on a page.
func Fields(prefix string, fields []field.Field, values map[string]string, errs domain.FieldErrors) []FieldView {
	out := make([]FieldView, len(fields))
	for i, f := range fields {
		out[i] = FieldView{Field: f, ID: prefix + f.Name, Value: values[f.Name], Error: errs[f.Name]}
		if f.Kind == field.Choice && out[i].Value == "" {
			out[i].Value = f.Default
		}
		if f.Kind == field.Secret {
			out[i].Value = ""
		}
	}
	return out
}

// DescribedBy are the ids of what explains the field; empty for nothing.
func (f FieldView) DescribedBy() string {
	var ids []string
	if f.Error != "" {
		ids = append(ids, f.ID+"-error")
	}
	if f.Help != "" {
		ids = append(ids, f.ID+"-help")
	}
	return strings.Join(ids, " ")
}

// IsChoice and IsSecret tell the template what to show.
func (f FieldView) IsChoice() bool { return f.Kind == field.Choice }

// IsSecret tells that what is typed is never shown.
func (f FieldView) IsSecret() bool { return f.Kind == field.Secret }

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
	case f.IsSecret() && f.Stored:
		return "stored; leave empty to keep it"
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

// Rows parts fields into those that stand alone and those of a table.
func Rows(fields []FieldView) (plain []FieldView, rows []FieldRow) {
	for _, f := range fields {
		switch {
		case f.Group == "":
			plain = append(plain, f)
		case len(rows) > 0 && rows[len(rows)-1].Group == f.Group:
			rows[len(rows)-1].Fields = append(rows[len(rows)-1].Fields, f)
		default:
			rows = append(rows, FieldRow{f.Group, []FieldView{f}})
		}
	}
	return plain, rows
}

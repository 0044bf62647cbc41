package kit

import (
	"reflect"
	"strings"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
)

// Form is how one field of a kit file is written where people fill it in by itself.
type Form string

// The forms of fields.
const (
	Line    Form = "line"
	Lines   Form = "lines"   // of text
	Flag    Form = "flag"    // true, or left out
	Whole   Form = "whole"   // a whole number
	Decimal Form = "decimal" // any number
	List    Form = "list"    // of texts
	Records Form = "records" // a list of records with the same few fields
	Steps   Form = "steps"   // from raw to stored
	Other   Form = "other"   // anything else, as it stands in the file
)

// Described is one field of a kit file.
type Described struct {
	Name, Label, About string
	Required           bool
	Form               Form
	Choices            []string    // of a line; empty for anything
	Fields             []Described // of records
}

// Layout is the fields of a kit file by its lists, such as readings; those of the file itself by "".
type Layout map[string][]Described

// inShort are the ways to write steps in short: a form shows all steps as one list.
var inShort = map[string]bool{"rate": true, "times": true, "percent_of": true, "share_with": true, "scale": true}

// labels are what fields are called, where that is not their name.
var labels = map[string]string{
	"kit":                 "Name",
	"needs":               "Fits devices with",
	"on_request":          "Not proposed",
	"prepare":             "To be done there first",
	"by_hand":             "Added by hand as",
	"parameters.about":    "Help",
	"sources.every":       "How often",
	"sources.optional":    "May be missing",
	"sources.when":        "Used when",
	"sources.columns.of":  "On the device",
	"parts.key":           "The same by",
	"parts.name":          "Called by",
	"parts.note":          "Note beside the name",
	"parts.only":          "Only rows",
	"parts.leave_out":     "Leave out rows",
	"parts.speed_scale":   "Speed times",
	"parts.living":        "Working rows",
	"parts.apart":         "Told apart by",
	"readings.name":       "Called",
	"readings.of":         "Of each",
	"readings.value":      "Made of",
	"readings.steps":      "From raw to stored",
	"readings.heartbeat":  "Stored at least each",
	"readings.only":       "Only rows",
	"readings.leave_out":  "Leave out rows",
	"readings.over":       "Over rows",
	"readings.low":        "Lowest",
	"readings.high":       "Highest",
	"readings.codes":      "Words",
	"readings.text":       "It is a text",
	"readings.because":    "Explained by",
	"readings.always":     "Without answer, too",
	"readings.optional":   "May be missing",
	"rules.name":          "Called",
	"rules.reading":       "Judges the reading",
	"rules.title":         "Alerts are called",
	"rules.runbook":       "What to do",
	"rules.enabled":       "Judges",
	"kits.set":            "With parameters",
	"parameters.required": "Must be set",
	"parameters.hidden":   "Not asked for",
}

// LayoutOf describes kit files that may use some ways to collect and kinds of rules.
func LayoutOf(ways way.List, kinds rule.Kinds) Layout {
	d := describer{newSchema(ways, kinds)}
	out := Layout{}
	root := reflect.TypeFor[file]()
	for i := range root.NumField() {
		f := root.Field(i)
		name := nameOf(f)
		if keyed[name] == nil {
			out[""] = append(out[""], d.field(f, ""))
			continue
		}
		out[name] = d.fields(f.Type.Elem(), name)
	}
	return out
}

type describer struct{ schema }

func (d describer) fields(t reflect.Type, path string) (out []Described) {
	for _, f := range fieldsOf(t) {
		if inline(f) || path == "readings" && inShort[nameOf(f)] {
			continue // the condition of a rule is described by its kind, steps are one list
		}
		out = append(out, d.field(f, path))
	}
	return out
}

// long are texts that take more than a line.
var long = map[string]bool{
	"about": true, "parameters.about": true, "readings.about": true, "readings.caution": true, "rules.runbook": true, "parts.where": true,
}

func (d describer) field(f reflect.StructField, path string) Described {
	name := nameOf(f)
	at := strings.TrimPrefix(path+"."+name, ".")
	out := Described{Name: name, Label: labels[at], About: about[at], Choices: d.enums[at], Form: formOf(f.Type)}
	if says := about[at+"!"]; says != "" {
		out.About, out.Required = says, true
	}
	if out.Label == "" {
		out.Label = text.UpperFirst(strings.ReplaceAll(name, "_", " "))
	}
	switch {
	case at == "readings.steps":
		out.Form = Steps
	case long[at]:
		out.Form = Lines
	case out.Form == Records:
		out.Fields = d.fields(f.Type.Elem(), at)
	}
	return out
}

// formOf is how a type is filled in.
func formOf(t reflect.Type) Form {
	switch t.Kind() {
	case reflect.Pointer:
		return formOf(t.Elem())
	case reflect.String:
		return Line
	case reflect.Bool:
		return Flag
	case reflect.Int:
		return Whole
	case reflect.Float64:
		return Decimal
	case reflect.Slice:
		switch formOf(t.Elem()) {
		case Line:
			return List
		case Records: // a record of single values
			return Records
		}
	case reflect.Struct:
		for i := range t.NumField() {
			if f := formOf(t.Field(i).Type); f != Line && f != Whole && f != Decimal {
				return Other
			}
		}
		return Records
	}
	return Other
}

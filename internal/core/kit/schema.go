package kit

import (
	"encoding/json"
	"reflect"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/way"
)

// Format is the newest format of kit files that is read. A file that does not say its format is of the first.
const Format = 1

// about says what things of a kit file mean, by their paths; ending in ! they must be there.
var about = map[string]string{
	"format":                   "The format of the file; a release refuses newer ones than it knows",
	"kit!":                     "Its name, of small letters, digits and -",
	"title!":                   "What people call it",
	"about":                    "What it reads, and by which standard",
	"folder":                   "Where it is kept among other kits, such as Network/Errors",
	"version!":                 "Of its author, from 1",
	"needs":                    "Facts that a device must show, such as answers:snmp",
	"on_request":               "It is not proposed where a device is adopted: people fit it, or rules do",
	"prepare":                  "What must be done on a device first, to be copied; {collector} is the machine that asks",
	"by_hand":                  "How one thing is added by hand that the kit is for",
	"by_hand.title!":           "What people call such a thing, such as Web page",
	"by_hand.asks":             "Parameters, and settings of how it is asked, that matter most: up to five are asked for first",
	"parameters":               "What may differ from device to device, in the order in which it is filled in",
	"parameters.name!":         "What {NAME} in settings of sources stands for",
	"parameters.label":         "What people call it",
	"parameters.choices":       "The values that it may have",
	"parameters.low":           "The lowest number",
	"parameters.high":          "The highest number",
	"sources":                  "One fetch feeds many readings",
	"sources.key!":             "What readings and rows call it; several of one key are variants, told apart by when",
	"sources.way!":             "How it is asked",
	"sources.every!":           "How often, such as 60s",
	"sources.optional":         "A device need not have it",
	"sources.when":             "Values of parameters with which it is used",
	"sources.ask":              "Settings of the way; {NAME} stands for a parameter",
	"sources.columns":          "What comes back",
	"sources.columns.as!":      "What the kit calls it",
	"sources.columns.of":       "What it is on the device, such as an object identifier",
	"parts":                    "Rows of a source become parts",
	"parts.kind!":              "What readings call them in of",
	"parts.source!":            "Whose rows they are",
	"parts.key!":               "Columns that make a part the same one though it moves; the first that is not empty",
	"parts.name!":              "Columns that it is called by; the first that is not empty",
	"parts.only":               "Rows of which a column says one of these",
	"parts.leave_out":          "Rows of which no column says one of these",
	"parts.where":              "A condition in CEL over columns",
	"readings":                 "What is stored",
	"readings.key!":            "What rules and settings call it",
	"readings.name!":           "What people call it",
	"readings.unit":            "In UCUM, such as s, B, bit/s, Cel, %",
	"readings.of":              "The kind of part that has it; left out for the device",
	"readings.source":          "What it is made of; left out, that of its parts",
	"readings.value":           "Columns; the first that is there is taken",
	"readings.rate":            "The growth a second of a counter",
	"readings.scale":           "Times this",
	"readings.times":           "Times a column",
	"readings.percent_of":      "In % of a column",
	"readings.share_with":      "In % of it and a column together",
	"readings.steps":           "From raw to stored, in their order",
	"readings.heartbeat":       "How long a value that does not change may go unstored",
	"readings.low":             "The lowest value that can be",
	"readings.high":            "The highest value that can be",
	"readings.codes":           "Words that numbers stand for",
	"readings.text":            "Its values are texts",
	"readings.because":         "The reading of the same rows whose text says why",
	"readings.always":          "It is stored when there is no answer, too",
	"readings.optional":        "A device need not have it",
	"rules":                    "When there is trouble",
	"rules.key!":               "What settings call it",
	"rules.name!":              "What people call it",
	"rules.reading!":           "What it judges",
	"rules.title":              "Of its alerts; {device} and {part} are filled in",
	"rules.runbook":            "What to do about it",
	"rules.enabled":            "Whether it judges; it does where this is left out",
	"charts":                   "Readings that are drawn together",
	"kits":                     "Kits that it brings along",
	"kits.kit!":                "Which",
	"kits.set":                 "Values of their parameters",
	"readings.first_of":        "Several ways to make it, in the place of value",
	"readings.instead":         "Values that other columns force",
	"readings.over":            "How several rows become one value",
	"parts.tags":               "Columns whose values become tags",
	"parts.attributes":         "Columns whose values become attributes, by their names",
	"parts.speed":              "The column with the highest possible rate",
	"parts.living":             "Rows that work now: a column, and what it says of them",
	"parameters.default":       "The value where none is set",
	"parameters.about":         "Help for who fills it in",
	"rules.cause":              "Alerts of one cause on a device become one incident",
	"readings.caution":         "What people must know of its values",
	"parts.note":               "A column that is shown beside the name",
	"sources.columns.is":       "What its values are, where conditions ask for it",
	"parts.since":              "The column with the beginning of a row's counters",
	"parts.marks":              "Columns that only the same thing has, whatever it is called",
	"parts.apart":              "Columns that tell rows of one name apart",
	"readings.purpose":         "What it is for, such as reach or traffic",
	"readings.only":            "Rows of which a column says one of these",
	"readings.leave_out":       "Rows of which no column says one of these",
	"charts.title":             "What it is called",
	"charts.readings":          "What is drawn",
	"parts.title":              "What people call them together",
	"parts.purpose":            "What they are: interface or volume",
	"readings.tags":            "They go along to incidents",
	"rules.tags":               "They go along to incidents",
	"readings.about":           "Which object it is, or what it means",
	"parameters.kind":          "What it is; a secret is stored under Credentials, and chosen where the kit is fitted",
	"parameters.required":      "It must be set somewhere: what needs it is not asked before",
	"parameters.hidden":        "It is not asked for where the kit is fitted; it may be set on places and by kits",
	"parts.speed_scale":        "What the speed is multiplied by for bit/s",
	"sources.parked":           "Kept, and not asked; what it feeds is parked with it",
	"parts.parked":             "Kept, and no parts are made; their readings are parked with it",
	"readings.parked":          "Kept, and not collected; rules on it are parked with it",
	"rules.parked":             "Kept, and judges nothing",
	"readings.instead.column!": "Which",
}

// schema writes the schema of kit files.
type schema struct {
	enums map[string][]string
	kinds []string // of rules
}

// parameterKinds are what parameters can be.
var parameterKinds = []string{string(field.Text), string(field.Whole), string(field.Number), string(field.Duration),
	string(field.Choice), string(field.Secret)}

// Schema is the JSON Schema (draft 2020-12) of kit files that may use some ways to collect and kinds of rules,
// for editors that complete and check while one types. What a file says beyond its shape is checked by Parse.
func Schema(ways way.List, kinds rule.Kinds) ([]byte, error) {
	s := newSchema(ways, kinds)
	root := s.object(reflect.TypeFor[file](), "")
	root["$schema"], root["title"] = "https://json-schema.org/draft/2020-12/schema", "Kit of Tireless Owl"
	return json.MarshalIndent(root, "", "  ")
}

func newSchema(ways way.List, kinds rule.Kinds) schema {
	s := schema{enums: map[string][]string{
		"readings.over":    {string(derive.OverFirst), string(derive.OverAvg), string(derive.OverSum), string(derive.OverMax)},
		"parameters.kind":  parameterKinds,
		"readings.purpose": {string(Reach), string(Uptime), string(Traffic), string(Filling)},
		"parts.purpose":    {string(Interfaces), string(Volumes)},
	}}
	for _, w := range ways {
		s.enums["sources.way"] = append(s.enums["sources.way"], w.Name)
	}
	for _, k := range kinds {
		s.kinds = append(s.kinds, k.Name)
	}
	return s
}

// inline tells whether a field stands in the file without a name of its own.
func inline(f reflect.StructField) bool { return strings.HasSuffix(f.Tag.Get("yaml"), ",inline") }

// fieldsOf are the fields of a record, with those of records within it that have no name of their own.
func fieldsOf(t reflect.Type) (out []reflect.StructField) {
	for i := range t.NumField() {
		if f := t.Field(i); inline(f) && f.Type.Kind() == reflect.Struct {
			out = append(out, fieldsOf(f.Type)...)
		} else {
			out = append(out, f)
		}
	}
	return out
}

// nameOf is what a field is called in the file.
func nameOf(f reflect.StructField) string {
	if tag := f.Tag.Get("yaml"); tag != "" {
		return tag
	}
	return strings.ToLower(f.Name)
}

// object is a record: nothing else may stand in it.
func (s schema) object(t reflect.Type, path string) map[string]any {
	properties, required := map[string]any{}, []string{}
	out := map[string]any{"type": "object", "properties": properties, "additionalProperties": false}
	for _, f := range fieldsOf(t) {
		if inline(f) { // the condition of a rule, under the name of its kind
			var one []any
			for _, kind := range s.kinds {
				const says = "When there is trouble: the condition of a rule of this kind"
				properties[kind] = map[string]any{"type": "object", "description": says}
				one = append(one, map[string]any{"required": []string{kind}})
			}
			out["oneOf"] = one
			continue
		}
		name := nameOf(f)
		at := strings.TrimPrefix(path+"."+name, ".")
		x := s.of(f.Type, at)
		if says := about[at+"!"]; says != "" {
			required = append(required, name)
			x["description"] = says
		} else if says := about[at]; says != "" {
			x["description"] = says
		}
		if enum := s.enums[at]; enum != nil {
			x["enum"] = enum
		}
		properties[name] = x
	}
	if len(required) > 0 {
		out["required"] = required
	}
	return out
}

// scalar is anything that YAML reads as a text.
var scalar = []string{"string", "number", "boolean"}

// of is the schema of a type that stands at a path.
func (s schema) of(t reflect.Type, path string) map[string]any {
	switch t.Kind() {
	case reflect.Pointer:
		return s.of(t.Elem(), path)
	case reflect.Struct:
		return s.object(t, path)
	case reflect.Slice:
		return map[string]any{"type": "array", "items": s.of(t.Elem(), path)}
	case reflect.Map:
		return map[string]any{"type": "object", "additionalProperties": s.of(t.Elem(), path)}
	case reflect.Bool:
		return map[string]any{"type": "boolean"}
	case reflect.Int:
		return map[string]any{"type": "integer"}
	case reflect.Float64:
		return map[string]any{"type": "number"}
	}
	return map[string]any{"type": scalar}
}

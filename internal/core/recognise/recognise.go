// Package recognise tells by rules what a device is: its vendor, its model and its kind.
package recognise

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
)

// Known is what is known of a device; what is not known is empty.
type Known struct {
	Vendor string `json:"vendor"`
	Model  string `json:"model"`
	Kind   string `json:"kind"`
}

// Setting is under which the rules that people write are kept.
const Setting = "recognition"

// Unknown is the kind of what no rule recognises.
const Unknown = "device"

// Rule says what a device is of which a condition holds.
type Rule struct {
	Known
	When *condition.Condition
	line int
}

// Rules are several of them, the first that says something first.
type Rules []Rule

// The bounds of what people may write.
const (
	MostBytes = 256 << 10
	mostRules = 500
	mostWord  = 60
)

// Wrong is what is wrong with a rule, with its line from 1.
type Wrong struct {
	Line int
	Text string
}

func (w Wrong) Error() string { return fmt.Sprintf("line %d: %s", w.Line, w.Text) }

// Asked are what a condition may ask for.
var Asked = []condition.Column{
	{Name: "object_id", Kind: condition.Text}, {Name: "description", Kind: condition.Text}, {Name: "name", Kind: condition.Text},
	{Name: "location", Kind: condition.Text}, {Name: "maker", Kind: condition.Text}, {Name: "maker_model", Kind: condition.Text},
	{Name: "facts", Kind: condition.Text}, {Name: "interfaces", Kind: condition.Whole}, {Name: "volumes", Kind: condition.Whole},
	{Name: "layer2", Kind: condition.Whole}, {Name: "layer3", Kind: condition.Whole}, {Name: "layer7", Kind: condition.Whole},
}

// Parse reads rules; what is wrong is a Wrong.
func Parse(data []byte) (Rules, error) {
	if len(data) > MostBytes {
		return nil, Wrong{1, fmt.Sprintf("at most %d KiB", MostBytes>>10)}
	}
	var file struct{ Rules []yaml.Node }
	dec := yaml.NewDecoder(bytes.NewReader(data))
	dec.KnownFields(true)
	if err := dec.Decode(&file); errors.Is(err, io.EOF) {
		return nil, nil
	} else if err != nil {
		return nil, ofYAML(err)
	}
	if len(file.Rules) > mostRules {
		return nil, Wrong{file.Rules[mostRules].Line, fmt.Sprintf("at most %d rules", mostRules)}
	}
	var out Rules
	for _, node := range file.Rules {
		r, err := one(node)
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	return out, nil
}

// ofYAML tells what the reader of YAML says, which has the line in its words.
func ofYAML(err error) error {
	said := strings.TrimPrefix(err.Error(), "yaml: ")
	said = strings.TrimSpace(strings.TrimPrefix(said, "unmarshal errors:\n"))
	said, _, _ = strings.Cut(said, "\n")
	line := 1
	if rest, ok := strings.CutPrefix(said, "line "); ok {
		if number, what, ok := strings.Cut(rest, ": "); ok {
			if n, err := strconv.Atoi(number); err == nil {
				line, said = n, what
			}
		}
	}
	return Wrong{line, said}
}

func one(node yaml.Node) (r Rule, err error) {
	fields := map[string]*string{}
	var when string
	fields["when"], fields["vendor"], fields["model"], fields["kind"] = &when, &r.Vendor, &r.Model, &r.Kind
	if node.Kind != yaml.MappingNode {
		return r, Wrong{node.Line, "a rule has when, and vendor, model or kind"}
	}
	for i := 0; i < len(node.Content); i += 2 {
		name, value := node.Content[i], node.Content[i+1]
		into, ok := fields[name.Value]
		if !ok || value.Kind != yaml.ScalarNode {
			return r, Wrong{name.Line, fmt.Sprintf("a rule has no “%.40s”; it has when, vendor, model and kind", name.Value)}
		}
		if name.Value != "when" && (len(value.Value) > mostWord || !text.Legible(value.Value)) {
			return r, Wrong{value.Line, fmt.Sprintf("at most %d characters, all of which can be shown", mostWord)}
		}
		*into = value.Value
		if name.Value == "when" {
			r.line = value.Line
		}
	}
	if r.Known == (Known{}) || when == "" {
		return r, Wrong{node.Line, "a rule needs when, and at least one of vendor, model and kind"}
	}
	if r.When, err = condition.Compile(when, Asked); err != nil {
		return r, Wrong{r.line, "when: " + err.Error()}
	}
	return r, nil
}

// Of tells what a device is by what it told, and why. maker is what the public registry calls the
// enterprise of its object id; empty where that is not known.
func (r Rules) Of(a identity.Answer, maker string) (k Known, t why.Trace) {
	t = why.Trace{Question: "How was it recognised?"}
	values := valuesOf(a)
	for i, rule := range r {
		if k.Vendor != "" && k.Model != "" && k.Kind != "" {
			break
		}
		next := Known{cmp.Or(k.Vendor, rule.Vendor), cmp.Or(k.Model, rule.Model), cmp.Or(k.Kind, rule.Kind)}
		if next == k {
			continue
		}
		if holds, because, err := rule.When.Holds(values); err == nil && holds {
			k = next
			t.Because(fmt.Sprintf("Rule %d says %s", i+1, rule.Known.Said()), because, nil)
		}
	}
	if k.Vendor == "" && a.Maker != "" {
		k.Vendor = a.Maker
		t.Because("It calls its maker "+a.Maker, "", nil)
	}
	if k.Model == "" && a.Model != "" {
		k.Model = a.Model
		t.Because("It calls its model "+a.Model, "", nil)
	}
	if number, ok := Enterprise(a.ObjectID); ok && k.Vendor == "" {
		k.Vendor = cmp.Or(maker, fmt.Sprint("enterprise ", number))
		t.Because(fmt.Sprintf("Its object id is one of the enterprise %d", number), maker, nil)
	}
	if k.Kind == "" {
		k.Kind = Unknown
		t.Because("No rule says of which kind it is", "", nil)
	}
	t.Answer = k.Said()
	return k, t
}

// Said is what is known, in words.
func (k Known) Said() string {
	var out []string
	for _, word := range []string{k.Vendor, k.Model, k.Kind} {
		if word != "" {
			out = append(out, word)
		}
	}
	return strings.Join(out, ", ")
}

// valuesOf are what a device told, for conditions.
func valuesOf(a identity.Answer) condition.Values {
	works := func(layer int) int64 { return int64(a.Services >> (layer - 1) & 1) } // RFC 3418: the sum of 2^(layer−1)
	values := map[string]any{
		"object_id": strings.TrimPrefix(a.ObjectID, "."), "description": a.Description, "name": a.Name, "location": a.Location,
		"maker": a.Maker, "maker_model": a.Model, "facts": " " + strings.Join(a.Facts, " ") + " ",
		"interfaces": int64(a.Parts["interface"]), "volumes": int64(a.Parts["volume"]),
		"layer2": works(2), "layer3": works(3), "layer7": works(7),
	}
	return func(name string) (any, bool) { v, ok := values[name]; return v, ok }
}

// enterprises is the root of vendors' object ids (RFC 1155).
const enterprises = "1.3.6.1.4.1."

// Enterprise is the number of the enterprise whose object id one is.
func Enterprise(objectID string) (number int64, ok bool) {
	rest, ok := strings.CutPrefix(strings.TrimPrefix(objectID, "."), enterprises)
	if !ok {
		return 0, false
	}
	first, _, _ := strings.Cut(rest, ".")
	number, err := strconv.ParseInt(first, 10, 64)
	return number, err == nil && number >= 0 && number <= MostNumber
}

package draft

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
)

// Entry is one field of a thing, with what it says now.
type Entry struct {
	kit.Described
	Value string
	// Rows are those of records and steps, with an empty one at the end; each has the names of its inputs.
	Rows [][]Entry
	// Suggested are values that may be meant, where others may be, too.
	Suggested []string
	// As describes a setting that a way to collect or a kind of rule has; nil for a field of the file itself.
	As   *field.Field
	node *yaml.Node
}

// Entries are the fields of a thing in the order in which they are filled in; empty where there is none.
func (d *Draft) Entries(p Place) (out []Entry) {
	item := d.node(p)
	if item == nil {
		return nil
	}
	for _, f := range d.order(p.Section) {
		if p.Section == "" && names[f.Name] != "" {
			continue // its lists have things of their own
		}
		e := Entry{Described: f, node: get(item, f.Name)}
		e.fill(item)
		d.suggest(p, item, &e)
		out = append(out, e)
	}
	switch p.Section {
	case "sources":
		out = d.asks(item, out)
	case "rules":
		out = d.conditions(item, out)
	}
	return out
}

func (d *Draft) order(section string) []kit.Described { return d.book.Layout[section] }

// fill takes the value of the field out of its thing.
func (e *Entry) fill(item *yaml.Node) {
	n := e.node
	if e.Form == kit.Steps {
		e.fillSteps(item)
		return
	}
	switch {
	case n == nil:
	case e.Form == kit.List:
		var all []string
		for _, x := range n.Content {
			if x.Kind != yaml.ScalarNode || strings.Contains(x.Value, ",") {
				e.Form = kit.Other
			}
			all = append(all, x.Value)
		}
		e.Value = strings.Join(all, ", ")
		if n.Kind != yaml.SequenceNode {
			e.Form = kit.Other
		}
	case e.Form == kit.Records && n.Kind != yaml.SequenceNode:
		e.Form = kit.Other
	case e.Form != kit.Other && e.Form != kit.Records && n.Kind != yaml.ScalarNode:
		e.Form = kit.Other
	case e.Form != kit.Other && e.Form != kit.Records:
		e.Value = strings.TrimSpace(scalar(n))
	}
	if e.Form == kit.Other && n != nil {
		e.Value = block(n)
	}
	if e.Form == kit.Records {
		e.fillRecords()
	}
}

// block is a node as people fill it in, each part of it on a line of its own.
func block(n *yaml.Node) string {
	open := *n
	if n.Kind == yaml.MappingNode || n.Kind == yaml.SequenceNode {
		open.Style &^= yaml.FlowStyle
	}
	open.HeadComment, open.LineComment, open.FootComment = "", "", ""
	return strings.TrimSuffix(written(&open), "\n")
}

func (e *Entry) fillRecords() {
	var items []*yaml.Node
	if e.node != nil {
		items = e.node.Content
	}
	for i, item := range append(items[:len(items):len(items)], &yaml.Node{Kind: yaml.MappingNode}) {
		var row []Entry
		for _, f := range e.Fields {
			f.Name = fmt.Sprintf("%s.%d.%s", e.Name, i, f.Name)
			row = append(row, Entry{Described: f, Value: scalar(get(item, lastOf(f.Name)))})
		}
		e.Rows = append(e.Rows, row)
	}
}

func lastOf(name string) string { return name[strings.LastIndexByte(name, '.')+1:] }

func (e *Entry) fillSteps(item *yaml.Node) {
	var steps []derive.Written
	steps, e.Described.Form = stepsOf(item)
	if e.Form == kit.Other { // it cannot be shown as steps
		e.Value = block(e.node)
		return
	}
	kinds := []string{""}
	for _, k := range derive.StepKinds {
		kinds = append(kinds, k.Do)
	}
	for i, w := range append(steps, derive.Written{}) {
		e.Rows = append(e.Rows, []Entry{
			{Described: kit.Described{Name: fmt.Sprintf("steps.%d.do", i), Label: "Step", Form: kit.Line, Choices: kinds}, Value: w.Do},
			{Described: kit.Described{Name: fmt.Sprintf("steps.%d.with", i), Label: "With", Form: kit.Line}, Value: w.With},
		})
	}
}

// stepsOf are the steps of a reading, written in short or one by one; what is neither is left as it stands.
func stepsOf(item *yaml.Node) ([]derive.Written, kit.Form) {
	steps, err := kit.StepsIn(item)
	if err == nil {
		return steps, kit.Steps
	}
	if get(item, "steps") == nil {
		return nil, kit.Steps
	}
	return nil, kit.Other
}

// typedValue is what was typed into a field.
type typedValue struct {
	changed bool
	node    *yaml.Node // nil to leave it out
	steps   []derive.Written
}

// typed reads what was typed into a field; a field that is not among the values stays.
func (e Entry) typed(values map[string]string) (out typedValue, problem string) {
	if e.Form == kit.Steps {
		return e.typedSteps(values)
	}
	if e.Form == kit.Records {
		return e.typedRecords(values)
	}
	text, there := values[e.Name]
	text = strings.TrimSpace(strings.ReplaceAll(text, "\r\n", "\n"))
	if !there || text == e.Value {
		return out, ""
	}
	out.changed = true
	if text == "" {
		return out, ""
	}
	switch e.Form {
	case kit.Flag:
		out.node = &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: text}
		if text != "true" && text != "false" {
			return out, "It is true or false."
		}
	case kit.Whole, kit.Decimal:
		return e.number(text)
	case kit.List:
		out.node = listNode(text)
	case kit.Other:
		out.node = &yaml.Node{}
		var doc yaml.Node
		if err := yaml.Unmarshal([]byte(text), &doc); err != nil || len(doc.Content) == 0 {
			return out, "It cannot be read as YAML. " + yamlProblem(err)
		}
		out.node = doc.Content[0]
		out.changed = plain(out.node) != plain(e.node)
	default:
		out.node = textNode(text)
	}
	return out, ""
}

// yamlProblem says what is wrong, without whose parser says so.
func yamlProblem(err error) string {
	if err == nil {
		return ""
	}
	return strings.TrimPrefix(err.Error(), "yaml: ")
}

func (e Entry) number(text string) (out typedValue, problem string) {
	n := numberNode(text)
	if n == nil {
		return out, "Must be a number, such as 90 or 0.5."
	}
	if _, err := strconv.Atoi(n.Value); e.Form == kit.Whole && err != nil {
		return out, "Must be a whole number."
	}
	return typedValue{changed: true, node: n}, ""
}

// numberNode is a number as YAML has it; nil where it is none.
func numberNode(text string) *yaml.Node {
	v, err := field.ParseNumber(text)
	if err != nil {
		return nil
	}
	return &yaml.Node{Kind: yaml.ScalarNode, Value: strconv.FormatFloat(v, 'g', -1, 64)}
}

func listNode(text string) *yaml.Node {
	list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
	for _, one := range strings.Split(text, ",") {
		if one = strings.TrimSpace(one); one != "" {
			list.Content = append(list.Content, textNode(one))
		}
	}
	return list
}

func (e Entry) typedRecords(values map[string]string) (out typedValue, problem string) {
	list := &yaml.Node{Kind: yaml.SequenceNode}
	for i := 0; i < mostRows; i++ {
		item := &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
		there := false
		for _, f := range e.Fields {
			text, ok := values[fmt.Sprintf("%s.%d.%s", e.Name, i, f.Name)]
			there = there || ok
			if text = strings.TrimSpace(text); text != "" {
				put(item, f.Name, textNode(text), e.Fields)
			}
		}
		if !there {
			break
		}
		if len(item.Content) > 0 {
			list.Content = append(list.Content, e.kept(item))
		}
	}
	if _, there := values[fmt.Sprintf("%s.0.%s", e.Name, e.Fields[0].Name)]; !there {
		return out, ""
	}
	if len(list.Content) == 0 {
		return typedValue{changed: e.node != nil}, ""
	}
	return typedValue{changed: plain(list) != plain(e.node), node: list}, ""
}

// mostRows bounds how many records and steps are read.
const mostRows = 1000

// kept is the record as it stood before, where it says the same.
func (e Entry) kept(item *yaml.Node) *yaml.Node {
	if e.node == nil {
		return item
	}
	for _, old := range e.node.Content {
		if plain(old) == plain(item) {
			return old
		}
	}
	return item
}

func (e Entry) typedSteps(values map[string]string) (out typedValue, problem string) {
	if _, there := values["steps.0.do"]; !there {
		return out, ""
	}
	var before []derive.Written
	for _, row := range e.Rows[:len(e.Rows)-1] {
		before = append(before, derive.Written{Do: row[0].Value, With: row[1].Value})
	}
	for i := 0; i < mostRows; i++ {
		do, there := values[fmt.Sprintf("steps.%d.do", i)]
		if !there {
			break
		}
		if do != "" {
			out.steps = append(out.steps, derive.Written{Do: do, With: strings.TrimSpace(values[fmt.Sprintf("steps.%d.with", i)])})
		}
	}
	out.changed = fmt.Sprint(before) != fmt.Sprint(out.steps)
	return out, ""
}

// write puts what was typed into the thing.
func (e Entry) write(item *yaml.Node, v typedValue, order []kit.Described) {
	switch {
	case e.As != nil:
		e.writeSetting(item, v.node, order)
	case e.Form == kit.Steps:
		writeSteps(item, v.steps, order)
	default:
		put(item, e.Name, v.node, order)
	}
}

func writeSteps(item *yaml.Node, steps []derive.Written, order []kit.Described) {
	for _, name := range append(inShort, "steps") {
		put(item, name, nil, order)
	}
	if len(steps) == 0 {
		return
	}
	if short(steps) {
		for _, w := range steps {
			put(item, w.Do, shortNode(w), nil)
		}
		return
	}
	list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
	for _, w := range steps {
		step := &yaml.Node{Kind: yaml.MappingNode, Content: []*yaml.Node{textNode(w.Do), textNode(w.With)}}
		list.Content = append(list.Content, step)
	}
	put(item, "steps", list, order)
}

// inShort are the steps that may be written as settings of the reading, in the order in which they are taken then.
var inShort = []string{"rate", "times", "percent_of", "share_with", "scale"}

func short(steps []derive.Written) bool {
	last := -1
	for _, w := range steps {
		at := slices.Index(inShort, w.Do)
		if at <= last {
			return false
		}
		last = at
	}
	return true
}

func shortNode(w derive.Written) *yaml.Node {
	switch w.Do {
	case "rate":
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: "true"}
	case "scale":
		if n := numberNode(w.With); n != nil {
			return n
		}
	}
	return textNode(w.With)
}

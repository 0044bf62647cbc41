package draft

import (
	"encoding/json"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// asks shows what a source asks as the settings that its way has.
func (d *Draft) asks(item *yaml.Node, all []Entry) []Entry {
	w, ok := d.book.Ways.Of(scalar(get(item, "way")))
	i := slices.IndexFunc(all, func(e Entry) bool { return e.Name == "ask" })
	ask := get(item, "ask")
	if !ok || i < 0 || ask != nil && ask.Kind != yaml.MappingNode {
		return all
	}
	var asks []Entry
	for _, f := range w.Ask {
		asks = append(asks, settingOf("ask."+f.Name, f, scalar(get(ask, f.Name))))
	}
	if !d.askedElse(ask, w.Ask) {
		return slices.Replace(all, i, i+1, asks...)
	}
	return all
}

// askedElse tells whether something is asked that the way does not know: then it is shown as it stands.
func (d *Draft) askedElse(ask *yaml.Node, fields []field.Field) bool {
	if ask == nil {
		return false
	}
	for i := 0; i+1 < len(ask.Content); i += 2 {
		name := ask.Content[i].Value
		if !slices.ContainsFunc(fields, func(f field.Field) bool { return f.Name == name }) {
			return true
		}
	}
	return false
}

func settingOf(name string, f field.Field, value string) Entry {
	described := kit.Described{Name: name, Label: f.Label, About: f.Help, Required: f.Required, Form: kit.Line}
	e := Entry{Described: described, Value: value, As: &f}
	// A parameter may stand in the place of a choice.
	if f.Kind == field.Choice && !strings.HasPrefix(value, "{") {
		e.Choices = append([]string{""}, f.Choices...)
	}
	return e
}

// writeSetting puts a setting of a way among what is asked.
func (e Entry) writeSetting(item, value *yaml.Node, order []kit.Described) {
	list, name, _ := strings.Cut(e.Name, ".")
	if list == condition {
		return // all of a condition is written at once
	}
	settings := get(item, list)
	if settings == nil {
		settings = &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
		put(item, list, settings, order)
	}
	put(settings, name, value, nil)
	if len(settings.Content) == 0 {
		put(item, list, nil, order)
	}
}

// condition is the list of fields that a kind of rule has.
const condition = "condition"

// conditions shows when there is trouble as the fields that the kind of rule has, where they can be shown.
func (d *Draft) conditions(item *yaml.Node, all []Entry) []Entry {
	kind, doc, ok := d.conditionOf(item)
	if !ok {
		return all
	}
	subject := d.subjectOf(scalar(get(item, "reading")))
	as := &field.Field{Labels: map[string]string{}}
	choice := Entry{Described: kit.Described{Name: condition, Label: "Kind of rule", Form: kit.Line}, Value: kind.Name, As: as}
	for _, k := range d.book.Kinds.Fitting(subject) {
		as.Labels[k.Name] = k.Title
		choice.Choices = append(choice.Choices, k.Name)
	}
	if !slices.Contains(choice.Choices, kind.Name) {
		choice.Choices = append(choice.Choices, kind.Name)
	}
	all = append(all, choice)
	c, err := kind.Decode(doc)
	if err != nil {
		raw := Entry{Described: kit.Described{Name: kind.Name, Label: "When there is trouble", Form: kit.Other}, node: get(item, kind.Name)}
		raw.fill(item)
		return append(all, raw)
	}
	if b, ok := c.(kit.Bound); ok {
		b.Bind(subject.Codes)
	}
	values := kind.Values(c)
	for _, f := range kind.Fields(subject) {
		all = append(all, settingOf(condition+"."+f.Name, f, values[f.Name]))
	}
	return all
}

// setCondition writes when there is trouble, all of it, where any field of it or the kind is another.
func (d *Draft) setCondition(item *yaml.Node, values map[string]string, touched bool) (errs domain.FieldErrors) {
	kind, doc, ok := d.conditionOf(item)
	if !ok || !touched {
		return nil
	}
	next, known := d.book.Kinds.Of(values[condition])
	subject := d.subjectOf(scalar(get(item, "reading")))
	var c rule.Condition
	if known && next.Name != kind.Name {
		put(item, kind.Name, nil, nil)
		kind = next
		c, _ = kind.Decode([]byte("{}"))
	} else {
		before, err := kind.Decode(doc)
		if err != nil {
			return nil // it is shown, and typed, as it stands
		}
		all := kind.Values(before)
		for name, value := range values {
			if field, ok := strings.CutPrefix(name, condition+"."); ok {
				all[field] = strings.TrimSpace(value)
			}
		}
		var wrong domain.FieldErrors
		if c, wrong = kind.Read(subject, all); len(wrong) > 0 {
			errs = domain.FieldErrors{}
			for name, problem := range wrong {
				errs[condition+"."+name] = problem
			}
			return errs
		}
	}
	put(item, kind.Name, conditionNode(c), nil)
	return nil
}

// conditionNode is a condition as it stands in a kit file.
func conditionNode(c rule.Condition) *yaml.Node {
	data, err := json.Marshal(c)
	var doc yaml.Node
	if err != nil || yaml.Unmarshal(data, &doc) != nil || len(doc.Content) == 0 {
		return &yaml.Node{Kind: yaml.MappingNode}
	}
	laidOut(doc.Content[0], 0)
	return doc.Content[0]
}

// laidOut writes what was JSON as people write YAML: records of single values on one line.
func laidOut(n *yaml.Node, depth int) {
	n.Style = 0
	if depth > 1 && n.Kind != yaml.ScalarNode {
		n.Style = yaml.FlowStyle
	}
	for _, c := range n.Content {
		laidOut(c, depth+1)
	}
}

// conditionOf is the kind of a rule, and its condition as JSON; a rule without one is of the first that can judge.
func (d *Draft) conditionOf(item *yaml.Node) (rule.Kind, []byte, bool) {
	for _, k := range d.book.Kinds {
		n := get(item, k.Name)
		if n == nil {
			continue
		}
		var x any
		if n.Decode(&x) != nil {
			return k, nil, false
		}
		doc, err := json.Marshal(x)
		return k, doc, err == nil
	}
	if fitting := d.book.Kinds.Fitting(d.subjectOf(scalar(get(item, "reading")))); len(fitting) > 0 {
		return fitting[0], []byte("{}"), true
	}
	return rule.Kind{}, nil, false
}

// subjectOf is what rules need to know of a reading of the file.
func (d *Draft) subjectOf(reading string) rule.Subject {
	s := rule.Subject{Kind: domain.KindNumber}
	p, ok := d.Find("readings", reading)
	if !ok {
		return s
	}
	item := d.node(p)
	s.Unit = scalar(get(item, "unit"))
	if codes := get(item, "codes"); codes != nil && codes.Decode(&s.Codes) == nil && len(s.Codes) > 0 {
		s.Kind = domain.KindState
	}
	if scalar(get(item, "text")) == "true" {
		s.Kind = domain.KindText
	}
	return s
}

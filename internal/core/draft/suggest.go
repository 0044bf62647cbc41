package draft

import (
	"slices"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
)

// suggest tells what a field may name: other things of the file, or columns of its source.
func (d *Draft) suggest(p Place, item *yaml.Node, e *Entry) {
	at := p.Section + "." + e.Name
	switch {
	case e.Form == kit.Steps:
		for _, row := range e.Rows {
			row[1].Suggested = d.columnsOf(item)
		}
	case at == "readings.source":
		e.Choices = append([]string{""}, d.Names("sources")...)
	case at == "parts.source":
		e.Choices = d.Names("sources")
	case at == "readings.of":
		e.Choices = append([]string{""}, d.Names("parts")...)
	case at == "rules.reading":
		e.Choices = d.Names("readings")
	case at == "charts.readings":
		e.Suggested = d.Names("readings")
	case at == "parts.note" || at == "parts.speed" || at == "parts.since":
		e.Choices = append([]string{""}, d.columnsOf(item)...)
	case e.Form == kit.List && (p.Section == "parts" || at == "readings.value"):
		e.Suggested = d.columnsOf(item)
	case e.Form == kit.Line && len(e.Choices) > 0 && !e.Required:
		e.Choices = append([]string{""}, e.Choices...)
	}
	if len(e.Choices) > 0 && !slices.Contains(e.Choices, e.Value) {
		e.Choices = append(slices.Clone(e.Choices), e.Value) // it is wrong, and told elsewhere
	}
}

// Names are what the things of a list are called, each once.
func (d *Draft) Names(section string) (out []string) {
	for _, item := range d.items(section) {
		if name := d.nameOf(section, item); name != "" && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// sourceOf is the name of the source that a thing is made of: its own, or that of its rows.
func (d *Draft) sourceOf(item *yaml.Node) string {
	if source := scalar(get(item, "source")); source != "" {
		return source
	}
	if p, ok := d.Find("parts", scalar(get(item, "of"))); ok {
		return scalar(get(d.node(p), "source"))
	}
	return ""
}

// columnsOf are the columns of the source of a thing.
func (d *Draft) columnsOf(item *yaml.Node) (out []string) {
	p, ok := d.Find("sources", d.sourceOf(item))
	if !ok {
		return nil
	}
	source := d.node(p)
	if columns := get(source, "columns"); columns != nil {
		for _, c := range columns.Content {
			if name := scalar(get(c, "as")); name != "" {
				out = append(out, name)
			}
		}
	}
	w, ok := d.book.Ways.Of(scalar(get(source, "way")))
	if !ok || w.Columns == nil {
		return out
	}
	ask := way.Settings{}
	if n := get(source, "ask"); n != nil {
		_ = n.Decode(&ask) // what cannot be read is told when the file is
	}
	for _, c := range w.Columns(ask) {
		out = append(out, c.As)
	}
	return out
}

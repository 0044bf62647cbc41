package draft

import (
	"fmt"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/text"
)

// Listed is a thing of a kit file as a short outline has it.
type Listed struct {
	Place
	Title  string
	Note   string // a few words about it
	Parked bool
	// With is with what it is parked that does not say so itself.
	With string
	// Fed are the readings that a source feeds.
	Fed []Listed
}

// Outline is the things of one kind.
type Outline struct {
	Section string
	Things  []Listed
}

// sections are the lists of a kit file in the order in which people think of them; readings stand with their sources.
var sections = []string{"parameters", "sources", "parts", "rules", "charts", "kits"}

// Outline lists all things, readings below the sources that feed them. Those of no source come as readings, last.
func (d *Draft) Outline() (out []Outline) {
	placed, parked := map[string]bool{}, d.parkedWith()
	for _, section := range sections {
		o := Outline{Section: section}
		for i, item := range d.items(section) {
			l := d.listed(Place{section, i}, item, parked)
			if name := d.nameOf(section, item); section == "sources" && !placed[name] {
				placed[name] = true
				l.Fed = d.fed(parked, func(source string) bool { return source == name })
			}
			o.Things = append(o.Things, l)
		}
		out = append(out, o)
	}
	if lost := d.fed(parked, func(source string) bool { return !placed[source] }); len(lost) > 0 {
		out = append(out, Outline{Section: "readings", Things: lost})
	}
	return out
}

func (d *Draft) fed(parked parkedWith, by func(source string) bool) (out []Listed) {
	for i, item := range d.items("readings") {
		if by(d.sourceOf(item)) {
			out = append(out, d.listed(Place{"readings", i}, item, parked))
		}
	}
	return out
}

func (d *Draft) listed(p Place, item *yaml.Node, parked parkedWith) Listed {
	l := Listed{Place: p, Title: d.nameOf(p.Section, item), Parked: parkedItself(item), With: parked.of(p.Section, item, d)}
	of := func(key string) string { return scalar(get(item, key)) }
	switch p.Section {
	case "parameters":
		l.Note = of("default")
		if label := of("label"); label != "" {
			l.Title = label
		}
	case "sources":
		l.Note = strings.TrimSpace(of("way")+" "+scalar(get(get(item, "ask"), "form"))) + ", each " + of("every")
		if when := get(item, "when"); when != nil && len(when.Content) > 1 {
			l.Note += ", " + when.Content[0].Value + " " + when.Content[1].Value
		}
	case "parts":
		l.Note = of("source")
	case "readings":
		l.Note = of("unit")
		if name := of("name"); name != "" {
			l.Title = name
		}
		if kind := of("of"); kind != "" {
			l.Note = strings.TrimPrefix(l.Note+" of each "+kind, " ")
		}
	case "rules":
		l.Note = of("reading")
		if name := of("name"); name != "" {
			l.Title = name
		}
		if of("enabled") == "false" {
			l.Note += ", off"
		}
	case "charts":
		if list := get(item, "readings"); list != nil {
			l.Note = text.Count(int64(len(list.Content)), "reading")
		}
	}
	if l.Title == "" {
		l.Title = fmt.Sprintf("no name, %d", p.At+1)
	}
	return l
}

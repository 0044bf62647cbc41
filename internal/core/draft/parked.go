package draft

import "go.yaml.in/yaml/v3"

// parkedWith tells with what a thing is parked that does not say so itself; empty for one that is collected. It follows
// what a kit does with what is parked: what is made of it is parked, too.
type parkedWith struct {
	sources, parts, readings map[string]string // what is parked, with what it is called
}

func parkedItself(item *yaml.Node) bool { return scalar(get(item, "parked")) == "true" }

func (d *Draft) parkedWith() parkedWith {
	p := parkedWith{map[string]string{}, map[string]string{}, map[string]string{}}
	collected := map[string]bool{} // another variant of a source may be
	for _, item := range d.items("sources") {
		name := d.nameOf("sources", item)
		if collected[name] = collected[name] || !parkedItself(item); collected[name] {
			delete(p.sources, name)
		} else {
			p.sources[name] = "parked with the source " + name
		}
	}
	for _, item := range d.items("parts") {
		if kind := d.nameOf("parts", item); parkedItself(item) || p.of("parts", item, d) != "" {
			p.parts[kind] = "parked with the rows " + kind
		}
	}
	for _, item := range d.items("readings") {
		if key := scalar(get(item, "key")); parkedItself(item) || p.of("readings", item, d) != "" {
			p.readings[key] = "parked with the reading " + key
		}
	}
	return p
}

// of is with what a thing is parked.
func (p parkedWith) of(section string, item *yaml.Node, d *Draft) string {
	switch section {
	case "parts":
		return p.sources[scalar(get(item, "source"))]
	case "readings":
		if with := p.parts[scalar(get(item, "of"))]; with != "" {
			return with
		}
		return p.sources[d.sourceOf(item)]
	case "rules":
		return p.readings[scalar(get(item, "reading"))]
	}
	return ""
}

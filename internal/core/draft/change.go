package draft

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/domain"
)

// ErrGone is returned where there is no such thing in the file.
var ErrGone = fmt.Errorf("a thing of a kit file: %w", domain.ErrNotFound)

// Set fills in the fields of a thing that values name; all others stay. What cannot be read is told by its field, and
// nothing is changed then. Where the thing is called otherwise, what refers to it follows.
func (d *Draft) Set(p Place, values map[string]string) (domain.FieldErrors, error) {
	item := d.node(p)
	if item == nil {
		return nil, ErrGone
	}
	entries := d.Entries(p)
	was := d.nameOf(p.Section, item)
	errs := domain.FieldErrors{}
	touched := map[string]bool{}
	judges := false
	for _, e := range entries {
		if value, problem := e.typed(values); problem != "" {
			errs[e.Name] = problem
		} else if value.changed {
			touched[e.Name] = true
			e.write(item, value, d.order(p.Section))
			judges = judges || strings.HasPrefix(e.Name, condition)
		}
	}
	if p.Section == "rules" {
		maps.Copy(errs, d.setCondition(item, values, judges))
	}
	if len(errs) > 0 {
		return errs, d.parse() // the tree is as the text again
	}
	if len(touched) == 0 {
		return nil, nil
	}
	if p.Section == "" {
		return nil, d.commitHead(touched)
	}
	changed := []Place{p}
	if now := d.nameOf(p.Section, item); now != was {
		changed = append(changed, d.follow(p, was, now)...)
	}
	return nil, d.commitItems(changed)
}

func (d *Draft) commitItems(places []Place) error {
	var all []splice
	whole := true
	for _, p := range places {
		s, ok := d.rewrite(p)
		all, whole = append(all, s), whole && ok
	}
	return d.commit(all, whole)
}

// commitHead writes some settings of the kit itself; a new one stands behind that before it.
func (d *Draft) commitHead(names map[string]bool) error {
	// The tree has the new keys without lines, the text has the old ones: lines are those of the text.
	after := d.root
	if err := d.parse(); err != nil {
		return err
	}
	var all []splice
	whole, behind := true, 0
	for i := 0; i+1 < len(after.Content); i += 2 {
		key := after.Content[i].Value
		from, to := behind, behind
		if keyAt(d.root, key) >= 0 {
			var ok bool
			from, to, ok = d.keySpan(key)
			whole = whole && ok
		}
		behind = to
		if !names[key] {
			continue
		}
		one := &yaml.Node{Kind: yaml.MappingNode, Content: []*yaml.Node{textNode(key), after.Content[i+1]}}
		all = append(all, splice{from, to, written(one)})
	}
	for name := range names {
		if keyAt(after, name) < 0 && keyAt(d.root, name) >= 0 {
			from, to, ok := d.keySpan(name)
			all, whole = append(all, splice{from, to, ""}), whole && ok
		}
	}
	d.root = after
	return d.commit(all, whole)
}

// Add puts a new thing at the end of a list, filled in with what every one of them needs, and returns where it
// stands. near is what it should belong to, such as the source of a reading; empty for nothing.
func (d *Draft) Add(section, near string) (Place, error) {
	if d.book.Layout[section] == nil || section == "" {
		return Place{}, ErrGone
	}
	return d.insert(section, d.blank(section, near))
}

func (d *Draft) insert(section string, item *yaml.Node) (Place, error) {
	i := keyAt(d.root, section)
	if i >= 0 && len(d.items(section)) > 0 {
		last := Place{section, len(d.items(section)) - 1}
		from, to, ok := d.span(last)
		d.root.Content[i+1].Content = append(d.root.Content[i+1].Content, item)
		s := splice{}
		if ok {
			line := d.lines()[from]
			s = splice{to, to, asItem(item, len(line)-len(strings.TrimLeft(line, " ")))}
		}
		return Place{section, last.At + 1}, d.commit([]splice{s}, ok)
	}
	list := &yaml.Node{Kind: yaml.SequenceNode, Content: []*yaml.Node{item}}
	n := len(d.lines())
	if i >= 0 { // it is there, and empty
		d.root.Content[i+1] = list
		return Place{section, 0}, d.commit(nil, false)
	}
	d.root.Content = append(d.root.Content, textNode(section), list)
	return Place{section, 0}, d.commit([]splice{{n, n, section + ":\n" + asItem(item, 2)}}, d.root.Style&yaml.FlowStyle == 0)
}

// Remove takes a thing away with the comments right above it, and its list with the last of them.
func (d *Draft) Remove(p Place) error {
	if d.node(p) == nil || p.Section == "" {
		return ErrGone
	}
	i := keyAt(d.root, p.Section)
	list := d.root.Content[i+1]
	from, to, ok := d.wholeSpan(p)
	if len(list.Content) == 1 {
		from, to, ok = d.keySpan(p.Section)
		d.root.Content = slices.Delete(d.root.Content, i, i+2)
	} else {
		list.Content = slices.Delete(list.Content, p.At, p.At+1)
	}
	return d.commit([]splice{{from, to, ""}}, ok)
}

// Move lets a thing change places with the one before it, or with the one behind it, each with the comments right
// above it, and returns where it is then.
// At the end of its list it stays.
func (d *Draft) Move(p Place, up bool) (Place, error) {
	if d.node(p) == nil || p.Section == "" {
		return p, ErrGone
	}
	other := Place{p.Section, p.At + 1}
	if up {
		other.At = p.At - 1
	}
	items := d.items(p.Section)
	if other.At < 0 || other.At >= len(items) {
		return p, nil
	}
	lines := d.lines()
	f1, t1, ok1 := d.wholeSpan(p)
	f2, t2, ok2 := d.wholeSpan(other)
	items[p.At], items[other.At] = items[other.At], items[p.At]
	if !ok1 || !ok2 {
		return other, d.commit(nil, false)
	}
	of := func(from, to int) string { return strings.Join(lines[from:to], "\n") + "\n" }
	return other, d.commit([]splice{{f1, t1, of(f2, t2)}, {f2, t2, of(f1, t1)}}, true)
}

// follow lets what refers to a thing call it as it is called now, and returns what that changed.
func (d *Draft) follow(p Place, was, now string) (changed []Place) {
	if _, another := d.Find(p.Section, was); another || was == "" {
		return nil // one of several variants
	}
	each := func(section string, change func(item *yaml.Node) bool) {
		for i, item := range d.items(section) {
			if change(item) {
				changed = append(changed, Place{section, i})
			}
		}
	}
	same := func(key string) func(*yaml.Node) bool {
		return func(item *yaml.Node) bool { return renamed(get(item, key), was, now) }
	}
	switch p.Section {
	case "sources":
		each("parts", same("source"))
		each("readings", same("source"))
	case "parts":
		each("readings", same("of"))
	case "readings":
		each("rules", same("reading"))
		each("charts", func(item *yaml.Node) (any bool) {
			if list := get(item, "readings"); list != nil {
				for _, n := range list.Content {
					any = renamed(n, was, now) || any
				}
			}
			return any
		})
	case "parameters":
		each("sources", func(item *yaml.Node) bool { return followParameter(item, was, now) })
		each("kits", func(item *yaml.Node) bool { return fills(get(item, "set"), was, now) })
	}
	return slices.DeleteFunc(changed, func(x Place) bool { return x == p })
}

func followParameter(source *yaml.Node, was, now string) bool {
	any := fills(get(source, "ask"), was, now)
	if when := get(source, "when"); when != nil {
		if i := keyAt(when, was); i >= 0 {
			any = renamed(when.Content[i], was, now) || any
		}
	}
	return any
}

// fills lets settings name a parameter as it is called now.
func fills(settings *yaml.Node, was, now string) (any bool) {
	if settings == nil || settings.Kind != yaml.MappingNode {
		return false
	}
	for i := 1; i < len(settings.Content); i += 2 {
		n := settings.Content[i]
		if filled := strings.ReplaceAll(n.Value, "{"+was+"}", "{"+now+"}"); n.Kind == yaml.ScalarNode && filled != n.Value {
			n.Value, any = filled, true
		}
	}
	return any
}

func renamed(n *yaml.Node, was, now string) bool {
	if n == nil || n.Kind != yaml.ScalarNode || n.Value != was {
		return false
	}
	n.Value = now
	return true
}

// blank is a thing with what every one of its list needs.
func (d *Draft) blank(section, near string) *yaml.Node {
	item := &yaml.Node{Kind: yaml.MappingNode}
	set := func(key, value string) {
		if value != "" {
			put(item, key, textNode(value), d.order(section))
		}
	}
	named := map[string]string{"parameters": "parameter", "sources": "source", "parts": "row", "readings": "reading", "rules": "rule",
		"charts": "Chart", "kits": "kit"}[section]
	set(names[section], d.free(section, named))
	first := func(section string) string {
		for _, item := range d.items(section) {
			return d.nameOf(section, item)
		}
		return ""
	}
	switch section {
	case "sources":
		set("way", d.book.Ways[0].Name)
		set("every", "60s")
	case "parts":
		source := first("sources")
		if near != "" {
			source = near
		}
		set("title", "Rows")
		set("source", source)
	case "readings":
		set("name", "New reading")
		set("source", near)
	case "rules":
		set("name", "New rule")
		if near == "" {
			near = first("readings")
		}
		set("reading", near)
	}
	return item
}

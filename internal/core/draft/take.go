package draft

import (
	"fmt"
	"regexp"
	"slices"
	"time"

	"go.yaml.in/yaml/v3"
)

// Take brings in a reading of another file, with what it is made of: its source, or columns that a source lacks here
// which asks alike, and the rows that it is of. It returns where the reading stands.
func (d *Draft) Take(from *Draft, reading string) (Place, error) {
	p, ok := from.Find("readings", reading)
	if !ok {
		return Place{}, ErrGone
	}
	t := taking{to: d, from: from, reading: opened(from.node(p)), was: from.sourceOf(from.node(p))}
	if kind := scalar(get(t.reading, "of")); kind != "" {
		if at, ok := from.Find("parts", kind); ok {
			t.parts = opened(from.node(at))
		}
	}
	if err := t.source(); err != nil {
		return Place{}, err
	}
	order := d.order("readings")
	put(t.reading, "purpose", nil, nil) // what it is for is a matter of the kit that it comes from
	put(t.reading, "key", textNode(d.free("readings", reading)), nil)
	if t.parts == nil || get(t.reading, "source") != nil {
		put(t.reading, "source", textNode(t.key), order)
	}
	if t.parts != nil {
		if err := t.rows(); err != nil {
			return Place{}, err
		}
	}
	return d.insert("readings", t.reading)
}

// taking is a reading that is being brought in.
type taking struct {
	to, from       *Draft
	reading, parts *yaml.Node // parts is nil for a reading of the device
	was, key       string     // of its source there, and here
}

// source finds or makes the source here that has what the reading needs.
func (t *taking) source() error {
	var variants []*yaml.Node
	for _, item := range t.from.items("sources") {
		if t.from.nameOf("sources", item) == t.was {
			one := opened(item)
			t.only(one)
			variants = append(variants, one)
		}
	}
	if len(variants) == 0 {
		return ErrGone
	}
	if len(variants) == 1 {
		for i, item := range t.to.items("sources") {
			if t.joins(item, variants[0]) && takes(item, variants[0]) {
				t.key = t.to.nameOf("sources", item)
				if scalar(get(variants[0], "optional")) == "true" && scalar(get(item, "optional")) != "true" {
					put(t.reading, "optional", boolNode(), t.to.order("readings"))
				}
				return t.to.commitItems([]Place{{"sources", i}})
			}
		}
	}
	t.key = t.to.free("sources", t.was)
	for _, one := range variants {
		put(one, "key", textNode(t.key), nil)
		put(one, "parked", nil, nil)
		if _, err := t.to.insert("sources", one); err != nil {
			return err
		}
	}
	return nil
}

var word = regexp.MustCompile(`[\pL\pN_][\pL\pN_-]*`)

// only leaves out columns of a source that neither the reading nor its rows name.
func (t *taking) only(source *yaml.Node) {
	columns := get(source, "columns")
	if columns == nil {
		return
	}
	named := map[string]bool{}
	for _, n := range []*yaml.Node{t.reading, t.parts} {
		said(n, named)
	}
	columns.Content = slices.DeleteFunc(slices.Clone(columns.Content), func(c *yaml.Node) bool { return !named[scalar(get(c, "as"))] })
	columns.Style = 0
	for _, c := range columns.Content {
		c.Style = yaml.FlowStyle // a column on a line
	}
}

// said takes all values within a thing, and all words of them: formulas name columns, too.
func said(n *yaml.Node, into map[string]bool) {
	if n == nil {
		return
	}
	if n.Kind == yaml.ScalarNode {
		into[n.Value] = true
		for _, w := range word.FindAllString(n.Value, -1) {
			into[w] = true
		}
	}
	for _, c := range n.Content {
		said(c, into)
	}
}

// joins tells whether what a source fetches can be fetched with another one here: where they are asked alike, and,
// where there are rows, these are the same ones.
func (t *taking) joins(here, other *yaml.Node) bool {
	if !alike(here, other) || !t.to.single(here) {
		return false
	}
	if t.parts == nil {
		return scalar(get(get(other, "ask"), "form")) == "get"
	}
	return t.sameRows(here, other) != nil
}

// sameRows are the rows of a source here that are told apart by the same objects as those that the reading is of; nil
// for none.
func (t *taking) sameRows(here, other *yaml.Node) *yaml.Node {
	source := t.to.nameOf("sources", here)
	for _, parts := range t.to.items("parts") {
		if scalar(get(parts, "source")) == source && slices.Equal(objects(here, parts), objects(other, t.parts)) {
			return parts
		}
	}
	return nil
}

// objects are what rows are told apart by on the device.
func objects(source, parts *yaml.Node) (out []string) {
	keys, columns := get(parts, "key"), get(source, "columns")
	if keys == nil || columns == nil {
		return nil
	}
	for _, key := range keys.Content {
		i := slices.IndexFunc(columns.Content, func(c *yaml.Node) bool { return scalar(get(c, "as")) == key.Value })
		if i >= 0 {
			out = append(out, scalar(get(columns.Content[i], "of")))
		}
	}
	return out
}

// rows finds or makes the rows here that the reading is of.
func (t *taking) rows() error {
	here, _ := t.to.Find("sources", t.key) // both are there: it was found, or made
	there, _ := t.from.Find("sources", t.was)
	kind := scalar(get(t.parts, "kind"))
	if same := t.sameRows(t.to.node(here), t.from.node(there)); same != nil {
		kind = scalar(get(same, "kind"))
	} else {
		kind = t.to.free("parts", kind)
		put(t.parts, "kind", textNode(kind), nil)
		put(t.parts, "source", textNode(t.key), nil)
		if _, err := t.to.insert("parts", t.parts); err != nil {
			return err
		}
	}
	put(t.reading, "of", textNode(kind), t.to.order("readings"))
	return nil
}

// single tells whether a source stands once, and not in variants.
func (d *Draft) single(item *yaml.Node) bool {
	n := 0
	for _, other := range d.items("sources") {
		if d.nameOf("sources", other) == d.nameOf("sources", item) {
			n++
		}
	}
	return n == 1
}

// alike tells whether two sources are asked in the same way, and as often.
func alike(a, b *yaml.Node) bool {
	for _, name := range []string{"way", "ask", "when"} {
		if plain(get(a, name)) != plain(get(b, name)) {
			return false
		}
	}
	everyA, errA := time.ParseDuration(scalar(get(a, "every")))
	everyB, errB := time.ParseDuration(scalar(get(b, "every")))
	return errA == nil && errB == nil && everyA == everyB && get(a, "parked") == nil
}

// takes adds the columns of another source, where none of them means something else here.
func takes(source, other *yaml.Node) bool {
	here, more := get(source, "columns"), get(other, "columns")
	if more == nil {
		return true
	}
	if here == nil || here.Kind != yaml.SequenceNode {
		return false
	}
	var add []*yaml.Node
	for _, c := range more.Content {
		i := slices.IndexFunc(here.Content, func(x *yaml.Node) bool { return scalar(get(x, "as")) == scalar(get(c, "as")) })
		switch {
		case i < 0:
			add = append(add, c)
		case plain(get(here.Content[i], "of")) != plain(get(c, "of")):
			return false
		}
	}
	here.Content = append(here.Content, add...)
	return true
}

func boolNode() *yaml.Node { return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: "true"} }

// free is a name that nothing in a list has yet.
func (d *Draft) free(section, name string) string {
	out := name
	for n := 2; ; n++ {
		if _, taken := d.Find(section, out); !taken {
			return out
		}
		out = fmt.Sprintf("%s_%d", name, n)
	}
}

// opened is a copy of a thing with its settings each on a line of its own.
func opened(n *yaml.Node) *yaml.Node {
	out := clone(n)
	out.Style = 0
	return out
}

func clone(n *yaml.Node) *yaml.Node {
	out := *n
	out.HeadComment, out.LineComment, out.FootComment = "", "", ""
	out.Content = nil
	for _, c := range n.Content {
		out.Content = append(out.Content, clone(c))
	}
	return &out
}

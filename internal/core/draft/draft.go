// Package draft changes a kit file thing by thing, as people fill in forms. The text is the truth: what nobody
// touched keeps its layout and its comments.
package draft

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/way"
)

// Book is what kit files may use, and how they are laid out.
type Book struct {
	Layout kit.Layout
	Ways   way.List
	Kinds  rule.Kinds
}

// NewBook describes kit files that may use some ways to collect and kinds of rules.
func NewBook(ways way.List, kinds rule.Kinds) Book {
	return Book{kit.LayoutOf(ways, kinds), ways, kinds}
}

// Place is where a thing stands in a kit file: its list, and its number there from 0. The zero value is the kit
// itself.
type Place struct {
	Section string
	At      int
}

// String writes a place as readings.3.
func (p Place) String() string {
	if p.Section == "" {
		return ""
	}
	return p.Section + "." + strconv.Itoa(p.At)
}

// PlaceOf reads a place; what is none is the kit itself.
func PlaceOf(text string) Place {
	section, at, _ := strings.Cut(text, ".")
	n, err := strconv.Atoi(at)
	if err != nil || n < 0 {
		return Place{}
	}
	return Place{section, n}
}

// Draft is a kit file that is being changed.
type Draft struct {
	book Book
	text string
	root *yaml.Node
}

// Read takes a kit file that is YAML and a mapping; what it says may be wrong.
func (b Book) Read(text string) (*Draft, error) {
	d := &Draft{book: b, text: text}
	return d, d.parse()
}

func (d *Draft) parse() error {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(d.text), &doc); err != nil {
		return fmt.Errorf("kit file: %w", err)
	}
	if doc.Kind != yaml.DocumentNode || doc.Content[0].Kind != yaml.MappingNode {
		return errors.New("kit file: it is no list of settings with their names")
	}
	d.root = doc.Content[0]
	return nil
}

// Text is the file as it stands.
func (d *Draft) Text() string { return d.text }

// Find returns the first thing of a list that is called so; ok is false for none.
func (d *Draft) Find(section, name string) (p Place, ok bool) {
	for i, item := range d.items(section) {
		if d.nameOf(section, item) == name {
			return Place{section, i}, true
		}
	}
	return p, false
}

// Has tells whether there is such a thing.
func (d *Draft) Has(p Place) bool { return d.node(p) != nil }

// Name is what a thing is called in the file; empty for the kit itself, and where there is none.
func (d *Draft) Name(p Place) string {
	if p.Section == "" {
		return ""
	}
	return d.nameOf(p.Section, d.node(p))
}

// names are the fields that name the things of a list for the file itself.
var names = map[string]string{
	"parameters": "name", "sources": "key", "parts": "kind", "readings": "key", "rules": "key", "charts": "title", "kits": "kit",
}

func (d *Draft) nameOf(section string, item *yaml.Node) string {
	return scalar(get(item, names[section]))
}

// items are the things of a list.
func (d *Draft) items(section string) []*yaml.Node {
	list := get(d.root, section)
	if list == nil || list.Kind != yaml.SequenceNode {
		return nil
	}
	return list.Content
}

// node is a thing; nil for none.
func (d *Draft) node(p Place) *yaml.Node {
	if p.Section == "" {
		return d.root
	}
	items := d.items(p.Section)
	if p.At >= len(items) || items[p.At].Kind != yaml.MappingNode {
		return nil
	}
	return items[p.At]
}

// get is the value of a key of a mapping; nil for none.
func get(mapping *yaml.Node, key string) *yaml.Node {
	if i := keyAt(mapping, key); i >= 0 {
		return mapping.Content[i+1]
	}
	return nil
}

func keyAt(mapping *yaml.Node, key string) int {
	if mapping == nil || mapping.Kind != yaml.MappingNode {
		return -1
	}
	for i := 0; i+1 < len(mapping.Content); i += 2 {
		if mapping.Content[i].Value == key {
			return i
		}
	}
	return -1
}

// scalar is a single value as a text.
func scalar(n *yaml.Node) string {
	if n == nil || n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
		return ""
	}
	return n.Value
}

// put sets, or with nil removes, a key; a new one stands where the layout has it.
func put(mapping *yaml.Node, key string, value *yaml.Node, order []kit.Described) {
	i := keyAt(mapping, key)
	switch {
	case i >= 0 && value == nil:
		mapping.Content = slices.Delete(mapping.Content, i, i+2)
	case i >= 0:
		mapping.Content[i+1] = value
	case value != nil:
		at := len(mapping.Content)
		rank := func(name string) int {
			return slices.IndexFunc(order, func(f kit.Described) bool { return f.Name == name })
		}
		for j := 0; j+1 < len(mapping.Content); j += 2 {
			if rank(mapping.Content[j].Value) > rank(key) && rank(key) >= 0 {
				at = j
				break
			}
		}
		mapping.Content = slices.Insert(mapping.Content, at, textNode(key), value)
	}
}

func textNode(text string) *yaml.Node {
	n := &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: text}
	if strings.Contains(text, "\n") {
		n.Style = yaml.LiteralStyle
	}
	return n
}

// written is a node as YAML.
func written(n *yaml.Node) string {
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	if e.Encode(n) != nil {
		return ""
	}
	return out.String()
}

// plain is what a node says, without comments and layout.
func plain(n *yaml.Node) string {
	if n == nil {
		return ""
	}
	var x any
	if n.Decode(&x) != nil {
		return written(n)
	}
	var again yaml.Node
	if again.Encode(x) != nil {
		return written(n)
	}
	return written(&again)
}

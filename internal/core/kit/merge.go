package kit

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// How a thing of a kit file was changed on two sides since both were the same.
const (
	OursOnly   = "changed here"
	TheirsOnly = "changed by the release"
	Alike      = "changed alike"
	Conflict   = "changed on both sides"
)

// Sides that a conflict may be decided for.
const (
	Ours   = "ours"
	Theirs = "theirs"
)

// Merging is a kit file that was changed here, beside what a release makes of the one that it came from.
type Merging struct {
	// Things are those that differ anywhere, in the order of the file.
	Things []MergeThing
	theirs *yaml.Node
}

// MergeThing is one thing with its three forms in YAML; a form is empty where there is no such thing.
type MergeThing struct {
	Section string // such as readings; empty for what stands at the top
	Key     string // such as charge
	How     string
	// Base is what both were made of.
	Base, Ours, Theirs string
	ours               *yaml.Node // its node here; nil where it is gone
}

// ID names a thing.
func (t MergeThing) ID() string { return strings.TrimPrefix(t.Section+"/"+t.Key, "/") }

// Conflicts tells whether a person must decide.
func (t MergeThing) Conflicts() bool { return t.How == Conflict }

// keyed are the lists of a kit file, with what names their things.
var keyed = map[string][]string{
	"parameters": {"name"}, "sources": {"key", "when"}, "parts": {"kind"}, "readings": {"key"}, "rules": {"key"}, "charts": {"title"},
	"kits": {"kit"},
}

// Merge compares three kit files by their things. Whatever one side alone has changed is taken from it.
func Merge(base, ours, theirs []byte) (m Merging, err error) {
	var nodes [3]*yaml.Node
	for i, text := range [][]byte{base, ours, theirs} {
		if nodes[i], err = rootOf(text); err != nil {
			return m, err
		}
	}
	m.theirs = nodes[2]
	var all [3][]piece
	for i, n := range nodes {
		all[i] = pieces(n)
	}
	for _, id := range ids(all[2], all[1], all[0]) {
		b, o, t := find(all[0], id), find(all[1], id), find(all[2], id)
		x := MergeThing{Section: id[0], Key: id[1], Base: b.text, Ours: o.text, Theirs: t.text, ours: o.node}
		switch {
		case o.text == b.text && t.text == b.text:
			continue
		case t.text == b.text:
			x.How = OursOnly
		case o.text == b.text:
			x.How = TheirsOnly
		case o.text == t.text:
			x.How = Alike
		case id == [2]string{"", "version"}:
			x.How = TheirsOnly // the higher number is not a matter of opinion
		default:
			x.How = Conflict
		}
		m.Things = append(m.Things, x)
	}
	return m, nil
}

func rootOf(text []byte) (*yaml.Node, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal(text, &doc); err != nil {
		return nil, fmt.Errorf("kit file: %w", err)
	}
	if doc.Kind != yaml.DocumentNode || doc.Content[0].Kind != yaml.MappingNode {
		return nil, fmt.Errorf("kit file: it is no mapping")
	}
	return doc.Content[0], nil
}

// piece is one thing of a file.
type piece struct {
	id   [2]string // section and key
	node *yaml.Node
	text string // without comments and in one layout, so that only what it says counts
}

func pieces(root *yaml.Node) (out []piece) {
	for i := 0; i+1 < len(root.Content); i += 2 {
		name, value := root.Content[i].Value, root.Content[i+1]
		names := keyed[name]
		if names == nil || value.Kind != yaml.SequenceNode {
			out = append(out, piece{[2]string{"", name}, value, plainText(value)})
			continue
		}
		for _, item := range value.Content {
			out = append(out, piece{[2]string{name, keyOf(item, names)}, item, plainText(item)})
		}
	}
	return out
}

// keyOf is what names a thing of a list.
func keyOf(item *yaml.Node, names []string) string {
	var out []string
	for _, name := range names {
		for i := 0; i+1 < len(item.Content); i += 2 {
			if item.Content[i].Value == name {
				out = append(out, strings.TrimSpace(plainText(item.Content[i+1])))
			}
		}
	}
	return strings.Join(out, " ")
}

// plainText is a node without its comments and its layout.
func plainText(n *yaml.Node) string {
	var x any
	if n.Decode(&x) != nil {
		return n.Value
	}
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	_ = e.Encode(x)
	return out.String()
}

func ids(all ...[]piece) (out [][2]string) {
	for _, side := range all {
		for _, p := range side {
			if !slices.Contains(out, p.id) {
				out = append(out, p.id)
			}
		}
	}
	return out
}

func find(all []piece, id [2]string) piece {
	if i := slices.IndexFunc(all, func(p piece) bool { return p.id == id }); i >= 0 {
		return all[i]
	}
	return piece{}
}

// Document is the file that follows: that of the release with what was changed here in its place. decided says by
// the ids of things for which side conflicts are decided; each that is not is told by its id.
func (m Merging) Document(decided map[string]string) (text []byte, undecided []string, err error) {
	root := clone(m.theirs)
	for _, t := range m.Things {
		takesOurs := t.How == OursOnly || t.How == Conflict && decided[t.ID()] == Ours
		if t.How == Conflict && decided[t.ID()] != Ours && decided[t.ID()] != Theirs {
			undecided = append(undecided, t.ID())
		}
		if takesOurs {
			put(root, t)
		}
	}
	var out bytes.Buffer
	e := yaml.NewEncoder(&out)
	e.SetIndent(2)
	err = e.Encode(root)
	return out.Bytes(), undecided, err
}

// clone is a node that can be changed by itself.
func clone(n *yaml.Node) *yaml.Node {
	out := *n
	out.Content = make([]*yaml.Node, len(n.Content))
	for i, c := range n.Content {
		out.Content[i] = clone(c)
	}
	return &out
}

// put lets a thing be what it is here.
func put(root *yaml.Node, t MergeThing) {
	name := t.Section
	if name == "" {
		name = t.Key
	}
	at := slices.IndexFunc(root.Content, func(n *yaml.Node) bool { return n.Value == name })
	for at >= 0 && at%2 == 1 {
		next := slices.IndexFunc(root.Content[at+1:], func(n *yaml.Node) bool { return n.Value == name })
		if next < 0 {
			at = -1
			break
		}
		at += 1 + next
	}
	switch {
	case at < 0 && t.ours == nil:
	case at < 0:
		value := t.ours
		if t.Section != "" {
			value = &yaml.Node{Kind: yaml.SequenceNode, Content: []*yaml.Node{t.ours}}
		}
		root.Content = append(root.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: name}, value)
	case t.Section == "" && t.ours == nil:
		root.Content = slices.Delete(root.Content, at, at+2)
	case t.Section == "":
		root.Content[at+1] = t.ours
	default:
		putInto(root.Content[at+1], t)
	}
}

// putInto lets a thing of a list be what it is here; a new one comes last.
func putInto(list *yaml.Node, t MergeThing) {
	i := slices.IndexFunc(list.Content, func(n *yaml.Node) bool { return keyOf(n, keyed[t.Section]) == t.Key })
	switch {
	case i < 0 && t.ours != nil:
		list.Content = append(list.Content, t.ours)
	case i >= 0 && t.ours == nil:
		list.Content = slices.Delete(list.Content, i, i+1)
	case i >= 0:
		list.Content[i] = t.ours
	}
}

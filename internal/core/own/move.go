package own

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Moved is a kit file with readings of a device's own moved into it.
type Moved struct {
	Document []byte
	// Readings are the keys that they have there, by those that they had, Kinds those of their parts.
	Readings map[string]string
	Kinds    map[string]string
}

// WithTables are some keys with those of all readings of the same tables: rows go together.
func (s Set) WithTables(keys []string) (out []string) {
	tables := map[string]bool{}
	for _, r := range s.Readings {
		if slices.Contains(keys, r.Key) {
			tables[r.Table] = r.Table != ""
		}
	}
	for _, r := range s.Readings {
		if slices.Contains(keys, r.Key) || tables[r.Table] {
			out = append(out, r.Key)
		}
	}
	return out
}

// Only is the part of a set that some readings make up.
func (s Set) Only(keys []string) (out Set) {
	for _, r := range s.Readings {
		if slices.Contains(keys, r.Key) {
			out.Readings = append(out.Readings, r)
		}
	}
	for _, t := range s.Tables {
		if slices.ContainsFunc(out.Readings, func(r Reading) bool { return r.Table == t.Key }) {
			out.Tables = append(out.Tables, t)
		}
	}
	return out
}

// Move writes the readings of a set into a kit file, as its next version. What stands in the file
// stays as it is written. Errors say why they cannot move.
func (s Set) Move(file []byte) (m Moved, err error) {
	var root yaml.Node
	if err := yaml.Unmarshal(file, &root); err != nil {
		return m, fmt.Errorf("kit file: %w", err)
	}
	if len(root.Content) == 0 || root.Content[0].Kind != yaml.MappingNode {
		return m, errors.New("the kit file is no mapping")
	}
	m = Moved{Readings: map[string]string{}, Kinds: map[string]string{}}
	doc := root.Content[0]
	if s, err = s.renamed(doc, &m); err != nil {
		return m, err
	}
	var add document
	add.single(s)
	for _, t := range s.Tables {
		add.table(s, t)
	}
	add.freeSources(doc)
	for _, x := range []struct {
		name string
		list any
	}{{"sources", add.Sources}, {"parts", add.Parts}, {"readings", add.Readings}} {
		if err := extend(doc, x.name, x.list); err != nil {
			return m, err
		}
	}
	if err := next(doc); err != nil {
		return m, err
	}
	m.Document, err = yaml.Marshal(&root)
	return m, err
}

// renamed is the set with keys that are free in a kit file.
func (s Set) renamed(doc *yaml.Node, m *Moved) (Set, error) {
	taken, kinds := keysIn(doc, "readings", "key"), keysIn(doc, "parts", "kind")
	out := Set{Readings: slices.Clone(s.Readings), Tables: slices.Clone(s.Tables)}
	for i, t := range out.Tables {
		out.Tables[i].Key = free(t.Key, kinds)
		m.Kinds[t.Key] = out.Tables[i].Key
	}
	for i, r := range out.Readings {
		m.Readings[r.Key] = free(r.Key, taken)
		out.Readings[i].Key = m.Readings[r.Key]
		if r.Table != "" {
			out.Readings[i].Table = m.Kinds[r.Table]
		}
	}
	for _, r := range s.Readings {
		d, _ := s.Reading(r.Key)
		steps, err := d.compiled()
		if err != nil {
			continue // it was checked when it was picked
		}
		for _, key := range steps.Readings() {
			now, moves := m.Readings[key]
			if strings.Contains(key, "/") || moves && now == key {
				continue
			}
			if !moves {
				return out, fmt.Errorf("“%s” is computed of %s: move that, too", r.Name, key)
			}
			return out, fmt.Errorf("“%s” is computed of %s, and the kit has a reading of this key already", r.Name, key)
		}
	}
	return out, nil
}

// freeSources gives the sources keys that are free in a kit file.
func (d *document) freeSources(doc *yaml.Node) {
	taken, now := keysIn(doc, "sources", "key"), map[string]string{}
	for i, src := range d.Sources {
		now[src.Key] = free(src.Key, taken)
		d.Sources[i].Key = now[src.Key]
	}
	for i := range d.Parts {
		d.Parts[i].Source = now[d.Parts[i].Source]
	}
	for i := range d.Readings {
		d.Readings[i].Source = now[d.Readings[i].Source]
	}
}

// free is a key that is not taken yet, and takes it.
func free(key string, taken map[string]bool) string {
	out := key
	for n := 2; taken[out]; n++ {
		out = fmt.Sprintf("%s-%d", key, n)
	}
	taken[out] = true
	return out
}

// value is what stands under a name in a mapping; nil for nothing.
func value(mapping *yaml.Node, name string) *yaml.Node {
	for i := 0; i+1 < len(mapping.Content); i += 2 {
		if mapping.Content[i].Value == name {
			return mapping.Content[i+1]
		}
	}
	return nil
}

func keysIn(doc *yaml.Node, list, name string) map[string]bool {
	out := map[string]bool{}
	items := value(doc, list)
	if items == nil {
		return out
	}
	for _, item := range items.Content {
		if key := value(item, name); key != nil {
			out[key.Value] = true
		}
	}
	return out
}

// extend puts items behind those of a list in a kit file.
func extend(doc *yaml.Node, name string, items any) error {
	var more yaml.Node
	if err := more.Encode(items); err != nil {
		return err
	}
	if len(more.Content) == 0 {
		return nil
	}
	list := value(doc, name)
	if list == nil || list.Kind != yaml.SequenceNode {
		list = &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq"}
		put(doc, name, list)
	}
	list.Style = 0 // a list in brackets becomes one in lines
	list.Content = append(list.Content, more.Content...)
	return nil
}

func put(doc *yaml.Node, name string, node *yaml.Node) {
	if there := value(doc, name); there != nil {
		*there = *node
		return
	}
	doc.Content = append(doc.Content, &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!str", Value: name}, node)
}

// next counts the version of a kit file up.
func next(doc *yaml.Node) error {
	var version int
	if node := value(doc, "version"); node != nil {
		if err := node.Decode(&version); err != nil {
			return fmt.Errorf("version: %w", err)
		}
	}
	put(doc, "version", &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!int", Value: fmt.Sprint(version + 1)})
	return nil
}

// AddRules puts rules behind those of a kit file, each as it is written there.
func AddRules(file []byte, rules []map[string]any) ([]byte, error) {
	if len(rules) == 0 {
		return file, nil
	}
	var root yaml.Node
	if err := yaml.Unmarshal(file, &root); err != nil {
		return nil, err
	}
	ordered := make([]yaml.Node, len(rules))
	for i, r := range rules {
		ordered[i] = inOrder(r)
	}
	if err := extend(root.Content[0], "rules", ordered); err != nil {
		return nil, err
	}
	return yaml.Marshal(&root)
}

// inOrder is a rule with its names first, as people write it.
func inOrder(r map[string]any) yaml.Node {
	node := yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
	names := []string{"key", "name", "title", "reading", "cause", "runbook", "enabled", "tags"}
	for _, name := range slices.Sorted(maps.Keys(r)) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	for _, name := range names {
		v, ok := r[name]
		if !ok {
			continue
		}
		var item yaml.Node
		if item.Encode(v) == nil {
			put(&node, name, &item)
		}
	}
	return node
}

// RuleKeys are the keys of the rules of a kit file.
func RuleKeys(file []byte) map[string]bool {
	var root yaml.Node
	if yaml.Unmarshal(file, &root) != nil || len(root.Content) == 0 {
		return map[string]bool{}
	}
	return keysIn(root.Content[0], "rules", "key")
}

// FreeKey is a key that is not taken yet, and takes it.
func FreeKey(key string, taken map[string]bool) string { return free(key, taken) }

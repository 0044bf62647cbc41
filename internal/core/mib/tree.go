package mib

import (
	"cmp"
	"slices"
	"strings"
)

// Tree is a set of objects that does not change. Of several descriptions of one object the
// last given counts.
type Tree struct {
	objects []Object // in the order of their identifiers
	byName  map[string]int
	modules map[string]bool
}

// NewTree holds the given objects. A name that several have leads to that of the first set.
func NewTree(sets ...[]Object) *Tree {
	all := slices.Concat(sets...)
	first := make(map[string]OID, len(all))
	for _, o := range all {
		if _, taken := first[o.Name]; !taken {
			first[o.Name] = o.OID
		}
	}
	slices.SortStableFunc(all, func(a, b Object) int { return a.OID.Compare(b.OID) })
	t := &Tree{byName: make(map[string]int, len(all)), modules: map[string]bool{}}
	for _, o := range all {
		if n := len(t.objects); n > 0 && t.objects[n-1].OID.Compare(o.OID) == 0 {
			t.objects[n-1] = o
			continue
		}
		t.objects = append(t.objects, o)
	}
	for i, o := range t.objects {
		t.modules[o.Module] = true
		if first[o.Name].Compare(o.OID) == 0 {
			t.byName[o.Name] = i
		}
	}
	return t
}

// Has tells whether a module describes some of the objects.
func (t *Tree) Has(module string) bool { return t.modules[module] }

// Len is how many objects are described.
func (t *Tree) Len() int { return len(t.objects) }

func (t *Tree) find(oid OID) (int, bool) {
	return slices.BinarySearchFunc(t.objects, oid, func(o Object, oid OID) int { return o.OID.Compare(oid) })
}

// At returns the object with an identifier.
func (t *Tree) At(oid OID) (Object, bool) {
	i, ok := t.find(oid)
	if !ok {
		return Object{}, false
	}
	return t.objects[i], true
}

// Named returns the object with a name.
func (t *Tree) Named(name string) (Object, bool) {
	i, ok := t.byName[name]
	if !ok {
		return Object{}, false
	}
	return t.objects[i], true
}

// Over returns the described object that an identifier belongs to, itself or the nearest above,
// and what is left of the identifier: the instance, for a scalar or a column.
func (t *Tree) Over(oid OID) (o Object, rest OID, ok bool) {
	for n := len(oid); n > 0; n-- {
		if o, ok := t.At(oid[:n]); ok {
			return o, oid[n:], true
		}
	}
	return Object{}, oid, false
}

// Path returns the described objects from the top to an identifier, with that itself.
func (t *Tree) Path(oid OID) (out []Object) {
	for n := 1; n <= len(oid); n++ {
		if o, ok := t.At(oid[:n]); ok {
			out = append(out, o)
		}
	}
	return out
}

// Below returns the objects next below an identifier: those with no described one in between.
func (t *Tree) Below(oid OID) (out []Object) {
	i, _ := t.find(oid)
	for ; i < len(t.objects) && t.objects[i].OID.Within(oid); i++ {
		o := t.objects[i]
		if len(o.OID) == len(oid) {
			continue
		}
		if n := len(out); n > 0 && o.OID.Within(out[n-1].OID) {
			continue
		}
		out = append(out, o)
	}
	return out
}

// RowOf returns the row of the table that a column belongs to.
func (t *Tree) RowOf(column Object) (Object, bool) {
	if column.Kind != Column || len(column.OID) < 2 {
		return Object{}, false
	}
	row, ok := t.At(column.OID[:len(column.OID)-1])
	return row, ok && row.Kind == Row
}

// Columns are those of a table, given by its row.
func (t *Tree) Columns(row Object) []Object {
	return slices.DeleteFunc(t.Below(row.OID), func(o Object) bool { return o.Kind != Column })
}

// found is an object that a search came upon.
type found struct {
	Object
	rank int
}

// Search returns objects by a fragment of their name, by words of their description or by the
// beginning of their identifier, the best first.
func (t *Tree) Search(text string, most int) []Object {
	text = strings.ToLower(strings.TrimSpace(text))
	if text == "" {
		return nil
	}
	var hits []found
	words := strings.Fields(text)
	for _, o := range t.objects {
		if rank, ok := rankOf(o, text, words); ok {
			hits = append(hits, found{o, rank})
		}
	}
	slices.SortStableFunc(hits, func(a, b found) int {
		return cmp.Or(cmp.Compare(a.rank, b.rank), cmp.Compare(len(a.Name), len(b.Name)))
	})
	out := make([]Object, 0, min(most, len(hits)))
	for _, f := range hits[:min(most, len(hits))] {
		out = append(out, f.Object)
	}
	return out
}

func rankOf(o Object, text string, words []string) (rank int, ok bool) {
	name := strings.ToLower(o.Name)
	switch {
	case name == text || o.OID.String() == strings.TrimPrefix(text, "."):
		return 0, true
	case strings.HasPrefix(name, text):
		return 1, true
	case strings.Contains(name, text):
		return 2, true
	case strings.Contains(strings.ToLower(o.Module), text):
		return 4, true
	}
	about := strings.ToLower(o.Name + " " + o.About)
	for _, w := range words {
		if !strings.Contains(about, w) {
			return 0, false
		}
	}
	return 3, true
}

// Rows are the rows of all tables.
func (t *Tree) Rows() (out []Object) {
	for _, o := range t.objects {
		if o.Kind == Row {
			out = append(out, o)
		}
	}
	return out
}

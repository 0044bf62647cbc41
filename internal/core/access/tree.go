// Package access decides who may do what where, and says why.
package access

import "tirelessowl/internal/domain"

// Tree is the places with their names, for what holds below a place.
type Tree struct {
	places   map[domain.ID]domain.Place
	children map[domain.ID][]domain.ID
}

// NewTree takes the present places.
func NewTree(places []domain.Place) *Tree {
	t := &Tree{map[domain.ID]domain.Place{}, map[domain.ID][]domain.ID{}}
	for _, p := range places {
		t.places[p.ID] = p
		t.children[p.ParentID] = append(t.children[p.ParentID], p.ID)
	}
	return t
}

// Name is what a place is called; the whole tree, which is no place, is called so.
func (t *Tree) Name(id domain.ID) string {
	if id == 0 {
		return "the whole tree"
	}
	return t.places[id].Name
}

// Within tells whether a place lies at or below another. All lie within the whole
// tree, which is zero; the whole tree lies within no place. A loop of places ends it.
func (t *Tree) Within(id, of domain.ID) bool {
	if of == 0 {
		return true
	}
	for hops := 0; id != 0 && hops <= len(t.places); hops++ {
		if id == of {
			return true
		}
		id = t.places[id].ParentID
	}
	return false
}

// Below lists a place with all that lie below it.
func (t *Tree) Below(id domain.ID) []domain.ID {
	out := []domain.ID{}
	seen := map[domain.ID]bool{}
	for next := []domain.ID{id}; len(next) > 0; {
		at := next[0]
		next = next[1:]
		if seen[at] {
			continue
		}
		seen[at] = true
		if at != 0 {
			out = append(out, at)
		}
		next = append(next, t.children[at]...)
	}
	return out
}

// Root is the organisation that a place belongs to, zero where there is none.
func (t *Tree) Root(id domain.ID) domain.ID {
	for hops := 0; hops <= len(t.places); hops++ {
		p, ok := t.places[id]
		if !ok || p.ParentID == 0 {
			return p.ID
		}
		id = p.ParentID
	}
	return 0
}

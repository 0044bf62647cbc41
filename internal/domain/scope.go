package domain

import (
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Scope is the part of the tree that an answer may tell of. The zero value is
// nothing at all.
type Scope struct {
	all    bool
	places map[ID]bool
	list   string
	runs   [][2]ID
}

// Everywhere is the whole tree.
func Everywhere() Scope { return Scope{all: true} }

// Only is some places, without what is below them.
func Only(places ...ID) Scope {
	s := Scope{places: make(map[ID]bool, len(places))}
	for _, id := range places {
		s.places[id] = true
	}
	var b strings.Builder
	for i, id := range slices.Sorted(maps.Keys(s.places)) {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(strconv.FormatInt(id, 10))
		if n := len(s.runs); n > 0 && s.runs[n-1][1]+1 == id {
			s.runs[n-1][1] = id
		} else {
			s.runs = append(s.runs, [2]ID{id, id})
		}
	}
	s.list = b.String()
	return s
}

// All tells whether it is the whole tree, with what belongs to no place.
func (s Scope) All() bool { return s.all }

// None tells whether it is nothing.
func (s Scope) None() bool { return !s.all && len(s.places) == 0 }

// Has tells whether a place lies within; zero stands for the whole tree.
func (s Scope) Has(place ID) bool { return s.all || s.places[place] }

// Places are the places, in no order; none for the whole tree.
func (s Scope) Places() []ID { return slices.Collect(maps.Keys(s.places)) }

// Runs are the ids of the places as runs of neighbours, from first to last, in order.
func (s Scope) Runs() [][2]ID { return s.runs }

// List is the ids of the places, ordered, with commas between them: the same
// scopes have the same list. It is empty for the whole tree.
func (s Scope) List() string { return s.list }

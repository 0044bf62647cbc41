// Package inherit resolves what is set on the tree: a value set at a place
// holds for all below it, until one set lower takes its place. All that can be
// set on the tree is resolved here, with where it comes from and what it
// replaces.
package inherit

import (
	"fmt"
	"maps"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Key names something that can be set.
type Key = domain.SettingKey

// Thing is a node of the tree: a place, a device below its place, or a part of a device.
type Thing struct {
	Place, Device, Part domain.ID // one of them is set
}

// Place returns the thing that a place is.
func Place(id domain.ID) Thing { return Thing{Place: id} }

// Device returns the thing that a device is.
func Device(id domain.ID) Thing { return Thing{Device: id} }

// Part returns the thing that a part is.
func Part(id domain.ID) Thing { return Thing{Part: id} }

// Tree is the places with all that is set on them and on devices.
type Tree struct {
	places map[domain.ID]domain.Place
	values map[Thing]map[Key]string
	extra  extra
	// hours are those that have a name.
	hours map[string]string
}

// extra is a value that is not stored as an override.
type extra struct {
	thing Thing
	key   Key
	value string
}

// NewTree takes the present places and overrides.
func NewTree(places []domain.Place, overrides []domain.Override) Tree {
	t := Tree{places: map[domain.ID]domain.Place{}, values: map[Thing]map[Key]string{}}
	for _, p := range places {
		t.places[p.ID] = p
	}
	for _, o := range overrides {
		t.set(Thing{Place: o.PlaceID, Device: o.DeviceID}, o.Key, o.Value)
	}
	return t
}

// furtherUp is what a place is called for those who do not see it.
const furtherUp = "further up"

// SeenBy is the tree for somebody who sees only some places: the others have no names.
func (t Tree) SeenBy(sees func(place domain.ID) bool) Tree {
	places := make(map[domain.ID]domain.Place, len(t.places))
	for id, p := range t.places {
		if !sees(id) {
			p.Name = furtherUp
		}
		places[id] = p
	}
	t.places = places
	return t
}

// With is the tree with one more value set; an empty one is taken away.
func (t Tree) With(o domain.Override) Tree {
	thing := Thing{Place: o.PlaceID, Device: o.DeviceID}
	t.values = maps.Clone(t.values)
	own := maps.Clone(t.values[thing])
	if own == nil {
		own = map[Key]string{}
	}
	own[o.Key] = o.Value
	if o.Value == "" {
		delete(own, o.Key)
	}
	t.values[thing] = own
	return t
}

func (t Tree) set(thing Thing, key Key, value string) {
	if t.values[thing] == nil {
		t.values[thing] = map[Key]string{}
	}
	t.values[thing][key] = value
}

// Source is a value with the thing that it was set at.
type Source struct {
	Thing Thing
	Name  string // of the place; empty for the device itself
	Value string
}

// Resolved is what holds for a thing.
type Resolved struct {
	// Set is false where nobody has set anything.
	Set bool
	Source
	// Replaces is what was set higher, nearest first.
	Replaces []Source
	Why      why.Trace
}

// Own tells whether the value was set at the device itself.
func (r Resolved) Own() bool { return r.Set && r.Thing.Device != 0 }

// Resolve finds what holds for a device in a place (or for the place itself,
// with the zero device): its own value, else that of the nearest place above
// that has one. accepts leaves out values that cannot hold for this thing;
// nil accepts all.
func (t Tree) Resolve(place, device domain.ID, key Key, accepts func(value string) bool) Resolved {
	return t.resolve(Where{Place: place, Device: device}, key, accepts)
}

// Where is a thing with all that it lies in: a part lies in a device, that in a place. What
// is zero is not there.
type Where struct{ Place, Device, Part domain.ID }

// Spot is where it stands.
func (w Where) Spot() domain.Spot { return domain.Spot{Place: w.Place, Device: w.Device} }

// Itself is the lowest of them.
func (w Where) Itself() Thing {
	switch {
	case w.Part != 0:
		return Part(w.Part)
	case w.Device != 0:
		return Device(w.Device)
	}
	return Place(w.Place)
}

func (t Tree) resolve(at Where, key Key, accepts func(value string) bool) Resolved {
	out := Resolved{Why: why.Trace{Question: fmt.Sprintf("Where does the %s come from?", key)}}
	for _, s := range t.along(at, key) {
		switch {
		case accepts != nil && !accepts(s.Value):
			out.Why.Because("Left out: "+s.where(), "it cannot hold here", s.ref())
		case !out.Set:
			out.Set, out.Source = true, s
			out.Why.Answer = s.where()
			out.Why.Because("It is "+s.where(), "", s.ref())
		default:
			out.Replaces = append(out.Replaces, s)
			out.Why.Because("It replaces what is "+s.where(), s.Value, s.ref())
		}
	}
	if !out.Set {
		out.Why.Answer = "it is set nowhere"
		out.Why.Because("Neither here nor at any place above it is set", "", nil)
	}
	return out
}

// along lists what is set on the way up, lowest first. A loop of places ends it.
func (t Tree) along(at Where, key Key) (out []Source) {
	for _, thing := range []Thing{Part(at.Part), Device(at.Device)} {
		if v, ok := t.at(thing, key); ok && thing != (Thing{}) {
			out = append(out, Source{thing, "", v})
		}
	}
	for _, p := range t.above(at.Place) {
		if v, set := t.values[Place(p.ID)][key]; set {
			out = append(out, Source{Place(p.ID), p.Name, v})
		}
	}
	return out
}

// at is what is set at a device or a part itself.
func (t Tree) at(thing Thing, key Key) (string, bool) {
	if t.extra.thing == thing && t.extra.key == key {
		return t.extra.value, true
	}
	v, ok := t.values[thing][key]
	return v, ok
}

// above are a place and all that it lies in, lowest first.
func (t Tree) above(place domain.ID) (out []domain.Place) {
	seen := map[domain.ID]bool{}
	for p, ok := t.places[place]; ok && !seen[p.ID]; p, ok = t.places[p.ParentID] {
		seen[p.ID] = true
		out = append(out, p)
	}
	return out
}

func (s Source) where() string {
	switch {
	case s.Thing.Part != 0:
		return "set at the part itself"
	case s.Thing.Device != 0:
		return "set at the device itself"
	}
	return "set at the place " + s.Name
}

func (s Source) ref() *why.Ref {
	switch {
	case s.Thing.Part != 0:
		return nil // it is on the page of its device
	case s.Thing.Device != 0:
		return why.To("device", s.Thing.Device)
	}
	return why.To("place", s.Thing.Place)
}

// Package inherit resolves what is set on the tree: a value set at a place
// holds for all below it, until one set lower takes its place. All that can be
// set on the tree is resolved here, with where it comes from and what it
// replaces.
package inherit

import (
	"fmt"
	"strconv"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Key names something that can be set.
type Key = domain.SettingKey

// Thing is a node of the tree: a place, or a device below its place.
type Thing struct {
	Place, Device domain.ID // one of them is set
}

// Place returns the thing that a place is.
func Place(id domain.ID) Thing { return Thing{Place: id} }

// Device returns the thing that a device is.
func Device(id domain.ID) Thing { return Thing{Device: id} }

// Tree is the places with all that is set on them and on devices.
type Tree struct {
	places map[domain.ID]domain.Place
	values map[Thing]map[Key]string
}

// NewTree takes the present places and overrides.
func NewTree(places []domain.Place, overrides []domain.Override) Tree {
	t := Tree{places: map[domain.ID]domain.Place{}, values: map[Thing]map[Key]string{}}
	for _, p := range places {
		t.places[p.ID] = p
	}
	for _, o := range overrides {
		thing := Thing{Place: o.PlaceID, Device: o.DeviceID}
		if t.values[thing] == nil {
			t.values[thing] = map[Key]string{}
		}
		t.values[thing][o.Key] = o.Value
	}
	return t
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
	out := Resolved{Why: why.Trace{Question: fmt.Sprintf("Where does the %s come from?", key)}}
	for _, s := range t.set(place, device, key) {
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

// set lists what is set on the way up, lowest first. A loop of places ends it.
func (t Tree) set(place, device domain.ID, key Key) (out []Source) {
	if v, ok := t.values[Device(device)][key]; ok && device != 0 {
		out = append(out, Source{Device(device), "", v})
	}
	seen := map[domain.ID]bool{}
	for p, ok := t.places[place]; ok && !seen[p.ID]; p, ok = t.places[p.ParentID] {
		seen[p.ID] = true
		if v, set := t.values[Place(p.ID)][key]; set {
			out = append(out, Source{Place(p.ID), p.Name, v})
		}
	}
	return out
}

func (s Source) where() string {
	if s.Thing.Device != 0 {
		return "set at the device itself"
	}
	return "set at the place " + s.Name
}

func (s Source) ref() *why.Ref {
	if s.Thing.Device != 0 {
		return why.To("device", s.Thing.Device)
	}
	return why.To("place", s.Thing.Place)
}

// Gateway returns the device that another is reached through, zero for none.
// A gateway is not reached through itself but through the gateway of a place
// further up.
func (t Tree) Gateway(d domain.Device) (domain.ID, Resolved) {
	r := t.Resolve(d.PlaceID, d.ID, domain.SettingGateway, func(value string) bool { return value != strconv.FormatInt(d.ID, 10) })
	id, _ := strconv.ParseInt(r.Value, 10, 64)
	return id, r
}

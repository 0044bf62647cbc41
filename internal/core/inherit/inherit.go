// Package inherit resolves what is set on the tree: a value set at a place
// holds for all below it, until one set lower takes its place. All that can be
// set on the tree is resolved here, with where it comes from and what it
// replaces.
package inherit

import (
	"fmt"
	"maps"
	"slices"

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
	// ofKits are the keys of settings of kits that are set anywhere, by kit.
	ofKits map[string][]Key
	// tagged are the tags for which something of a kit is set anywhere, in order, by what is set without the tag;
	// held tells the tags of devices.
	tagged map[Key][]string
	held   func(domain.Device) []string
}

// extra is a value that is not stored as an override.
type extra struct {
	thing Thing
	key   Key
	value string
}

// NewTree takes the present places and overrides.
func NewTree(places []domain.Place, overrides []domain.Override) Tree {
	t := Tree{places: map[domain.ID]domain.Place{}, values: map[Thing]map[Key]string{}, ofKits: map[string][]Key{},
		tagged: map[Key][]string{}}
	for _, p := range places {
		t.places[p.ID] = p
	}
	for _, o := range overrides {
		t.set(thingOf(o), o.Key, o.Value)
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
	thing := thingOf(o)
	t.values, t.ofKits, t.tagged = maps.Clone(t.values), maps.Clone(t.ofKits), maps.Clone(t.tagged)
	t.index(o.Key)
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

func thingOf(o domain.Override) Thing {
	return Thing{Place: o.PlaceID, Device: o.DeviceID, Part: o.PartID}
}

// index notes the key of a setting of a kit.
func (t Tree) index(key Key) {
	s, ok := key.OfKit()
	if !ok || t.ofKits == nil || slices.Contains(t.ofKits[s.Kit], key) {
		return
	}
	t.ofKits[s.Kit] = append(slices.Clone(t.ofKits[s.Kit]), key)
	if s.Tag != "" {
		base := s.For("").Key()
		t.tagged[base] = slices.Sorted(slices.Values(append(slices.Clone(t.tagged[base]), s.Tag)))
	}
}

// Holding is the tree that knows which tags devices hold.
func (t Tree) Holding(tags func(domain.Device) []string) Tree {
	t.held = tags
	return t
}

// AnyTagged tells whether something is set for devices with some tag.
func (t Tree) AnyTagged() bool { return len(t.tagged) > 0 }

// Tagged tells whether something is set for devices with some tag in the place of a setting.
func (t Tree) Tagged(key Key) bool { return len(t.tagged[untagged(key)]) > 0 }

// untagged is a key as it is for devices with whatever tags.
func untagged(key Key) Key {
	if s, ok := key.OfKit(); ok && s.Tag != "" {
		return s.For("").Key()
	}
	return key
}

// own are the keys at which a value for a thing may be set at a place: for each tag that a device holds, by their
// names, then for all.
func (t Tree) own(at Where, key Key) []Key {
	tags := t.tagged[key]
	if len(tags) == 0 || at.Device == 0 || t.held == nil {
		return []Key{key}
	}
	s, _ := key.OfKit() // it is among these
	holds := t.held(domain.Device{ID: at.Device, PlaceID: at.Place})
	var out []Key
	for _, tag := range tags {
		if slices.Contains(holds, tag) {
			out = append(out, s.For(tag).Key())
		}
	}
	return append(out, key)
}

// OfKits are the keys of settings of kits that are set anywhere.
func (t Tree) OfKits() (out []Key) {
	for _, kit := range slices.Sorted(maps.Keys(t.ofKits)) {
		out = append(out, slices.Sorted(slices.Values(t.ofKits[kit]))...)
	}
	return out
}

// At finds what holds for a thing, whatever it is.
func (t Tree) At(at Where, key Key) Resolved { return t.resolve(at, key, nil) }

// Untagged are the keys of settings of a kit that are set anywhere, for whatever devices, each once.
func (t Tree) Untagged(kit string) (out []Key) {
	for _, key := range t.ofKits[kit] {
		if base := untagged(key); !slices.Contains(out, base) {
			out = append(out, base)
		}
	}
	return out
}

// PartOff tells whether a part is not collected.
func (t Tree) PartOff(id domain.ID) bool {
	return t.values[Part(id)][domain.SettingCollect] == domain.Off
}

func (t Tree) set(thing Thing, key Key, value string) {
	t.index(key)
	if t.values[thing] == nil {
		t.values[thing] = map[Key]string{}
	}
	t.values[thing][key] = value
}

// Source is a value with the thing that it was set at.
type Source struct {
	Thing Thing
	Name  string // of the place; empty for the device itself
	Tag   string // of the devices of the place for which it is set; empty for all of them
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
			out.Why.Because("Left out: "+s.Where(), "it cannot hold here", s.ref())
		case !out.Set:
			out.Set, out.Source = true, s
			out.Why.Answer = s.Where()
			out.Why.Because("It is "+s.Where(), "", s.ref())
		default:
			out.Replaces = append(out.Replaces, s)
			out.Why.Because("It replaces what is "+s.Where(), s.Value, s.ref())
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
			out = append(out, Source{thing, "", "", v})
		}
	}
	keys := t.own(at, key)
	for _, p := range t.above(at.Place) {
		for _, key := range keys {
			if v, set := t.values[Place(p.ID)][key]; set {
				s, _ := key.OfKit()
				out = append(out, Source{Place(p.ID), p.Name, s.Tag, v})
			}
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

// Where says where it was set.
func (s Source) Where() string {
	switch {
	case s.Thing.Part != 0:
		return "set at the part itself"
	case s.Thing.Device != 0:
		return "set at the device itself"
	}
	if s.Tag != "" {
		return "set at the place " + s.Name + " for devices with the tag " + s.Tag
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

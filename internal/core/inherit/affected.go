package inherit

import (
	"slices"

	"tirelessowl/internal/domain"
)

// Reach is for what a value would hold that is set at a thing.
type Reach struct {
	// Places are those for all devices of which it would hold, but for Without, which have
	// a value of their own. Device is the only one for which it would hold, if it is one.
	Places  []domain.ID
	Without []domain.ID
	Device  domain.ID
	// Devices are further ones, each by itself.
	Devices []domain.ID
	// Keep are the places below that keep what is set at them.
	Keep []domain.Place
}

// Reach tells for what a value of a key would hold if it were set at a thing.
func (t Tree) Reach(at Thing, key Key) (out Reach) {
	if at.Device != 0 {
		return Reach{Device: at.Device}
	}
	for id := range t.places {
		above := t.above(id)
		i := slices.IndexFunc(above, func(p domain.Place) bool { return p.ID == at.Place })
		if i < 0 {
			continue
		}
		nearer := slices.IndexFunc(above[:i], func(p domain.Place) bool {
			_, set := t.values[Place(p.ID)][key]
			return set
		})
		switch nearer {
		case -1:
			out.Places = append(out.Places, id)
		case 0:
			out.Keep = append(out.Keep, t.places[id])
		}
	}
	for thing, values := range t.values {
		if _, set := values[key]; set && thing.Device != 0 {
			out.Without = append(out.Without, thing.Device)
		}
	}
	slices.Sort(out.Places)
	slices.Sort(out.Without)
	slices.SortFunc(out.Keep, func(a, b domain.Place) int { return int(a.ID - b.ID) })
	return out
}

// Narrowed is for which of some devices, that a value of a setting of a kit may reach, it would really hold: where some
// of them hold tags for which something else is set, or it is set for a tag itself. ok is false where all that are
// reached are.
func (t Tree) Narrowed(o domain.Override, devices []domain.Device) (out []domain.Device, ok bool) {
	s, isKit := o.Key.OfKit()
	if !isKit || o.PlaceID == 0 || s.Tag == "" && !t.Tagged(o.Key) {
		return nil, false
	}
	o.Value = "any"
	with, base := t.With(o), untagged(o.Key)
	for _, d := range devices {
		r := with.At(Where{Place: d.PlaceID, Device: d.ID}, base)
		if r.Thing == Place(o.PlaceID) && r.Tag == s.Tag {
			out = append(out, d)
		}
	}
	return out, true
}

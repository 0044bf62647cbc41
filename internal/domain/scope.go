package domain

import (
	"iter"
	"maps"
	"slices"
	"strconv"
	"strings"
)

// Spot is where a thing stands: at a place, zero for what belongs to the whole tree, and
// at a device where it is one or belongs to one.
type Spot struct{ Place, Device ID }

// At is the spot of a place, or of what stands there by itself.
func At(place ID) Spot { return Spot{Place: place} }

// Spot is where a device stands.
func (d Device) Spot() Spot { return Spot{d.PlaceID, d.ID} }

// Scope is the part of the tree that an answer may tell of: places with all that stands
// there, and single devices besides. The zero value is nothing at all.
type Scope struct {
	all     bool
	places  map[ID]bool
	devices map[ID]ID // with their places
	// The same in order: the places, the devices, and the places that these stand at.
	inPlaces, inDevices, around Ordered
}

// Ordered is ids in order.
type Ordered struct {
	List string  // with commas between them
	Runs [][2]ID // as runs of neighbours, from first to last
}

// InOrder puts ids in order, each once.
func InOrder(ids iter.Seq[ID]) (out Ordered) {
	var b strings.Builder
	for i, id := range slices.Compact(slices.Sorted(ids)) {
		if i > 0 {
			b.WriteByte(',')
		}
		b.WriteString(strconv.FormatInt(id, 10))
		if n := len(out.Runs); n > 0 && out.Runs[n-1][1]+1 == id {
			out.Runs[n-1][1] = id
		} else {
			out.Runs = append(out.Runs, [2]ID{id, id})
		}
	}
	out.List = b.String()
	return out
}

// Everywhere is the whole tree.
func Everywhere() Scope { return Scope{all: true} }

// Only is some places, without what is below them.
func Only(places ...ID) Scope {
	s := Scope{places: make(map[ID]bool, len(places))}
	for _, id := range places {
		s.places[id] = true
	}
	s.inPlaces = InOrder(maps.Keys(s.places))
	return s
}

// And is the same with some devices besides, given with their places.
func (s Scope) And(devices map[ID]ID) Scope {
	if s.all || len(devices) == 0 {
		return s
	}
	s.devices = maps.Clone(devices)
	maps.DeleteFunc(s.devices, func(_, place ID) bool { return s.places[place] })
	s.inDevices, s.around = InOrder(maps.Keys(s.devices)), InOrder(maps.Values(s.devices))
	return s
}

// All tells whether it is the whole tree, with what belongs to no place.
func (s Scope) All() bool { return s.all }

// None tells whether it is nothing.
func (s Scope) None() bool { return !s.all && len(s.places) == 0 && len(s.devices) == 0 }

// Has tells whether a spot lies within; the zero one stands for the whole tree.
func (s Scope) Has(at Spot) bool {
	_, besides := s.devices[at.Device]
	return s.all || s.places[at.Place] || besides
}

// HasPlace tells whether a place lies within, with all that stands there.
func (s Scope) HasPlace(place ID) bool { return s.Has(At(place)) }

// Names tells whether a place is told by its name: it lies within, or a device besides
// stands there.
func (s Scope) Names(place ID) bool {
	return s.HasPlace(place) || slices.Contains(slices.Collect(maps.Values(s.devices)), place)
}

// Places are the places, in no order; none for the whole tree.
func (s Scope) Places() []ID { return slices.Collect(maps.Keys(s.places)) }

// Devices are the devices besides, with their places.
func (s Scope) Devices() map[ID]ID { return s.devices }

// InPlaces are the places in order; InDevices the devices besides; Around the places that
// these stand at, of which no more than that is in the scope.
func (s Scope) InPlaces() Ordered  { return s.inPlaces }
func (s Scope) InDevices() Ordered { return s.inDevices }
func (s Scope) Around() Ordered    { return s.around }

// Key is the same for the same scopes. It is empty for the whole tree.
func (s Scope) Key() string {
	if len(s.devices) == 0 {
		return s.inPlaces.List
	}
	return s.inPlaces.List + ";" + s.inDevices.List
}

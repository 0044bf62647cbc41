package inherit

import (
	"maps"
	"slices"
	"strings"

	"tirelessowl/internal/domain"
)

// Attribute is an attribute or tag that holds for a thing.
type Attribute struct {
	Name string
	Tag  bool
	Resolved
	// Here is true where it is set at the thing itself.
	Here bool
}

// Attributes are a tree of attributes: those set lower replace those set higher, tags add
// up.
type Attributes struct {
	tree Tree
	set  map[Thing][]domain.Attribute
}

// NewAttributes takes the places, and what is set at them and below.
func NewAttributes(places []domain.Place, all []domain.Attribute) Attributes {
	out := Attributes{NewTree(places, nil), map[Thing][]domain.Attribute{}}
	for _, a := range all {
		thing := Thing{Place: a.PlaceID, Device: a.DeviceID, Part: a.PartID}
		out.set[thing] = append(out.set[thing], a)
		out.tree.set(thing, keyOf(a.Name, a.Tag), a.Value)
	}
	return out
}

// keyOf is also how the trace calls it.
func keyOf(name string, tag bool) Key {
	if tag {
		return Key("tag “" + name + "”")
	}
	return Key("attribute “" + name + "”")
}

// Of returns what holds for a thing, by name, tags last. An attribute that is set empty
// takes an inherited one away: it is returned where it is set, and does not hold below.
func (a Attributes) Of(at Where) (out []Attribute) {
	things := []Thing{Part(at.Part), Device(at.Device)}
	for _, p := range a.tree.above(at.Place) {
		things = append(things, Place(p.ID))
	}
	seen := map[Key]bool{}
	for _, thing := range things {
		for _, x := range a.set[thing] {
			key := keyOf(x.Name, x.Tag)
			if seen[key] {
				continue
			}
			seen[key] = true
			found := Attribute{Name: x.Name, Tag: x.Tag, Resolved: a.tree.resolve(at, key, nil)}
			found.Here = found.Thing == at.Itself()
			if x.Tag || x.Value != "" || found.Here {
				out = append(out, found)
			}
		}
	}
	slices.SortFunc(out, func(x, y Attribute) int {
		if x.Tag != y.Tag {
			if x.Tag {
				return 1
			}
			return -1
		}
		return strings.Compare(x.Name, y.Name)
	})
	return out
}

// Held are the attributes by name, and the tags, that hold for a device, without where they come from.
func (a Attributes) Held(d domain.Device) (values map[string]string, tags []string) {
	things := []Thing{Device(d.ID)}
	for _, p := range a.tree.above(d.PlaceID) {
		things = append(things, Place(p.ID))
	}
	values = map[string]string{}
	for _, thing := range things {
		for _, x := range a.set[thing] {
			_, nearer := values[x.Name]
			switch {
			case !x.Tag && !nearer:
				values[x.Name] = x.Value
			case x.Tag && !slices.Contains(tags, x.Name):
				tags = append(tags, x.Name)
			}
		}
	}
	maps.DeleteFunc(values, func(_, value string) bool { return value == "" })
	slices.Sort(tags)
	return values, tags
}

// Above are the names of a place and of all that it lies in, its own first.
func (a Attributes) Above(place domain.ID) (names []string) {
	for _, p := range a.tree.above(place) {
		names = append(names, p.Name)
	}
	return names
}

// Picked are the devices of which an attribute or tag holds: those in places, but for some,
// and some more by themselves.
type Picked struct{ Places, With, Without []domain.ID }

// Pick finds the devices of which an attribute, or a tag, holds with a value that fits.
func (a Attributes) Pick(name string, tag bool, fits func(value string) bool) (out Picked) {
	key := keyOf(name, tag)
	for id := range a.tree.places {
		r := a.tree.resolve(Where{Place: id}, key, nil)
		if r.Set && fits(r.Value) {
			out.Places = append(out.Places, id)
		}
	}
	for thing, set := range a.set {
		for _, x := range set {
			if thing.Device == 0 || x.Name != name || x.Tag != tag {
				continue
			}
			if fits(x.Value) {
				out.With = append(out.With, thing.Device)
			} else {
				out.Without = append(out.Without, thing.Device)
			}
		}
	}
	return out
}

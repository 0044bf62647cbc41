package guard

import (
	"net/netip"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Bounds are what places let be talked to: an address must lie in all of them. Without any
// it may be everything.
type Bounds []bound

type bound struct {
	inherit.Source
	set ranges.Set
}

// BoundsAt are those of a place and of all that it lies in. What is set lower narrows what
// is set higher, and never widens it.
func BoundsAt(tree inherit.Tree, place domain.ID) (out Bounds) {
	r := tree.Resolve(place, 0, domain.SettingTalkTo, nil)
	if !r.Set {
		return nil
	}
	for _, s := range append([]inherit.Source{r.Source}, r.Replaces...) {
		set, err := ranges.ReadBut(s.Value)
		if err != nil {
			set = ranges.Set{} // it was read before it was kept; of what is not understood nothing may be
		}
		out = append(out, bound{s, set})
	}
	return out
}

func (b bound) refusal() string {
	return "lies outside of what the place " + b.Name + " lets be talked to"
}

// Refusal says what is against talking to an address; nothing where that may be.
func (b Bounds) Refusal(a netip.Addr) string {
	for _, x := range b {
		if !x.set.Contains(a.Unmap().WithZone("")) {
			return x.refusal()
		}
	}
	return ""
}

// First is the first address of a set that lies outside, with what is against it; ok is
// false where none does.
func (b Bounds) First(set ranges.Set) (a netip.Addr, refusal string, ok bool) {
	for _, x := range b {
		if out := set.Without(x.set).Ranges(); len(out) > 0 {
			return out[0].From(), x.refusal(), true
		}
	}
	return netip.Addr{}, "", false
}

// Kept is what of a set lies inside, with why the rest does not.
func (b Bounds) Kept(set ranges.Set, trace *why.Trace) ranges.Set {
	for _, x := range b {
		out := set.Without(x.set)
		if len(out.Ranges()) == 0 {
			continue
		}
		set = set.Without(out)
		trace.Because("The place "+x.Name+" lets only some addresses be talked to", x.Value, why.To("place", x.Thing.Place))
	}
	return set
}

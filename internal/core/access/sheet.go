package access

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Given is a grant with what it comes from.
type Given struct {
	domain.Grant
	TeamID domain.ID // zero for one that comes from no team
	From   string    // in words, such as “the team Shore desk”
	// Holds is where the tag of a grant for what carries one holds at present.
	Holds Holds
}

// Holds is where a tag holds: of all at some places, and of some devices, given with
// theirs.
type Holds struct {
	Places  map[domain.ID]bool
	Devices map[domain.ID]domain.ID
}

func (h Holds) at(x domain.Spot) bool {
	_, itself := h.Devices[x.Device]
	return itself || h.Places[x.Place]
}

// Sheet is all that somebody may do. It does not change; it is safe for
// concurrent use.
type Sheet struct {
	tree  *Tree
	given []Given
	// limits are what narrowed the grants, in words.
	limits []string
	scopes *scopes
}

// scopes are worked out when they are first asked for.
type scopes struct {
	sync.Mutex
	known map[scopeKey]domain.Scope
}

type scopeKey struct {
	area  domain.Area
	level domain.Access
}

// NewSheet puts together what was given.
func NewSheet(tree *Tree, given []Given) Sheet {
	return Sheet{tree: tree, given: given, scopes: &scopes{known: map[scopeKey]domain.Scope{}}}
}

// Unbounded is the sheet of one who may do everything everywhere.
func Unbounded(from string) Sheet {
	return NewSheet(NewTree(nil), []Given{{Grant: domain.Grant{Level: domain.AccessAdminister}, From: from}})
}

// AtMost is the same with no level above the given one, for a reason in words.
func (s Sheet) AtMost(level domain.Access, reason string) Sheet {
	out := NewSheet(s.tree, slices.Clone(s.given))
	out.limits = append(slices.Clone(s.limits), reason)
	for i := range out.given {
		out.given[i].Level = out.given[i].Level.AtMost(level)
	}
	return out
}

// Within is the same bounded by a further grant, for a reason in words: nothing
// remains that both do not allow.
func (s Sheet) Within(bound domain.Grant, reason string) Sheet {
	var kept []Given
	for _, g := range s.given {
		if both, ok := s.meet(g, bound); ok {
			kept = append(kept, both)
		}
	}
	out := NewSheet(s.tree, kept)
	out.limits = append(slices.Clone(s.limits), reason)
	return out
}

// meet is what two grants have in common.
func (s Sheet) meet(g Given, bound domain.Grant) (Given, bool) {
	switch {
	case bound.Tag != "": // what is bounded by a tag is not known here
		return g, false
	case s.tree.Within(bound.PlaceID, g.PlaceID):
		g.PlaceID = bound.PlaceID
	case !s.tree.Within(g.PlaceID, bound.PlaceID):
		return g, false
	}
	g.Level = g.Level.AtMost(bound.Level)
	if len(bound.Areas) > 0 {
		areas := slices.DeleteFunc(slices.Clone(bound.Areas), func(a domain.Area) bool { return !g.For(a) })
		if len(areas) == 0 {
			return g, false
		}
		g.Areas = areas
	}
	return g, true
}

// Scope is where something of an area may be done that needs a level.
func (s Sheet) Scope(area domain.Area, level domain.Access) domain.Scope {
	if s.scopes == nil {
		return domain.Scope{}
	}
	s.scopes.Lock()
	defer s.scopes.Unlock()
	key := scopeKey{area, level}
	scope, ok := s.scopes.known[key]
	if !ok {
		scope = s.scope(area, level)
		s.scopes.known[key] = scope
	}
	return scope
}

func (s Sheet) scope(area domain.Area, level domain.Access) domain.Scope {
	var places []domain.ID
	devices := map[domain.ID]domain.ID{}
	for _, g := range s.given {
		switch {
		case !g.For(area) || !g.Level.Allows(level):
		case g.Tag != "":
			places = append(places, s.tagged(g, devices)...)
		case g.PlaceID == 0:
			return domain.Everywhere()
		default:
			places = append(places, s.tree.Below(g.PlaceID)...)
		}
	}
	return domain.Only(places...).And(devices)
}

// tagged are the places that a grant for a tag reaches; the devices that it reaches by
// themselves are put to the others.
func (s Sheet) tagged(g Given, devices map[domain.ID]domain.ID) []domain.ID {
	for device, place := range g.Holds.Devices {
		if s.tree.Within(place, g.PlaceID) {
			devices[device] = place
		}
	}
	return slices.DeleteFunc(s.tree.Below(g.PlaceID), func(place domain.ID) bool { return !g.Holds.Places[place] })
}

// Anywhere is where something of any area may be done that needs a level.
func (s Sheet) Anywhere(level domain.Access) domain.Scope {
	var places []domain.ID
	devices := map[domain.ID]domain.ID{}
	for _, area := range domain.AllAreas() {
		scope := s.Scope(area, level)
		if scope.All() {
			return scope
		}
		places = append(places, scope.Places()...)
		maps.Copy(devices, scope.Devices())
	}
	return domain.Only(places...).And(devices)
}

// May tells whether something of an area that needs a level may be done at a spot, the
// zero one for what belongs to the whole tree.
func (s Sheet) May(area domain.Area, level domain.Access, at domain.Spot) bool {
	return s.Scope(area, level).Has(at)
}

// Level is the highest level for an area at a spot; empty for none.
func (s Sheet) Level(area domain.Area, at domain.Spot) (best domain.Access) {
	for _, level := range domain.AllAccess() {
		if s.May(area, level, at) {
			best = level
		}
	}
	return best
}

// Covers tells whether it allows all that another one does.
func (s Sheet) Covers(other Sheet) bool {
	return !slices.ContainsFunc(other.given, func(g Given) bool { return !s.Includes(g.Grant) })
}

// Includes tells whether it allows all that a grant does, or may ever do: a tag can be
// given to anything where the grant is for it.
func (s Sheet) Includes(g domain.Grant) bool { return s.IncludesAt(g, domain.At(g.PlaceID)) }

// IncludesAt tells whether it allows at a spot all that a grant does.
func (s Sheet) IncludesAt(g domain.Grant, at domain.Spot) bool {
	areas := g.Areas
	if len(areas) == 0 {
		areas = domain.AllAreas()
	}
	return !slices.ContainsFunc(areas, func(a domain.Area) bool { return !s.May(a, g.Level, at) })
}

// Asked is what somebody asks about: a spot, with what its device is called.
type Asked struct {
	domain.Spot
	Device string
}

// Explain tells which level holds for an area, and why: every grant is looked at.
func (s Sheet) Explain(area domain.Area, at Asked) (domain.Access, why.Trace) {
	return s.ExplainTo(area, at, func(domain.ID) bool { return true })
}

// ExplainTo is Explain for somebody who sees only some places: of grants elsewhere
// neither team nor place is named.
func (s Sheet) ExplainTo(area domain.Area, at Asked, sees func(domain.ID) bool) (domain.Access, why.Trace) {
	level := s.Level(area, at.Spot)
	t := why.Trace{Question: fmt.Sprintf("What is allowed of the area %s at %s?", area, s.called(at)), Answer: "nothing"}
	if level != "" {
		t.Answer = "to " + string(level)
	}
	for _, g := range s.given {
		counts, because := s.bearing(g, area, at)
		switch {
		case sees(g.PlaceID):
			t.Because(s.words(g), counts+because, nil)
		default:
			t.Because("A team that you do not see may "+string(g.Level)+" at a place that you do not see", counts, nil)
		}
	}
	if len(s.given) == 0 {
		t.Because("No team grants anything", "", nil)
	}
	for _, limit := range s.limits {
		t.Because(limit, "", nil)
	}
	return level, t
}

func (s Sheet) called(at Asked) string {
	if at.Device != "" {
		return at.Device
	}
	return s.tree.Name(at.Place)
}

// words say what a grant is.
func (s Sheet) words(g Given) string {
	out := fmt.Sprintf("%s may %s at %s", g.From, g.Level, s.tree.Name(g.PlaceID))
	if g.PlaceID != 0 {
		out += " and below"
	}
	if g.Tag != "" {
		out += ", of what carries the tag “" + g.Tag + "”"
	}
	if len(g.Areas) == 0 {
		return out
	}
	names := make([]string, len(g.Areas))
	for i, a := range g.Areas {
		names[i] = string(a)
	}
	return out + ", for " + strings.Join(names, ", ")
}

// bearing says whether a grant counts, and why not.
func (s Sheet) bearing(g Given, area domain.Area, at Asked) (counts, because string) {
	const not = "does not count"
	switch {
	case !g.For(area):
		return not, ": it is for other work areas"
	case !s.tree.Within(at.Place, g.PlaceID):
		return not, ": " + s.called(at) + " does not lie below"
	case g.Tag != "" && !g.Holds.at(at.Spot):
		return not, ": " + s.called(at) + " does not carry the tag" + s.carriers(g, at)
	}
	return "counts", ""
}

// carriers say of how many devices at a place, and below, a grant for a tag counts.
func (s Sheet) carriers(g Given, at Asked) string {
	n := int64(0)
	for _, place := range g.Holds.Devices {
		if s.tree.Within(place, at.Place) {
			n++
		}
	}
	if at.Device != "" || n == 0 {
		return ""
	}
	return ", unlike " + text.Count(n, "device") + " there or below"
}

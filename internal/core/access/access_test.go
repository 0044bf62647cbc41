package access

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// 1 organisation, 2 North Pier, 3 its kiosks, 4 Skerry House; 5 another organisation.
var world = NewTree([]domain.Place{
	{ID: 1, Name: "Kittiwake Line"}, {ID: 2, ParentID: 1, Name: "North Pier"}, {ID: 3, ParentID: 2, Name: "Kiosks"},
	{ID: 4, ParentID: 1, Name: "Skerry House"}, {ID: 5, Name: "Elsewhere"},
})

func at(place domain.ID) Asked { return Asked{Spot: domain.At(place)} }

func given(team string, level domain.Access, place domain.ID, areas ...domain.Area) Given {
	grant := domain.Grant{PlaceID: place, Level: level, Areas: areas}
	return Given{Grant: grant, TeamID: 1, From: "The team " + team}
}

func TestAGrantHoldsBelowItsPlaceAndNowhereElse(t *testing.T) {
	s := NewSheet(world, []Given{given("helpers", domain.AccessOperate, 2)})
	for place, may := range map[domain.ID]bool{0: false, 1: false, 2: true, 3: true, 4: false, 5: false} {
		assert.Equal(t, may, s.May(domain.AreaWatch, domain.AccessSee, domain.At(place)), place)
		assert.Equal(t, may, s.May(domain.AreaWatch, domain.AccessOperate, domain.At(place)), place)
		assert.False(t, s.May(domain.AreaWatch, domain.AccessConfigure, domain.At(place)), place)
	}
	assert.Equal(t, "2,3", s.Scope(domain.AreaRespond, domain.AccessSee).Key())
}

func TestTheHighestOfSeveralGrantsHolds(t *testing.T) {
	s := NewSheet(world, []Given{
		given("all", domain.AccessSee, 0),
		given("helpers", domain.AccessConfigure, 2, domain.AreaRespond),
	})
	assert.Equal(t, domain.AccessSee, s.Level(domain.AreaRespond, domain.At(4)))
	assert.Equal(t, domain.AccessConfigure, s.Level(domain.AreaRespond, domain.At(3)))
	assert.Equal(t, domain.AccessSee, s.Level(domain.AreaWatch, domain.At(3)))
	assert.True(t, s.Scope(domain.AreaWatch, domain.AccessSee).All())
}

func TestNobodyMayDoAnything(t *testing.T) {
	var nobody Actor
	assert.False(t, nobody.May(domain.AreaWatch, domain.AccessSee, domain.At(0)))
	assert.True(t, nobody.Scope(domain.AreaWatch, domain.AccessSee).None())
	assert.Empty(t, NewSheet(world, nil).Level(domain.AreaRun, domain.At(1)))
}

func TestBoundsTakeAwayAndNeverGive(t *testing.T) {
	s := NewSheet(world, []Given{given("shore", domain.AccessAdminister, 1), given("helpers", domain.AccessOperate, 2, domain.AreaWatch)})
	narrowed := s.Within(domain.Grant{PlaceID: 2, Level: domain.AccessConfigure, Areas: []domain.Area{domain.AreaWatch}}, "the token")
	assert.Equal(t, domain.AccessConfigure, narrowed.Level(domain.AreaWatch, domain.At(3)))
	assert.Empty(t, narrowed.Level(domain.AreaWatch, domain.At(4)))
	assert.Empty(t, narrowed.Level(domain.AreaRespond, domain.At(3)))
	outside := s.Within(domain.Grant{PlaceID: 5, Level: domain.AccessAdminister}, "the token")
	assert.Empty(t, outside.Level(domain.AreaWatch, domain.At(5)))
	assert.Equal(t, domain.AccessSee, s.AtMost(domain.AccessSee, "the browser").Level(domain.AreaRun, domain.At(4)))
	// Of a bound on the whole tree what was granted at a place remains there.
	wide := s.Within(domain.Grant{Level: domain.AccessSee}, "the token")
	assert.Equal(t, "1,2,3,4", wide.Scope(domain.AreaWatch, domain.AccessSee).Key())
}

func TestNobodyCanGiveMoreThanHeHas(t *testing.T) {
	s := NewSheet(world, []Given{given("shore", domain.AccessConfigure, 2), given("shore", domain.AccessAdminister, 2, domain.AreaRun)})
	for _, c := range []struct {
		grant domain.Grant
		may   bool
	}{
		{domain.Grant{PlaceID: 3, Level: domain.AccessConfigure}, true},
		{domain.Grant{PlaceID: 2, Level: domain.AccessAdminister, Areas: []domain.Area{domain.AreaRun}}, true},
		{domain.Grant{PlaceID: 3, Level: domain.AccessAdminister}, false},
		{domain.Grant{PlaceID: 4, Level: domain.AccessSee}, false},
		{domain.Grant{Level: domain.AccessSee}, false},
	} {
		assert.Equal(t, c.may, s.Includes(c.grant), c.grant)
		assert.Equal(t, c.may, s.Covers(NewSheet(world, []Given{{Grant: c.grant}})), c.grant)
	}
	assert.True(t, s.Covers(NewSheet(world, nil)))
	assert.True(t, s.Covers(s))
}

func TestWhyNamesEveryGrantAndLimit(t *testing.T) {
	s := NewSheet(world, []Given{
		given("shore", domain.AccessConfigure, 1),
		given("helpers", domain.AccessOperate, 2, domain.AreaRespond, domain.AreaFind),
		given("crews", domain.AccessSee, 4),
	}).AtMost(domain.AccessOperate, "The browser is not trusted")
	level, trace := s.Explain(domain.AreaWatch, at(3))
	assert.Equal(t, domain.AccessOperate, level)
	assert.Equal(t, "What is allowed of the area watch at Kiosks?", trace.Question)
	assert.Equal(t, "to operate", trace.Answer)
	var said []string
	for _, f := range trace.Facts {
		said = append(said, f.Text+": "+f.Detail)
	}
	assert.Equal(t, []string{
		"The team shore may operate at Kittiwake Line and below: counts",
		"The team helpers may operate at North Pier and below, for respond, find: does not count: it is for other work areas",
		"The team crews may see at Skerry House and below: does not count: Kiosks does not lie below",
		"The browser is not trusted: ",
	}, said)
	level, trace = NewSheet(world, nil).Explain(domain.AreaWatch, at(0))
	assert.Empty(t, level)
	assert.Equal(t, "nothing", trace.Answer)
	require.Len(t, trace.Facts, 1)
	assert.Equal(t, "No team grants anything", trace.Facts[0].Text)
}

func TestWhyNamesNothingThatIsNotSeen(t *testing.T) {
	s := NewSheet(world, []Given{given("shore", domain.AccessConfigure, 1), given("strangers", domain.AccessSee, 5)})
	_, trace := s.ExplainTo(domain.AreaWatch, at(3), func(p domain.ID) bool { return p == 1 })
	require.Len(t, trace.Facts, 2)
	assert.Equal(t, "The team shore may configure at Kittiwake Line and below", trace.Facts[0].Text)
	assert.Equal(t, "A team that you do not see may see at a place that you do not see", trace.Facts[1].Text)
	assert.Equal(t, "does not count", trace.Facts[1].Detail)
	_, trace = s.ExplainTo(domain.AreaWatch, at(3), func(p domain.ID) bool { return p == 5 })
	assert.Equal(t, "counts", trace.Facts[0].Detail)
}

func TestTheApplicationMayDoEverything(t *testing.T) {
	a := Itself("a new start")
	assert.True(t, a.May(domain.AreaRun, domain.AccessAdminister, domain.At(0)))
	_, trace := a.Explain(domain.AreaRun, at(0))
	assert.Equal(t, "The application itself may administer at the whole tree", trace.Facts[0].Text)
}

func TestPlacesThatFormALoopEnd(t *testing.T) {
	loop := NewTree([]domain.Place{{ID: 1, ParentID: 2}, {ID: 2, ParentID: 1}})
	assert.False(t, loop.Within(1, 3))
	assert.ElementsMatch(t, []domain.ID{1, 2}, loop.Below(1))
	assert.Zero(t, loop.Root(1))
	assert.Equal(t, domain.ID(1), world.Root(3))
	assert.Equal(t, domain.ID(5), world.Root(5))
	assert.Zero(t, world.Root(99))
}

// tagged is a grant for what carries a tag, which kiosk 7 in the kiosks and all of
// Skerry House do.
func tagged(level domain.Access, place domain.ID) Given {
	g := given("helpers", level, place)
	g.Tag = "night"
	g.Holds = Holds{Places: map[domain.ID]bool{4: true}, Devices: map[domain.ID]domain.ID{7: 3}}
	return g
}

func TestAGrantForATagHoldsForWhatCarriesItThere(t *testing.T) {
	kiosk, beside := domain.Spot{Place: 3, Device: 7}, domain.Spot{Place: 3, Device: 8}
	see := func(s Sheet, at domain.Spot) bool { return s.May(domain.AreaWatch, domain.AccessSee, at) }

	all := NewSheet(world, []Given{tagged(domain.AccessOperate, 1)})
	assert.True(t, see(all, kiosk))
	assert.False(t, see(all, beside))
	assert.False(t, see(all, domain.At(3)))
	assert.True(t, see(all, domain.At(4)))
	assert.True(t, see(all, domain.Spot{Place: 4, Device: 9}), "what stands at a place that carries it")
	assert.Equal(t, "4;7", all.Scope(domain.AreaWatch, domain.AccessSee).Key())
	assert.Equal(t, "3", all.Scope(domain.AreaWatch, domain.AccessSee).Around().List)
	assert.Equal(t, "4;7", all.Anywhere(domain.AccessSee).Key())
	assert.Equal(t, domain.AccessOperate, all.Level(domain.AreaRespond, kiosk))

	pier := NewSheet(world, []Given{tagged(domain.AccessSee, 2)})
	assert.True(t, see(pier, kiosk))
	assert.False(t, see(pier, domain.At(4)), "it is for North Pier only")

	whole := NewSheet(world, []Given{tagged(domain.AccessSee, 0)})
	assert.True(t, see(whole, kiosk))
	assert.False(t, see(whole, domain.At(0)))
	assert.False(t, whole.Scope(domain.AreaWatch, domain.AccessSee).All())

	moved := tagged(domain.AccessSee, 1)
	moved.Holds.Devices = map[domain.ID]domain.ID{7: 5}
	assert.False(t, see(NewSheet(world, []Given{moved}), domain.Spot{Place: 5, Device: 7}), "it stands outside now")
}

func TestATagNarrowsWithinOtherBounds(t *testing.T) {
	s := NewSheet(world, []Given{tagged(domain.AccessConfigure, 1)})
	kiosk := domain.Spot{Place: 3, Device: 7}
	pier := s.Within(domain.Grant{PlaceID: 2, Level: domain.AccessOperate}, "the token")
	assert.Equal(t, domain.AccessOperate, pier.Level(domain.AreaWatch, kiosk))
	assert.Empty(t, pier.Level(domain.AreaWatch, domain.At(4)))
	assert.Empty(t, pier.Level(domain.AreaWatch, domain.At(2)))
	assert.Equal(t, domain.AccessSee, s.AtMost(domain.AccessSee, "the browser").Level(domain.AreaWatch, kiosk))
	bound := s.Within(domain.Grant{PlaceID: 1, Level: domain.AccessSee, Tag: "day"}, "the token")
	assert.Empty(t, bound.Level(domain.AreaWatch, kiosk), "of a bound by a tag it is not known where it holds")
}

func TestNobodyCanGiveMoreThanHeHasByATag(t *testing.T) {
	s := NewSheet(world, []Given{tagged(domain.AccessAdminister, 1)})
	grant := domain.Grant{PlaceID: 3, Level: domain.AccessSee, Tag: "night"}
	assert.False(t, s.Includes(grant), "others there may get the tag later")
	assert.True(t, s.IncludesAt(grant, domain.Spot{Place: 3, Device: 7}))
	assert.True(t, NewSheet(world, []Given{given("shore", domain.AccessSee, 2)}).Includes(grant))
}

func TestWhyTellsOfTags(t *testing.T) {
	s := NewSheet(world, []Given{tagged(domain.AccessOperate, 1)})
	for _, c := range []struct {
		at    Asked
		level domain.Access
		asked string
		says  string
	}{
		{at(3), "", "Kiosks", "does not count: Kiosks does not carry the tag, unlike 1 device there or below"},
		{at(4), domain.AccessOperate, "Skerry House", "counts"},
		{Asked{domain.Spot{Place: 3, Device: 7}, "np-kiosk-7"}, domain.AccessOperate, "np-kiosk-7", "counts"},
		{Asked{domain.Spot{Place: 3, Device: 8}, "np-kiosk-8"}, "", "np-kiosk-8", "does not count: np-kiosk-8 does not carry the tag"},
		{Asked{domain.Spot{Place: 5, Device: 8}, "x"}, "", "x", "does not count: x does not lie below"},
	} {
		level, trace := s.Explain(domain.AreaWatch, c.at)
		assert.Equal(t, c.level, level)
		assert.Equal(t, "What is allowed of the area watch at "+c.asked+"?", trace.Question)
		assert.Equal(t, "The team helpers may operate at Kittiwake Line and below, of what carries the tag “night”", trace.Facts[0].Text)
		assert.Equal(t, c.says, trace.Facts[0].Detail)
	}
}

// slow is the plain meaning of a grant: it holds where one of the places on the way
// up is the place that it was given at, and, if it is for a tag, the tag is given there, to
// a place on the way up, or to the device.
func slow(places map[domain.ID]domain.Place, given []Given, area domain.Area, level domain.Access, spot domain.Spot) bool {
	at := spot.Place
	return slices.ContainsFunc(given, func(g Given) bool {
		if !g.Level.Allows(level) || len(g.Areas) > 0 && !slices.Contains(g.Areas, area) {
			return false
		}
		if _, itself := g.Holds.Devices[spot.Device]; g.Tag != "" && !itself && !g.Holds.Places[at] {
			return false
		}
		for p := at; ; p = places[p].ParentID {
			if p == g.PlaceID {
				return true
			}
			if p == 0 {
				return false
			}
		}
	})
}

func TestRandomTreesAgainstThePlainMeaning(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 26))
	for n := range 200 {
		var list []domain.Place
		byID := map[domain.ID]domain.Place{}
		for id := domain.ID(1); id <= 12; id++ {
			p := domain.Place{ID: id, ParentID: domain.ID(r.IntN(int(id))), Name: fmt.Sprint("place ", id)}
			list, byID[id] = append(list, p), p
		}
		// Device 100 and the number of its place stands there; every third carries the tag.
		holds := Holds{Places: map[domain.ID]bool{}, Devices: map[domain.ID]domain.ID{}}
		for id := domain.ID(1); id <= 12; id++ {
			holds.Places[id] = r.IntN(6) == 0 || holds.Places[byID[id].ParentID]
			if r.IntN(3) == 0 {
				holds.Devices[100+id] = id
			}
		}
		var grants []Given
		for range r.IntN(4) {
			g := given("any", domain.AllAccess()[r.IntN(4)], domain.ID(r.IntN(13)))
			if r.IntN(2) == 0 {
				g.Areas = []domain.Area{domain.AllAreas()[r.IntN(8)], domain.AllAreas()[r.IntN(8)]}
			}
			if r.IntN(2) == 0 {
				g.Tag, g.Holds = "night", holds
			}
			grants = append(grants, g)
		}
		s := NewSheet(NewTree(list), grants)
		for at := domain.ID(0); at <= 12; at++ {
			for _, area := range domain.AllAreas() {
				for _, level := range domain.AllAccess() {
					for _, spot := range []domain.Spot{domain.At(at), {Place: at, Device: 100 + at}} {
						plain := slow(byID, grants, area, level, spot)
						require.Equal(t, plain, s.May(area, level, spot), "%d: %v at %v of %s", n, grants, spot, area)
					}
				}
			}
		}
	}
}

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

func given(team string, level domain.Access, place domain.ID, areas ...domain.Area) Given {
	return Given{domain.Grant{PlaceID: place, Level: level, Areas: areas}, 1, "The team " + team}
}

func TestAGrantHoldsBelowItsPlaceAndNowhereElse(t *testing.T) {
	s := NewSheet(world, []Given{given("helpers", domain.AccessOperate, 2)})
	for place, may := range map[domain.ID]bool{0: false, 1: false, 2: true, 3: true, 4: false, 5: false} {
		assert.Equal(t, may, s.May(domain.AreaWatch, domain.AccessSee, place), place)
		assert.Equal(t, may, s.May(domain.AreaWatch, domain.AccessOperate, place), place)
		assert.False(t, s.May(domain.AreaWatch, domain.AccessConfigure, place), place)
	}
	assert.Equal(t, "2,3", s.Scope(domain.AreaRespond, domain.AccessSee).List())
}

func TestTheHighestOfSeveralGrantsHolds(t *testing.T) {
	s := NewSheet(world, []Given{
		given("all", domain.AccessSee, 0),
		given("helpers", domain.AccessConfigure, 2, domain.AreaRespond),
	})
	assert.Equal(t, domain.AccessSee, s.Level(domain.AreaRespond, 4))
	assert.Equal(t, domain.AccessConfigure, s.Level(domain.AreaRespond, 3))
	assert.Equal(t, domain.AccessSee, s.Level(domain.AreaWatch, 3))
	assert.True(t, s.Scope(domain.AreaWatch, domain.AccessSee).All())
}

func TestNobodyMayDoAnything(t *testing.T) {
	var nobody Actor
	assert.False(t, nobody.May(domain.AreaWatch, domain.AccessSee, 0))
	assert.True(t, nobody.Scope(domain.AreaWatch, domain.AccessSee).None())
	assert.Empty(t, NewSheet(world, nil).Level(domain.AreaRun, 1))
}

func TestBoundsTakeAwayAndNeverGive(t *testing.T) {
	s := NewSheet(world, []Given{given("shore", domain.AccessAdminister, 1), given("helpers", domain.AccessOperate, 2, domain.AreaWatch)})
	narrowed := s.Within(domain.Grant{PlaceID: 2, Level: domain.AccessConfigure, Areas: []domain.Area{domain.AreaWatch}}, "the token")
	assert.Equal(t, domain.AccessConfigure, narrowed.Level(domain.AreaWatch, 3))
	assert.Empty(t, narrowed.Level(domain.AreaWatch, 4))
	assert.Empty(t, narrowed.Level(domain.AreaRespond, 3))
	outside := s.Within(domain.Grant{PlaceID: 5, Level: domain.AccessAdminister}, "the token")
	assert.Empty(t, outside.Level(domain.AreaWatch, 5))
	assert.Equal(t, domain.AccessSee, s.AtMost(domain.AccessSee, "the browser").Level(domain.AreaRun, 4))
	// Of a bound on the whole tree what was granted at a place remains there.
	wide := s.Within(domain.Grant{Level: domain.AccessSee}, "the token")
	assert.Equal(t, "1,2,3,4", wide.Scope(domain.AreaWatch, domain.AccessSee).List())
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
	level, trace := s.Explain(domain.AreaWatch, 3)
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
	level, trace = NewSheet(world, nil).Explain(domain.AreaWatch, 0)
	assert.Empty(t, level)
	assert.Equal(t, "nothing", trace.Answer)
	require.Len(t, trace.Facts, 1)
	assert.Equal(t, "No team grants anything", trace.Facts[0].Text)
}

func TestWhyNamesNothingThatIsNotSeen(t *testing.T) {
	s := NewSheet(world, []Given{given("shore", domain.AccessConfigure, 1), given("strangers", domain.AccessSee, 5)})
	_, trace := s.ExplainTo(domain.AreaWatch, 3, func(p domain.ID) bool { return p == 1 })
	require.Len(t, trace.Facts, 2)
	assert.Equal(t, "The team shore may configure at Kittiwake Line and below", trace.Facts[0].Text)
	assert.Equal(t, "A team that you do not see may see at a place that you do not see", trace.Facts[1].Text)
	assert.Equal(t, "does not count", trace.Facts[1].Detail)
	_, trace = s.ExplainTo(domain.AreaWatch, 3, func(p domain.ID) bool { return p == 5 })
	assert.Equal(t, "counts", trace.Facts[0].Detail)
}

func TestTheApplicationMayDoEverything(t *testing.T) {
	a := Itself("a new start")
	assert.True(t, a.May(domain.AreaRun, domain.AccessAdminister, 0))
	_, trace := a.Explain(domain.AreaRun, 0)
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

// slow is the plain meaning of a grant: it holds where one of the places on the way
// up is the place that it was given at.
func slow(places map[domain.ID]domain.Place, given []Given, area domain.Area, level domain.Access, at domain.ID) bool {
	return slices.ContainsFunc(given, func(g Given) bool {
		if !g.Level.Allows(level) || len(g.Areas) > 0 && !slices.Contains(g.Areas, area) {
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
		var grants []Given
		for range r.IntN(4) {
			g := given("any", domain.AllAccess()[r.IntN(4)], domain.ID(r.IntN(13)))
			if r.IntN(2) == 0 {
				g.Areas = []domain.Area{domain.AllAreas()[r.IntN(8)], domain.AllAreas()[r.IntN(8)]}
			}
			grants = append(grants, g)
		}
		s := NewSheet(NewTree(list), grants)
		for at := domain.ID(0); at <= 12; at++ {
			for _, area := range domain.AllAreas() {
				for _, level := range domain.AllAccess() {
					require.Equal(t, slow(byID, grants, area, level, at), s.May(area, level, at), "%d: %v at %d of %s", n, grants, at, area)
				}
			}
		}
	}
}

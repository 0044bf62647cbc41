package inherit

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// Line (1) > Pier (2) > Kiosks (3); device 9 lies in the kiosks, part 70 in it.
var (
	linePlaces = []domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}, {ID: 3, ParentID: 2, Name: "Kiosks"}}
	lineSet    = []domain.Attribute{
		{PlaceID: 1, Name: "shift", Value: "day"},
		{PlaceID: 2, Name: "shift", Value: "night"},
		{PlaceID: 1, Name: "contact", Value: "shore desk"},
		{PlaceID: 1, Name: "harbour", Tag: true},
		{DeviceID: 9, Name: "role", Value: "standby"},
		{DeviceID: 9, Name: "contact"}, // nobody, whatever is set further up
		{DeviceID: 9, Name: "harbour", Value: "not the tag"},
		{PartID: 70, Name: "role", Value: "uplink"},
		{PartID: 70, Name: "spare", Tag: true},
	}
)

func saidOf(all []Attribute) (out []string) {
	for _, a := range all {
		s := a.Name + "=" + a.Value
		if a.Tag {
			s = "#" + a.Name
		}
		if a.Here {
			s += " here"
		}
		out = append(out, s)
	}
	return out
}

func TestAttributesHoldForAllBelow(t *testing.T) {
	a := NewAttributes(linePlaces, lineSet)
	for _, c := range []struct {
		at   Where
		want []string
	}{
		{Where{Place: 1}, []string{"contact=shore desk here", "shift=day here", "#harbour here"}},
		{Where{Place: 3}, []string{"contact=shore desk", "shift=night", "#harbour"}},
		{
			Where{Place: 3, Device: 9},
			[]string{"contact= here", "harbour=not the tag here", "role=standby here", "shift=night", "#harbour"},
		},
		{
			Where{Place: 3, Device: 9, Part: 70},
			[]string{"harbour=not the tag", "role=uplink here", "shift=night", "#harbour", "#spare here"},
		},
		{Where{Place: 3, Device: 8}, []string{"contact=shore desk", "shift=night", "#harbour"}},
		{Where{}, nil},
	} {
		assert.Equal(t, c.want, saidOf(a.Of(c.at)), "%+v", c.at)
	}
}

func TestAttributesSayWhereTheyComeFrom(t *testing.T) {
	all := NewAttributes(linePlaces, lineSet).Of(Where{Place: 3, Device: 9, Part: 70})
	i := slices.IndexFunc(all, func(a Attribute) bool { return a.Name == "role" })
	require.GreaterOrEqual(t, i, 0)
	role := all[i]
	assert.Equal(t, "Where does the attribute “role” come from?", role.Why.Question)
	assert.Equal(t, "set at the part itself", role.Why.Answer)
	require.Len(t, role.Replaces, 1)
	assert.Equal(t, Source{Device(9), "", "", "standby"}, role.Replaces[0])
	i = slices.IndexFunc(all, func(a Attribute) bool { return a.Name == "shift" })
	assert.Equal(t, "set at the place Pier", all[i].Why.Answer)
	assert.Equal(t, "It replaces what is set at the place Line", all[i].Why.Facts[1].Text)
}

func TestDevicesArePickedByWhatHoldsForThem(t *testing.T) {
	a := NewAttributes(linePlaces, append(slices.Clone(lineSet),
		domain.Attribute{DeviceID: 5, Name: "shift", Value: "night"}, domain.Attribute{DeviceID: 6, Name: "shift", Value: "none"}))
	p := a.Pick("shift", false, func(v string) bool { return v == "night" })
	slices.Sort(p.Places)
	assert.Equal(t, Picked{Places: []domain.ID{2, 3}, With: []domain.ID{5}, Without: []domain.ID{6}}, p)
	p = a.Pick("harbour", true, func(string) bool { return true })
	assert.Len(t, p.Places, 3)
	assert.Empty(t, p.With)
	assert.Empty(t, a.Pick("nothing", false, func(string) bool { return true }).Places)
}

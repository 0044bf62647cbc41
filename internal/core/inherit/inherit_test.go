package inherit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// line is organisation (1) > pier (2) > kiosks (3).
func line(overrides ...domain.Override) Tree {
	return NewTree(
		[]domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}, {ID: 3, ParentID: 2, Name: "Kiosks"}},
		overrides,
	)
}

func at(place, device domain.ID, value string) domain.Override {
	return domain.Override{PlaceID: place, DeviceID: device, Key: "x", Value: value}
}

func TestNearestHolds(t *testing.T) {
	tree := line(at(1, 0, "high"), at(2, 0, "middle"), at(0, 9, "own"), domain.Override{PlaceID: 3, Key: "y", Value: "another key"})
	for name, c := range map[string]struct {
		place, device domain.ID
		want, from    string
		replaces      int
	}{
		"its own":              {3, 9, "own", "", 2},
		"the nearest place":    {3, 8, "middle", "Pier", 1},
		"the top":              {1, 8, "high", "Line", 0},
		"a place by itself":    {3, 0, "middle", "Pier", 1},
		"a device of no place": {99, 8, "", "", 0},
	} {
		r := tree.Resolve(c.place, c.device, "x", nil)
		assert.Equal(t, c.want, r.Value, name)
		assert.Equal(t, c.from, r.Name, name)
		assert.Equal(t, c.want != "", r.Set, name)
		assert.Len(t, r.Replaces, c.replaces, name)
		assert.NotEmpty(t, r.Why.Answer, name)
		assert.NotEmpty(t, r.Why.Facts, name)
	}
	assert.True(t, tree.Resolve(3, 9, "x", nil).Own())
	assert.False(t, tree.Resolve(3, 8, "x", nil).Own())
}

func TestWhatCannotHoldIsLeftOut(t *testing.T) {
	tree := line(at(1, 0, "high"), at(2, 0, "middle"))
	r := tree.Resolve(3, 0, "x", func(v string) bool { return v != "middle" })
	assert.Equal(t, "high", r.Value)
	assert.Equal(t, "Left out: set at the place Pier", r.Why.Facts[0].Text)
	assert.Equal(t, "set at the place Line", r.Why.Answer)
}

func TestLoopsOfPlacesEnd(t *testing.T) {
	tree := NewTree([]domain.Place{{ID: 1, ParentID: 2}, {ID: 2, ParentID: 1}}, nil)
	assert.False(t, tree.Resolve(1, 5, "x", nil).Set)
}

func TestGateways(t *testing.T) {
	gateway := func(place, device domain.ID, through string) domain.Override {
		return domain.Override{PlaceID: place, DeviceID: device, Key: domain.SettingGateway, Value: through}
	}
	tree := line(gateway(1, 0, "100"), gateway(2, 0, "200"), gateway(0, 6, "7"))
	for _, c := range []struct {
		device domain.Device
		want   domain.ID
		from   string
	}{
		{domain.Device{ID: 5, PlaceID: 3}, 200, "Pier"},
		{domain.Device{ID: 6, PlaceID: 3}, 7, ""},
		{domain.Device{ID: 200, PlaceID: 2}, 100, "Line"}, // goes through the one above
		{domain.Device{ID: 100, PlaceID: 1}, 0, ""},
	} {
		id, r := tree.Gateway(c.device)
		assert.Equal(t, c.want, id)
		assert.Equal(t, c.from, r.Name)
	}
	_, r := tree.Gateway(domain.Device{ID: 6, PlaceID: 3})
	require.Len(t, r.Replaces, 2)
	assert.Equal(t, "200", r.Replaces[0].Value)
}

// Each fact leads to where the value was set.
func TestFactsLeadToWhereItWasSet(t *testing.T) {
	tree := line(at(1, 0, "high"), at(0, 9, "own"))
	r := tree.Resolve(3, 9, "x", nil)
	require.Len(t, r.Why.Facts, 2)
	assert.Equal(t, why.To("device", 9), r.Why.Facts[0].Ref)
	assert.Equal(t, why.To("place", 1), r.Why.Facts[1].Ref)
}

func TestReachIsWhereAValueWouldHold(t *testing.T) {
	tree := line(at(3, 0, "kiosks keep theirs"), at(0, 9, "so does this device"), domain.Override{PlaceID: 2, Key: "y", Value: "other"})
	assert.Equal(t, Reach{
		Places:  []domain.ID{1, 2},
		Without: []domain.ID{9},
		Keep:    []domain.Place{{ID: 3, ParentID: 2, Name: "Kiosks"}},
	}, tree.Reach(Place(1), "x"))
	assert.Equal(t, Reach{Places: []domain.ID{3}, Without: []domain.ID{9}}, tree.Reach(Place(3), "x"), "its own value is replaced")
	assert.Equal(t, Reach{Places: []domain.ID{2, 3}}, tree.Reach(Place(2), "y"))
	assert.Equal(t, Reach{Device: 9}, tree.Reach(Device(9), "x"))
	assert.Equal(t, Reach{}, tree.Reach(Place(77), "z"))
}

func TestTheStretchOfADevice(t *testing.T) {
	set := func(place, device domain.ID, value string) domain.Override {
		return domain.Override{PlaceID: place, DeviceID: device, Key: domain.SettingStretch, Value: value}
	}
	tree := line(set(1, 0, "2"), set(3, 0, "nonsense"), set(0, 9, "0.5"))
	stretch, from := tree.Stretch(domain.Device{ID: 9, PlaceID: 3})
	assert.Equal(t, 0.5, stretch)
	assert.Equal(t, "set at the device itself", from.Why.Answer)
	stretch, from = tree.Stretch(domain.Device{ID: 8, PlaceID: 3})
	assert.Equal(t, 2.0, stretch, "what is no stretch cannot hold")
	assert.Equal(t, "set at the place Line", from.Why.Answer)
	stretch, from = line().Stretch(domain.Device{ID: 8, PlaceID: 3})
	assert.Equal(t, 1.0, stretch)
	assert.False(t, from.Set)
}

func TestTheCredentialOfADevice(t *testing.T) {
	key := domain.SettingCredential("snmp")
	tree := line(domain.Override{PlaceID: 1, Key: key, Value: "40"}, domain.Override{PlaceID: 2, Key: key, Value: "41"})
	d := domain.Device{ID: 9, PlaceID: 3}
	id, from := tree.Credential(d, "snmp", 0)
	assert.Equal(t, domain.ID(41), id)
	assert.Equal(t, "set at the place Pier", from.Why.Answer)
	id, from = tree.Credential(d, "snmp", 7)
	assert.Equal(t, domain.ID(7), id, "that of its endpoint")
	assert.Equal(t, "set at the device itself", from.Why.Answer)
	assert.Len(t, from.Replaces, 2)
	id, _ = tree.Credential(d, "tcp", 0)
	assert.Zero(t, id)
}

func TestPlacesOutOfSightHaveNoNames(t *testing.T) {
	tree := line(at(1, 0, "high")).SeenBy(func(place domain.ID) bool { return place == 3 })
	assert.Equal(t, "set at the place further up", tree.Resolve(3, 0, "x", nil).Why.Answer)
	assert.Equal(t, "set at the place Line", line(at(1, 0, "high")).Resolve(3, 0, "x", nil).Why.Answer)
}

// Line (1) > Pier (2); device 7 on the pier holds the tags kiosk and old, device 8 none.
func TestWhatIsSetForDevicesWithATag(t *testing.T) {
	const every Key = "every:power:whole"
	tags := map[domain.ID][]string{7: {"kiosk", "old"}}
	tree := func(set ...domain.Override) Tree {
		return NewTree([]domain.Place{{ID: 1, Name: "Line"}, {ID: 2, ParentID: 1, Name: "Pier"}}, set).
			Holding(func(d domain.Device) []string { return tags[d.ID] })
	}
	set := func(place domain.ID, key Key, value string) domain.Override {
		return domain.Override{PlaceID: place, Key: key, Value: value}
	}
	line, lineKiosk := set(1, every, "1m"), set(1, every+"#kiosk", "2m")
	for name, c := range map[string]struct {
		set   []domain.Override
		want  string
		where string
	}{
		"the tag goes before the place": {[]domain.Override{line, lineKiosk}, "2m", "set at the place Line for devices with the tag kiosk"},
		"the nearer place goes before the tag further up": {
			[]domain.Override{line, lineKiosk, set(2, every, "3m")}, "3m", "set at the place Pier"},
		"of two tags, the first by name": {[]domain.Override{set(1, every+"#old", "5m"), lineKiosk}, "2m", "with the tag kiosk"},
		"the device itself goes before all": {
			[]domain.Override{lineKiosk, {DeviceID: 7, Key: every, Value: "9s"}}, "9s", "the device itself"},
		"a tag that it does not hold": {[]domain.Override{line, set(2, every+"#new", "4m")}, "1m", "set at the place Line"},
	} {
		r := tree(c.set...).Resolve(2, 7, every, nil)
		assert.Equal(t, c.want, r.Value, name)
		assert.Contains(t, r.Source.Where(), c.where, name)
	}
	both := tree(line, lineKiosk)
	assert.Equal(t, "1m", both.Resolve(2, 8, every, nil).Value)
	assert.Equal(t, "1m", both.Resolve(2, 0, every, nil).Value, "a place holds no tags")
	assert.Equal(t, []Source{{Place(1), "Line", "", "1m"}}, both.Resolve(2, 7, every, nil).Replaces)
	assert.Equal(t, []Key{every}, both.Untagged("power"))

	devices := []domain.Device{{ID: 7, PlaceID: 2}, {ID: 8, PlaceID: 2}}
	some, ok := both.Narrowed(line, devices)
	assert.True(t, ok)
	assert.Equal(t, devices[1:], some, "what is set for the kiosk stays")
	some, ok = tree().Narrowed(lineKiosk, devices)
	assert.True(t, ok)
	assert.Equal(t, devices[:1], some)
	_, ok = tree(line).Narrowed(line, devices)
	assert.False(t, ok)
}

package identity

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func addr(s string) netip.Addr { return netip.MustParseAddr(s) }

func TestMerge(t *testing.T) {
	in := []Responder{
		{Address: addr("192.0.2.9"), EngineID: "aa", Name: "core"},
		{Address: addr("192.0.2.1"), EngineID: "aa", Name: "core"},
		{Address: addr("192.0.2.2"), EngineID: "bb", Name: "edge"},
		{Address: addr("192.0.2.3"), Name: "old", ObjectID: "1.3", Own: []netip.Addr{addr("192.0.2.4")}},
		{Address: addr("192.0.2.4"), Name: "old", ObjectID: "1.3"},
		{Address: addr("192.0.2.5"), Name: "other", ObjectID: "1.3", Own: []netip.Addr{addr("192.0.2.2")}},
	}
	groups := Merge(in)
	require.Len(t, groups, 4)
	assert.Equal(t, []int{1, 0}, groups[0].Members, "lowest address first")
	assert.Contains(t, groups[0].Why.Facts[0].Text, "engine id")
	assert.Equal(t, []int{2}, groups[1].Members)
	assert.Equal(t, "one device with 2 addresses", groups[0].Why.Answer)
	assert.Equal(t, "one device with one address", groups[1].Why.Answer)
	assert.Equal(t, []int{3, 4}, groups[2].Members)
	assert.Equal(t, []int{5}, groups[3].Members, "another name is another device, whatever it claims")
	assert.Equal(t, "engine:aa", in[0].Key())
	assert.Equal(t, "address:192.0.2.4", in[4].Key())
}

// Images of machines are copied with their engine ids: what has another serial
// number or another name is another machine, and people are told of the doubt.
func TestCopiesAreToldApart(t *testing.T) {
	in := []Responder{
		{Address: addr("192.0.2.1"), EngineID: "aa", Name: "web-1"},
		{Address: addr("192.0.2.2"), EngineID: "aa", Name: "web-2"},
		{Address: addr("192.0.2.3"), EngineID: "aa", Name: "WEB-1"},
		{Address: addr("192.0.2.4"), EngineID: "bb", Name: "db", Serial: "S1"},
		{Address: addr("192.0.2.5"), EngineID: "bb", Name: "db", Serial: "S2"},
		{Address: addr("192.0.2.6"), EngineID: "bb", Name: "db-old", Serial: "S1"},
		{Address: addr("192.0.2.7"), EngineID: "cc", Name: "a", Own: []netip.Addr{addr("192.0.2.8")}},
		{Address: addr("192.0.2.8"), EngineID: "cc", Name: "b"},
	}
	groups := Merge(in)
	var members [][]int
	for _, g := range groups {
		members = append(members, g.Members)
	}
	assert.Equal(t, [][]int{{0, 2}, {1}, {3, 5}, {4}, {6, 7}}, members)
	assert.Equal(t, "It shows the engine id of web-1 at 192.0.2.1, and has another name: one may be a copy of the other.", groups[1].Doubt)
	assert.Contains(t, groups[0].Doubt, "web-2")
	assert.Contains(t, groups[3].Doubt, "another serial number")
	assert.Empty(t, groups[4].Doubt, "it lists the other's address as its own")
	assert.Equal(t, "engine:aa name:web-2", groups[1].Key(in))
	assert.Equal(t, "engine:cc", groups[4].Key(in))
}

// Two addresses of a router without an engine id, as version 1 answers, and another of the same
// make.
func TestTheSerialNumberTellsDevices(t *testing.T) {
	router := func(address, serial string) Responder {
		return Responder{Address: netip.MustParseAddr(address), Name: "edge", ObjectID: "1.3.6.1.4.1.32473.1.10", Serial: serial}
	}
	groups := Merge([]Responder{router("192.0.2.1", "BR-0042"), router("192.0.2.2", "BR-0043"), router("198.51.100.1", "BR-0042")})
	require.Len(t, groups, 2)
	assert.Equal(t, []int{0, 2}, groups[0].Members)
	assert.Equal(t, "192.0.2.1 and 198.51.100.1 show the same serial number", groups[0].Why.Facts[0].Text)
	other := router("203.0.113.1", "BR-0042")
	other.ObjectID = "1.3.6.1.4.1.32473.9.9"
	assert.Len(t, Merge([]Responder{router("192.0.2.1", "BR-0042"), other}), 2, "two makers may count alike")
}

func TestSerialNumbersThatManyHaveTellNothing(t *testing.T) {
	for _, s := range []string{"", "0", "0000000", "XXXXXX", "None", "N/A", "To be filled by O.E.M.", "0123456789", "12345678", "S 7"} {
		assert.Empty(t, realSerial(s), s)
	}
	for _, s := range []string{"BR-0042", "98765432", "00000001", "KL 7123"} {
		assert.Equal(t, s, realSerial(s))
	}
}

func TestVirtualAddressesAreThoseThatAnybodyShares(t *testing.T) {
	shared := netip.MustParseAddr("192.0.2.254")
	v := Virtual([]Responder{{Address: netip.MustParseAddr("192.0.2.1"), Shared: []netip.Addr{shared}}, {Address: shared}})
	assert.Equal(t, map[netip.Addr]bool{shared: true}, v)
}

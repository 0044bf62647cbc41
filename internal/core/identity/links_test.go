package identity

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func thing(name, address string, hardware ...string) Thing {
	return Thing{[]Answer{{Responder: Responder{Name: name, Address: netip.MustParseAddr(address)}, Hardware: hardware}}}
}

// A core switch, two switches at it, and a server at one of those:
//
//	core port1 ─ a up, core port2 ─ b up, a port7 ─ server
func harbour() []Thing {
	core, a := thing("core", "192.0.2.1", "00:00:5e:00:53:01"), thing("a", "192.0.2.2", "00:00:5e:00:53:02")
	b, server := thing("b", "192.0.2.3", "00:00:5e:00:53:03"), thing("server", "192.0.2.4", "00:00:5e:00:53:04")
	core.Answers[0].Neighbours = []Neighbour{
		{Port: "port1", Name: "a", Chassis: "00:00:5e:00:53:02", RemotePort: "up"},
		{Port: "port2", Name: "other name", Chassis: "unknown", RemotePort: "up",
			Addresses: []netip.Addr{netip.MustParseAddr("192.0.2.3")}},
		{Port: "port3", Name: "SERVER", Chassis: "x"},
		{Port: "port4", Chassis: "00:00:5e:00:53:99", RemotePort: "eth0"},
	}
	core.Answers[0].Stations = []Station{{"port1", "00:00:5e:00:53:02"}, {"port1", "00:00:5e:00:53:04"}, {"port9", "00:00:5e:00:53:03"}}
	a.Answers[0].Stations = []Station{{"port7", "00:00:5e:00:53:04"}, {"up", "00:00:5e:00:53:01"}, {"up", "00:00:5e:00:53:03"},
		{"port8", "00:00:5e:00:53:77"}, {"port7", "00:00:5e:00:53:02"}}
	return []Thing{core, a, b, server}
}

func TestWhatStandsNextToWhat(t *testing.T) {
	type link struct {
		from, to            int
		port, name, otherly string
	}
	var got []link
	var why []string
	for _, l := range Links(harbour()) {
		got, why = append(got, link{l.From, l.To, l.Port, l.Name, l.RemotePort}), append(why, l.Why)
	}
	assert.Equal(t, []link{
		{0, 1, "port1", "a", "up"}, {0, 2, "port2", "other name", "up"}, {0, 3, "port3", "SERVER", ""},
		{0, -1, "port4", "00:00:5e:00:53:99", "eth0"}, {0, 2, "port9", "", ""},
		{1, 3, "port7", "", ""}, // at “up” it hears two, and tells of none
	}, got)
	assert.Contains(t, why[0], "the hardware address 00:00:5e:00:53:02")
	assert.Contains(t, why[1], "the address 192.0.2.3")
	assert.Contains(t, why[2], "calls itself so")
	assert.Equal(t, "it says so (LLDP)", why[3])
	assert.Contains(t, why[5], "it hears this one alone there")
}

// Two of one name, or of one hardware address, cannot be told apart by it.
func TestWhatIsNotUniqueLeadsNowhere(t *testing.T) {
	things := append(harbour(), thing("server", "192.0.2.9", "00:00:5e:00:53:02"))
	links := Links(things)
	assert.Equal(t, 1, links[0].To, "by name, since two show the hardware address")
	assert.Equal(t, -1, links[2].To)
	things[0].Answers = append(things[0].Answers, things[0].Answers[0])
	assert.Len(t, Links(things), len(links), "what two addresses of a device say is said once")
	assert.Empty(t, Links(nil))
}

func TestNeighboursAreCleaned(t *testing.T) {
	a := Answer{Neighbours: make([]Neighbour, 2000), Stations: make([]Station, 9000), Hardware: make([]string, 2000)}
	a.Neighbours[0] = Neighbour{Name: "\x1b[31m" + strings.Repeat("x", 900), Addresses: make([]netip.Addr, 50)}
	a.Stations[0].Port = "\x00port"
	a = a.Cleaned()
	assert.Len(t, a.Neighbours, 1000)
	assert.Len(t, a.Stations, 2000)
	assert.Len(t, a.Hardware, 1000)
	assert.LessOrEqual(t, len(a.Neighbours[0].Name), 200)
	assert.NotContains(t, a.Neighbours[0].Name+a.Stations[0].Port, "\x1b")
	assert.Len(t, a.Neighbours[0].Addresses, 8)
}

package probe

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/mib"
)

func under(root mib.OID, rest ...uint32) mib.OID { return append(append(mib.OID{}, root...), rest...) }

func number(oid mib.OID, n int64) mib.Variable {
	return mib.Variable{OID: oid, Value: mib.Value{Type: mib.Integer, Int: n}}
}

func octets(oid mib.OID, b string) mib.Variable {
	return mib.Variable{OID: oid, Value: mib.Value{Type: mib.Octets, Bytes: []byte(b)}}
}

// Rows of lldpRemTable are named by time, local port and a number; columns come one after the other
// (IEEE 802.1AB). The first neighbour is known by its hardware address and the name of its port, the
// second by an IPv4 address (family 1) and the hardware address of its port, which a description
// says better.
func TestWhatLLDPTells(t *testing.T) {
	const mac = "\x00\x00\x5e\x00\x53\x07"
	remote := []mib.Variable{
		number(under(lldpRem, 4, 100, 3, 1), 4), number(under(lldpRem, 4, 100, 9, 2), 5),
		octets(under(lldpRem, 5, 100, 3, 1), mac), octets(under(lldpRem, 5, 100, 9, 2), "\x01\xc0\x00\x02\x09"),
		number(under(lldpRem, 6, 100, 3, 1), 5), number(under(lldpRem, 6, 100, 9, 2), 3),
		octets(under(lldpRem, 7, 100, 3, 1), "port24"), octets(under(lldpRem, 7, 100, 9, 2), mac),
		octets(under(lldpRem, 8, 100, 3, 1), "uplink"), octets(under(lldpRem, 8, 100, 9, 2), "eth7"),
		octets(under(lldpRem, 9, 100, 3, 1), "np-sw-1"),
		octets(under(lldpRem, 9, 100, 3), "a row that is none"),
	}
	addresses := []mib.Variable{
		number(under(lldpRemAddress, 100, 3, 1, 1, 4, 192, 0, 2, 7), 2),
		number(under(lldpRemAddress, 100, 3, 1, 1, 4, 192, 0, 2, 999), 2),
		number(under(lldpRemAddress, 100, 3, 1, 1, 5, 192, 0, 2, 8), 2),
		number(under(lldpRemAddress, 100, 8, 1, 1, 4, 192, 0, 2, 8), 2), // of no neighbour
		number(under(lldpRemAddress, 100, 9, 2, 6, 6, 0, 0, 94, 0, 83, 7), 2),
	}
	local := []mib.Variable{
		number(under(lldpLocPort, 2, 3), 5), octets(under(lldpLocPort, 3, 3), "port3"), octets(under(lldpLocPort, 4, 3), "to the pier"),
	}
	assert.Equal(t, []identity.Neighbour{
		{Port: "port3", Name: "np-sw-1", Chassis: "00:00:5e:00:53:07", RemotePort: "port24",
			Addresses: []netip.Addr{netip.MustParseAddr("192.0.2.7")}},
		{Port: "port 9", Chassis: "192.0.2.9", RemotePort: "eth7"},
	}, neighboursOf(remote, addresses, local))
	assert.Empty(t, neighboursOf(nil, addresses, local))
}

// Row .a.b.c.d.e.f of the table is a hardware address, with the port as its value; those of virtual
// networks have the number of the network before. A port at which nine are heard leads elsewhere.
func TestWhatABridgeHasHeard(t *testing.T) {
	heard := []mib.Variable{
		number(under(heardAt, 0, 0, 94, 0, 83, 7), 3), number(under(heardAt, 0, 0, 94, 0, 83, 8), 0),
		number(under(heardAt, 0, 0, 94, 0, 83), 3), number(under(heardAt, 9, 0, 0, 94, 0, 83, 9), 4),
	}
	for i := range uint32(9) {
		heard = append(heard, number(under(heardAt, 0, 0, 94, 0, 84, i), 1))
	}
	assert.Equal(t, []identity.Station{{Port: "port3", Hardware: "00:00:5e:00:53:07"}, {Port: "port 4", Hardware: "00:00:5e:00:53:09"}},
		stationsOf(heard, heardAt, map[uint32]string{3: "port3"}))
}

// A port that is known by its hardware address is called as it is described.
func TestHowADeviceCallsItsPorts(t *testing.T) {
	names := portNames([]mib.Variable{
		number(under(lldpLocPort, 2, 1), 3), number(under(lldpLocPort, 2, 2), 7),
		octets(under(lldpLocPort, 3, 1), "\x00\x00\x5e\x00\x53\x01"), octets(under(lldpLocPort, 3, 2), "2"),
		octets(under(lldpLocPort, 4, 1), "eth1"), octets(under(lldpLocPort, 4, 2), "second"),
		octets(under(lldpLocPort, 3), "none"),
	})
	assert.Equal(t, map[uint32]string{1: "eth1", 2: "2"}, names)
	assert.Equal(t, "port 5", portName(names, 5))
	assert.Empty(t, hardwareOf(make([]byte, 6)), "of nothing")
	assert.Empty(t, hardwareOf([]byte{1, 2, 3}))
}

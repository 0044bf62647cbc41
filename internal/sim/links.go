package sim

import (
	"fmt"
	"strings"

	"github.com/gosnmp/gosnmp"
)

const (
	mibLLDPLocal  = "1.0.8802.1.1.2.1.3.7.1."
	mibLLDPRemote = "1.0.8802.1.1.2.1.4.1.1."
	mibLLDPManage = "1.0.8802.1.1.2.1.4.2.1.3."
	mibBridge     = "1.3.6.1.2.1.17."
)

// talkers are the kinds that tell their neighbours of themselves (LLDP).
var talkers = map[string]bool{"switch": true, "router": true, "firewall": true, "access point": true, "gateway": true}

// cable is a connection of a device to what it is reached through.
type cable struct {
	up, down         *Device
	upPort, downPort int // places among their ports, from 1 as in ifIndex
}

// connect lets devices tell what stands next to them: network devices by LLDP, switches by what
// they have heard at their ports as well.
func (e *Estate) connect() {
	below, next := map[*Device][]cable{}, map[*Device]int{}
	for _, d := range e.Devices {
		up := e.byName[d.Via]
		if up == nil || len(d.ports) == 0 || !talkers[up.Kind] {
			continue
		}
		next[up]++
		c := cable{up, d, up.port(next[up] + 1), d.port(1)}
		if c.upPort == 0 || c.downPort == 0 {
			continue // it has no port left
		}
		below[up] = append(below[up], c)
	}
	for up, cables := range below {
		for _, c := range cables {
			if talkers[c.down.Kind] {
				c.up.neighbour(c.upPort, c.down, c.downPort)
				c.down.neighbour(c.downPort, c.up, c.upPort)
			}
		}
		if up.Kind == "switch" {
			up.bridge(cables, below)
		}
	}
}

// port is the place of the n-th port that has a cable; 0 for none.
func (d *Device) port(n int) int {
	for i, p := range d.ports {
		if p.kind == 6 {
			if n--; n == 0 {
				return i + 1
			}
		}
	}
	return 0
}

// neighbour puts in what is heard by LLDP at a port (IEEE 802.1AB).
func (d *Device) neighbour(port int, other *Device, otherPort int) {
	const macAddress, interfaceName = 4, 5
	tr, local := &d.tree, fmt.Sprint(port)
	if !d.told[port] {
		tr.number(mibLLDPLocal+"2."+local, gosnmp.Integer, interfaceName)
		tr.text(mibLLDPLocal+"3."+local, d.ports[port-1].name)
		tr.text(mibLLDPLocal+"4."+local, d.ports[port-1].alias)
	}
	if d.told == nil {
		d.told = map[int]bool{}
	}
	d.told[port] = true
	row := fmt.Sprintf("100.%d.%d", port, len(d.told))
	tr.number(mibLLDPRemote+"4."+row, gosnmp.Integer, macAddress)
	tr.text(mibLLDPRemote+"5."+row, other.hardware(other.ports[otherPort-1], uint64(otherPort)))
	tr.number(mibLLDPRemote+"6."+row, gosnmp.Integer, interfaceName)
	tr.text(mibLLDPRemote+"7."+row, other.ports[otherPort-1].name)
	tr.text(mibLLDPRemote+"8."+row, other.ports[otherPort-1].alias)
	tr.text(mibLLDPRemote+"9."+row, other.Name)
	tr.number(mibLLDPManage+row+".1.4."+other.Address.String(), gosnmp.Integer, 2)
}

// bridge puts in what a switch has heard at its ports (RFC 4188): all that is behind each.
func (d *Device) bridge(cables []cable, below map[*Device][]cable) {
	tr := &d.tree
	tr.number(mibBridge+"1.2.0", gosnmp.Integer, uint64(len(d.ports)-1))
	for i, p := range d.ports {
		if p.kind == 6 {
			tr.number(fmt.Sprintf("%s1.4.1.2.%d", mibBridge, i), gosnmp.Integer, uint64(i+1))
		}
	}
	for _, c := range cables {
		c.down.heardBehind(below, func(hardware string) {
			var row []string
			for _, b := range []byte(hardware) {
				row = append(row, fmt.Sprint(b))
			}
			name := mibBridge + "4.3.1.2." + strings.Join(row, ".")
			tr.number(name, gosnmp.Integer, uint64(c.upPort-1))
		})
	}
}

// heardBehind gives the hardware address of a device and of all that is reached through it.
func (d *Device) heardBehind(below map[*Device][]cable, give func(string)) {
	if n := d.port(1); n > 0 {
		give(d.hardware(d.ports[n-1], uint64(n)))
	}
	for _, c := range below[d] {
		c.down.heardBehind(below, give)
	}
}

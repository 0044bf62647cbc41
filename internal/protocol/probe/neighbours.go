package probe

import (
	"context"
	"net"
	"net/netip"
	"strconv"
	"strings"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/protocol/snmp"
)

// Where devices tell what stands next to them.
var (
	ifPhysAddress  = mib.OID{1, 3, 6, 1, 2, 1, 2, 2, 1, 6}
	ifName         = mib.OID{1, 3, 6, 1, 2, 1, 31, 1, 1, 1, 1}
	lldpLocPort    = mib.OID{1, 0, 8802, 1, 1, 2, 1, 3, 7, 1}    // IEEE 802.1AB, by port
	lldpRem        = mib.OID{1, 0, 8802, 1, 1, 2, 1, 4, 1, 1}    // by time, port and a number
	lldpRemAddress = mib.OID{1, 0, 8802, 1, 1, 2, 1, 4, 2, 1, 3} // by time, port, a number, type and address
	basePort       = mib.OID{1, 3, 6, 1, 2, 1, 17, 1, 4, 1, 2}   // dot1dBasePortIfIndex, RFC 4188
	heardAt        = mib.OID{1, 3, 6, 1, 2, 1, 17, 4, 3, 1, 2}   // dot1dTpFdbPort, by hardware address
	heardIn        = mib.OID{1, 3, 6, 1, 2, 1, 17, 7, 1, 2, 2, 1, 2}
	// What a device has, told by one object of each.
	upsIdent   = "1.3.6.1.2.1.33.1.1.1.0"
	printers   = "1.3.6.1.2.1.43.5.1.1.1.1"
	bridgePort = "1.3.6.1.2.1.17.1.2.0"
)

// The most that is read of each.
const (
	mostPorts = 2_000
	mostHeard = 5_000
)

// below reads what an agent has below an object, up to so much; nothing where that fails.
func (p Prober) below(ctx context.Context, t snmp.Target, root mib.OID, most int) []mib.Variable {
	piece, err := p.SNMP.Subtree(ctx, t, root, nil, most)
	if err != nil && len(piece.Variables) == 0 {
		return nil
	}
	return piece.Variables
}

// neighbours reads what stands next to a device, as LLDP tells it and as a bridge has heard it.
func (p Prober) neighbours(ctx context.Context, t snmp.Target, a *identity.Answer) {
	values, err := p.SNMP.Get(ctx, t, []string{upsIdent, bridgePort, printers})
	if err != nil {
		return
	}
	for i, fact := range []string{"mib:ups", "mib:bridge", "mib:printer"} {
		if values[i].Kind != 0 {
			a.Facts = append(a.Facts, fact)
		}
	}
	for _, v := range p.below(ctx, t, ifPhysAddress, mostPorts) {
		if hardware := hardwareOf(v.Value.Bytes); hardware != "" {
			a.Hardware = append(a.Hardware, hardware)
		}
	}
	if remote := p.below(ctx, t, lldpRem, 12*mostPorts); len(remote) > 0 {
		a.Facts = append(a.Facts, "mib:lldp")
		a.Neighbours = neighboursOf(remote, p.below(ctx, t, lldpRemAddress, mostPorts), p.below(ctx, t, lldpLocPort, 3*mostPorts))
	}
	if n, _ := values[1].Number(); n > 0 {
		p.stations(ctx, t, a)
	}
}

// hardwareOf writes a hardware address; empty for what is none, or that of nothing.
func hardwareOf(b []byte) string {
	if len(b) != 6 || b[0]|b[1]|b[2]|b[3]|b[4]|b[5] == 0 {
		return ""
	}
	return net.HardwareAddr(b).String()
}

// remotePort is where a row of lldpRemTable stands: its local port and its number.
type remotePort struct{ port, number uint32 }

// neighboursOf puts together what LLDP tells.
func neighboursOf(remote, addresses, local []mib.Variable) (out []identity.Neighbour) {
	ports := portNames(local)
	place := map[remotePort]int{}
	kinds := map[remotePort][2]int64{} // of chassis and port ids
	for _, v := range remote {
		rest := v.OID[len(lldpRem):]
		if len(rest) != 4 {
			continue
		}
		at := remotePort{rest[2], rest[3]}
		i, ok := place[at]
		if !ok {
			i, place[at] = len(out), len(out)
			out = append(out, identity.Neighbour{Port: portName(ports, rest[2])})
		}
		kind := kinds[at]
		switch rest[0] {
		case 4: // lldpRemChassisIdSubtype
			kind[0] = v.Value.Int
		case 5:
			out[i].Chassis = idText(kind[0] == 4, kind[0] == 5, v.Value.Bytes)
		case 6: // lldpRemPortIdSubtype
			kind[1] = v.Value.Int
		case 7:
			out[i].RemotePort = idText(kind[1] == 3, kind[1] == 4, v.Value.Bytes)
		case 8: // lldpRemPortDesc says it better than a hardware address
			if kind[1] == 3 && len(v.Value.Bytes) > 0 {
				out[i].RemotePort = mib.Plain(v.Value.Bytes)
			}
		case 9:
			out[i].Name = mib.Plain(v.Value.Bytes)
		}
		kinds[at] = kind
	}
	for _, v := range addresses {
		rest := v.OID[len(lldpRemAddress):]
		if len(rest) < 5 {
			continue
		}
		if i, ok := place[remotePort{rest[1], rest[2]}]; ok {
			if address, ok := managementAddress(rest[3:]); ok {
				out[i].Addresses = append(out[i].Addresses, address)
			}
		}
	}
	return out
}

// idText writes an id of LLDP, which may be a hardware address, a network address with its family
// before it, or text.
func idText(hardware, network bool, b []byte) string {
	if text := hardwareOf(b); hardware && text != "" {
		return text
	}
	if network && len(b) > 1 {
		if a, ok := netip.AddrFromSlice(b[1:]); ok {
			return a.String()
		}
	}
	return mib.Plain(b)
}

// managementAddress reads a type, a length and the bytes of an address: 1 is IPv4, 2 IPv6.
func managementAddress(index mib.OID) (netip.Addr, bool) {
	if index[0] != 1 && index[0] != 2 || int(index[1]) != len(index)-2 {
		return netip.Addr{}, false
	}
	var bytes []byte
	for _, n := range index[2:] {
		if n > 255 {
			return netip.Addr{}, false
		}
		bytes = append(bytes, byte(n))
	}
	return netip.AddrFromSlice(bytes)
}

// portNames are what a device calls its own ports (lldpLocPortTable).
func portNames(local []mib.Variable) map[uint32]string {
	names, kinds := map[uint32]string{}, map[uint32]int64{}
	for _, v := range local {
		rest := v.OID[len(lldpLocPort):]
		if len(rest) != 2 {
			continue
		}
		switch port := rest[1]; rest[0] {
		case 2: // lldpLocPortIdSubtype
			kinds[port] = v.Value.Int
		case 3:
			names[port] = idText(kinds[port] == 3, kinds[port] == 4, v.Value.Bytes)
		case 4: // lldpLocPortDesc
			if (kinds[port] == 3 || names[port] == "") && len(v.Value.Bytes) > 0 {
				names[port] = mib.Plain(v.Value.Bytes)
			}
		}
	}
	return names
}

func portName(names map[uint32]string, port uint32) string {
	if name := strings.TrimSpace(names[port]); name != "" {
		return name
	}
	return "port " + strconv.FormatUint(uint64(port), 10)
}

// stations reads what a bridge has heard at its ports: with virtual networks apart, or without.
func (p Prober) stations(ctx context.Context, t snmp.Target, a *identity.Answer) {
	heard := p.below(ctx, t, heardAt, mostHeard)
	root := heardAt
	if len(heard) == 0 {
		heard, root = p.below(ctx, t, heardIn, mostHeard), heardIn
	}
	if len(heard) == 0 {
		return
	}
	names := map[uint32]string{}
	for _, v := range p.below(ctx, t, ifName, mostPorts) {
		names[v.OID[len(v.OID)-1]] = mib.Plain(v.Value.Bytes)
	}
	ports := map[uint32]string{}
	for _, v := range p.below(ctx, t, basePort, mostPorts) {
		ports[v.OID[len(v.OID)-1]] = names[uint32(v.Value.Int)]
	}
	a.Stations = stationsOf(heard, root, ports)
}

// atPort is how many hardware addresses may be heard at a port at which something stands by itself:
// more of them are behind another switch.
const atPort = 8

// stationsOf are those that a bridge has heard at ports where few are heard.
func stationsOf(heard []mib.Variable, root mib.OID, ports map[uint32]string) (out []identity.Station) {
	at := map[uint32][]string{}
	var order []uint32
	for _, v := range heard {
		rest, port := v.OID[len(root):], uint32(v.Value.Int)
		if len(rest) < 6 || v.Value.Int <= 0 {
			continue
		}
		bytes := make([]byte, 6)
		for i, n := range rest[len(rest)-6:] {
			bytes[i] = byte(n)
		}
		if at[port] == nil {
			order = append(order, port)
		}
		if hardware := hardwareOf(bytes); hardware != "" && len(at[port]) <= atPort {
			at[port] = append(at[port], hardware)
		}
	}
	for _, port := range order {
		if len(at[port]) > atPort {
			continue
		}
		for _, hardware := range at[port] {
			out = append(out, identity.Station{Port: portName(ports, port), Hardware: hardware})
		}
	}
	return out
}

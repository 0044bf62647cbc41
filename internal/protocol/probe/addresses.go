package probe

import (
	"context"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/protocol/snmp"
)

// Where devices list addresses. The older table has IPv4 alone.
const (
	ipAdEntAddr   = "1.3.6.1.2.1.4.20.1.1"      // RFC 1213
	ipAddressType = "1.3.6.1.2.1.4.34.1.4"      // RFC 4293
	vrrpAssoIP    = "1.3.6.1.2.1.68.1.4.1.2"    // RFC 2787, by interface, router and IPv4 address
	vrrpv3Asso    = "1.3.6.1.2.1.207.1.1.2.1.2" // RFC 6527, by interface, router, type and address
)

// unicast is an address of one machine (ipAddressType).
const unicast = 1

// addresses reads which addresses a device has, and which it shares with others.
func (p Prober) addresses(ctx context.Context, t snmp.Target, a *identity.Answer) {
	for _, row := range p.rows(ctx, t, ipAdEntAddr) {
		if own, err := netip.ParseAddr(row.Values[0].String()); err == nil {
			a.Own = append(a.Own, own)
		}
	}
	for _, row := range p.rows(ctx, t, ipAddressType) {
		own, ok := inetAddress(strings.Split(row.Index, "."))
		if kind, _ := row.Values[0].Number(); ok && kind == unicast && !slices.Contains(a.Own, own) && !own.IsLinkLocalUnicast() {
			a.Own = append(a.Own, own)
		}
	}
	for _, row := range p.rows(ctx, t, vrrpAssoIP) {
		if parts := strings.Split(row.Index, "."); len(parts) == 6 {
			if shared, err := netip.ParseAddr(strings.Join(parts[2:], ".")); err == nil {
				a.Shared = append(a.Shared, shared)
			}
		}
	}
	for _, row := range p.rows(ctx, t, vrrpv3Asso) {
		if parts := strings.Split(row.Index, "."); len(parts) > 2 {
			if shared, ok := inetAddress(parts[2:]); ok {
				a.Shared = append(a.Shared, shared)
			}
		}
	}
	a.Own = slices.DeleteFunc(a.Own, func(own netip.Addr) bool { return slices.Contains(a.Shared, own) })
}

// rows are those of a column; none where the device does not have it.
func (p Prober) rows(ctx context.Context, t snmp.Target, column string) []derive.Row {
	table, err := p.SNMP.Walk(ctx, t, []string{column})
	if err != nil {
		return nil
	}
	return table.Rows
}

// inetAddress reads an address as it stands in an index: type, length and bytes
// (InetAddressType and InetAddress, RFC 4001).
func inetAddress(index []string) (netip.Addr, bool) {
	if len(index) < 2 || index[1] != strconv.Itoa(len(index)-2) {
		return netip.Addr{}, false
	}
	var bytes []byte
	for _, part := range index[2:] {
		n, err := strconv.ParseUint(part, 10, 8)
		if err != nil {
			return netip.Addr{}, false
		}
		bytes = append(bytes, byte(n))
	}
	a, ok := netip.AddrFromSlice(bytes)
	return a.Unmap(), ok
}

// What the whole of a device is (RFC 6933).
const (
	entClass  = "1.3.6.1.2.1.47.1.1.1.1.5"
	entSerial = "1.3.6.1.2.1.47.1.1.1.1.11."
	entMaker  = "1.3.6.1.2.1.47.1.1.1.1.12."
	entModel  = "1.3.6.1.2.1.47.1.1.1.1.13."
	chassis   = 3
)

// whole reads serial number, maker and model of the chassis, the first where there are
// several, as in a stack.
func (p Prober) whole(ctx context.Context, t snmp.Target, a *identity.Answer) {
	for _, row := range p.rows(ctx, t, entClass) {
		if class, _ := row.Values[0].Number(); class != chassis {
			continue
		}
		values, err := p.SNMP.Get(ctx, t, []string{entSerial + row.Index, entMaker + row.Index, entModel + row.Index})
		if err == nil {
			a.Serial = strings.TrimSpace(values[0].Text)
			a.Maker, a.Model = strings.TrimSpace(values[1].Text), strings.TrimSpace(values[2].Text)
		}
		return
	}
}

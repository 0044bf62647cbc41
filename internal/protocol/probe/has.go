package probe

import (
	"context"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/protocol/snmp"
)

// further are tables that a device may have, by the fact that this is: a column that each row of them has.
var further = []struct{ fact, column string }{
	{"mib:ethernet", "1.3.6.1.2.1.10.7.2.1.3"},        // dot3StatsFCSErrors, RFC 3635
	{"mib:sensors", "1.3.6.1.2.1.99.1.1.1.4"},         // entPhySensorValue, RFC 3433
	{"mib:bgp", "1.3.6.1.2.1.15.3.1.2"},               // bgpPeerState, RFC 4273
	{"mib:ospf", "1.3.6.1.2.1.14.10.1.6"},             // ospfNbrState, RFC 4750
	{"table:disks", "1.3.6.1.4.1.2021.9.1.2"},         // the path of a disk, with what is left of it
	{"table:disk-io", "1.3.6.1.4.1.2021.13.15.1.1.2"}, // the name of a disk
	{"table:load", "1.3.6.1.4.1.2021.10.1.5"},         // the load as a whole number
}

// has learns which further tables a device has; one without them is no error.
func (p Prober) has(ctx context.Context, t snmp.Target, a *identity.Answer) {
	columns := make([]string, len(further))
	for i, x := range further {
		columns[i] = x.column
	}
	found, err := p.SNMP.Below(ctx, t, columns)
	if err != nil {
		return
	}
	for i, x := range further {
		if found[i] {
			a.Facts = append(a.Facts, x.fact)
		}
	}
}

package sim

import (
	"context"
	"fmt"
	"net/netip"
	"time"
)

// Fleet simulates many equal devices for measuring: agents only, no faults,
// no delay. Every device has one Ethernet port for each of ports.
type Fleet struct {
	// User is whom its engines of version 3 know; without a name there are none.
	User   SNMPUser
	byAddr map[netip.Addr]*Device
}

// NewFleet makes n devices from the first address on.
func NewFleet(first netip.Addr, n, ports int) *Fleet {
	f := &Fleet{byAddr: map[netip.Addr]*Device{}}
	now := time.Now()
	for i := range n {
		d := &Device{Name: fmt.Sprintf("fleet-%d", i), Place: "Fleet", Address: Offset(first, i/250, i%250+1)}
		d.seed, d.boot = seedOf(d.Name), now.Add(-time.Hour)
		d.addSystem(products["switch24"])
		var all []port
		for k := range ports {
			seed := d.seed + uint64(k)
			all = append(all, port{name: fmt.Sprintf("port%d", k+1), kind: 6, mbit: 1000, in: quiet(seed, 1000), out: quiet(seed+1, 1000)})
		}
		d.addPorts(all)
		d.tree.seal()
		f.byAddr[d.Address] = d
	}
	return f
}

// Serve answers on a port until the context ends.
func (f *Fleet) Serve(ctx context.Context, port int, community string) error {
	a, err := listenAgents(port, community, f.User, func(x netip.Addr) *Device { return f.byAddr[x] })
	if err != nil {
		return err
	}
	a.serve(ctx)
	return nil
}

package sim

import (
	"encoding/binary"
	"fmt"
	"net/netip"
	"time"
)

// Estate is the whole simulated ferry operator.
type Estate struct {
	Devices []*Device
	byAddr  map[netip.Addr]*Device
	byName  map[string]*Device
	faults  *faults
	origin  time.Time
	base    netip.Addr
	greeted *greetings
	// services are what devices serve besides their agents; authority signs their certificates.
	services  []*service
	authority *authority
}

// NewEstate builds all devices. base is the first address; origin is the
// moment of set-up that the stories refer to, and must stay the same over
// restarts.
func NewEstate(base netip.Addr, origin time.Time) *Estate {
	e := &Estate{
		byAddr:  map[netip.Addr]*Device{},
		byName:  map[string]*Device{},
		origin:  origin,
		base:    base,
		faults:  newFaults(),
		greeted: &greetings{},
	}
	e.buildHeadOffice()
	for i, t := range terminals {
		e.buildTerminal(20+10*i, t)
	}
	for i, s := range ships {
		e.buildShip(51+i, s)
	}
	e.connect()
	for _, d := range e.Devices {
		d.tree.seal()
	}
	return e
}

// Find returns the device at an address, or nil.
func (e *Estate) Find(a netip.Addr) *Device { return e.byAddr[a] }

// Offset returns the address that lies the given bytes above the base.
func Offset(base netip.Addr, third, fourth int) netip.Addr {
	b := base.As4()
	n := binary.BigEndian.Uint32(b[:]) + uint32(third)<<8 + uint32(fourth)
	binary.BigEndian.PutUint32(b[:], n)
	return netip.AddrFrom4(b)
}

// add makes a device with its system group; the caller adds tables.
func (e *Estate) add(name, place, kind string, third, fourth int, others ...int) *Device {
	p := products[kind]
	d := &Device{
		Name:    name,
		Place:   place,
		Kind:    p.kind,
		Model:   p.model,
		Address: Offset(e.base, third, fourth),
		Watched: true,
		seed:    seedOf(name),
	}
	for _, o := range others {
		d.Others = append(d.Others, Offset(e.base, third, o))
	}
	// Booted 20 to 220 days before the origin.
	d.boot = e.origin.Add(-time.Duration(20+200*hash(d.seed, 1)) * 24 * time.Hour).Truncate(time.Second)
	d.roundTip = roundTrip{0.0004, 0.002}
	d.down, d.fill = e.down, e.faults.filled
	d.addSystem(p)
	e.Devices = append(e.Devices, d)
	e.byName[name] = d
	for _, a := range append([]netip.Addr{d.Address}, d.Others...) {
		e.byAddr[a] = d
	}
	return d
}

// down tells whether a story or a drill keeps a device silent.
func (e *Estate) down(d *Device, now time.Time) bool {
	return e.faults.silent(d) || flapping(d, now)
}

// flapping is the story of MV Petrel: its satellite link drops out for a few
// minutes many times a day, and everything aboard with it.
func flapping(d *Device, now time.Time) bool {
	if d.Place != "MV Petrel" {
		return false
	}
	slot := now.Unix() / 1800 // one chance every half hour
	seed := seedOf("petrel link")
	if hash(seed, slot) > 0.28 {
		return false
	}
	start := slot*1800 + int64(hash(seed, slot+1e9)*1200)
	length := int64(90 + 300*hash(seed, slot+2e9))
	return now.Unix() >= start && now.Unix() < start+length
}

// quiet makes the traffic of an ordinary port: a few per cent of its speed.
func quiet(seed uint64, mbit float64) traffic {
	return traffic{seed: seed, base: mbit * 1e6 / 8 * (0.002 + 0.05*hash(seed, 3))}
}

// switchPorts makes the ports of a switch; the first is the uplink, and the
// last third is unused.
func switchPorts(d *Device, n int, mbit uint64) []port {
	ports := []port{{name: "lo0", kind: 24, mbit: 0}}
	for i := 1; i <= n; i++ {
		seed := d.seed + uint64(i)*31
		p := port{name: fmt.Sprintf("port%d", i), kind: 6, mbit: mbit, unused: i > n*2/3,
			in: quiet(seed, float64(mbit)), out: quiet(seed+1, float64(mbit))}
		if i == 1 {
			p.alias = "uplink"
			p.in.base, p.out.base = p.in.base*4, p.out.base*4
		}
		if mbit == 1000 && i > n*2/3 && i <= n*2/3+2 {
			p.alias, p.unused, p.office = "meeting room", false, true
			p.in, p.out = traffic{seed: seed}, traffic{seed: seed + 1}
		}
		ports = append(ports, p)
	}
	return ports
}

// hostPorts makes one Ethernet port and the loopback of a host.
func hostPorts(d *Device, mbit uint64) []port {
	return []port{
		{name: "lo", kind: 24, in: quiet(d.seed, 1), out: quiet(d.seed, 1)},
		{name: "eth0", kind: 6, mbit: mbit, in: quiet(d.seed+5, float64(mbit)), out: quiet(d.seed+6, float64(mbit))},
	}
}

// load is a processor load that follows the day.
func load(seed uint64, low, swing float64) func(float64) float64 {
	return func(t float64) float64 {
		return clamp(low+swing*daytime(t)*(0.6+0.4*smooth(seed, t, 1800))+6*smooth(seed+3, t, 300), 0, 100)
	}
}

// steady is a share that wanders slowly around a level.
func steady(seed uint64, level, swing float64) func(float64) float64 {
	return func(t float64) float64 { return clamp(level+swing*(smooth(seed, t, 5*3600)-0.5), 0, 1) }
}

// memory is a share of memory in per cent that wanders.
func memory(seed uint64) func(float64) float64 {
	return steady(seed+11, 0.45+0.3*hash(seed, 5), 0.1)
}

const (
	gib = 1 << 30
	tib = 1 << 40
)

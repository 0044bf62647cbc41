package sim

import (
	"fmt"
	"time"
)

const headOffice = "Skerry House"

func (e *Estate) buildHeadOffice() {
	for i := 1; i <= 2; i++ {
		core := e.add(fmt.Sprintf("hq-core-%d", i), headOffice, "switch48", 10, i, 100+i)
		core.addPorts(switchPorts(core, 48, 1000))
	}
	fw := e.add("hq-fw-1", headOffice, "firewall", 10, 3)
	fw.Via = "hq-core-1"
	fw.addPorts([]port{
		{name: "lo0", kind: 24},
		{
			name:  "outside",
			alias: "internet",
			kind:  6,
			mbit:  500,
			in:    traffic{seed: fw.seed, base: 9e6},
			out:   traffic{seed: fw.seed + 1, base: 4e6},
		},
		{name: "inside", kind: 6, mbit: 1000, in: traffic{seed: fw.seed + 2, base: 4e6}, out: traffic{seed: fw.seed + 3, base: 9e6}},
		// A busy port with 32-bit counters only: 30 MB/s wraps every 143 s. Faster than
		// 573 Mbit/s it might wrap twice within a minute, and would have no rate.
		{
			name:   "dmz",
			alias:  "booking web",
			kind:   6,
			mbit:   500,
			narrow: true,
			in:     traffic{seed: fw.seed + 4, base: 30e6},
			out:    traffic{seed: fw.seed + 5, base: 12e6},
		},
	})
	e.buildCluster()
	e.buildMachines()
	e.addPower("ups-hq-1", headOffice, 10, 90, "hq-core-1")
	for i := 1; i <= 2; i++ {
		e.addAccessPoint(fmt.Sprintf("ap-hq-%d", i), headOffice, 10, 80+i, "hq-core-2")
	}
}

// buildCluster makes the hypervisors, one of which carries nearly twice the
// load of the others, and the shared stores.
func (e *Estate) buildCluster() {
	for i := 1; i <= 3; i++ {
		h := e.add(fmt.Sprintf("host-%d", i), headOffice, "hypervisor", 10, 10+i)
		h.Via, h.TCP = "hq-core-1", true
		if i != 2 { // one of the cluster was forgotten when the others were updated
			h.tree.find(mibSystem + "1.0").read = func(time.Time) value {
				return value{text: "Fathom Systems FH-2 hypervisor host, build 7731"}
			}
			h.described("Fathom Systems FH-2 hypervisor host, build 7714", e.origin.Add(-time.Duration(5*24+i)*time.Hour))
		}
		h.addPorts(hostPorts(h, 10000))
		low := 22.0
		if i == 2 {
			low = 44
		}
		h.addHost(8, load(h.seed, low, 22), memory(h.seed), 512*gib, []volume{{"/", 200 * gib, steady(h.seed, 0.35, 0.02)}})
		h.addUnix(8, load(h.seed, low, 22))
		h.addSensors(hostSensors(h.seed))
	}
	for i, name := range []string{"store-a", "store-b"} {
		s := e.add(name, headOffice, "store", 10, 20+i+1)
		s.Via = "hq-core-2"
		s.addPorts(hostPorts(s, 10000))
		busy := load(s.seed, 20, 12)
		if name == "store-a" { // test-7 hammers it every night from 01:00 to 04:00
			quietLoad := busy
			busy = func(t float64) float64 {
				if h := hourOf(t); h >= 1 && h < 4 {
					return clamp(quietLoad(t)+62, 0, 100)
				}
				return quietLoad(t)
			}
		}
		s.addHost(2, busy, memory(s.seed), 128*gib, []volume{{"pool1", 60 * tib, steady(s.seed, 0.52+0.1*float64(i), 0.01)}})
	}
}

func hourOf(t float64) float64 {
	d := t / day
	return 24 * (d - float64(int64(d)))
}

var machines = []struct {
	name    string
	low, up float64
}{
	{"booking-web-1", 18, 45}, {"booking-web-2", 17, 44}, {"booking-web-3", 18, 43},
	{"booking-db-1", 25, 40}, {"booking-db-2", 12, 15}, {"mail-1", 10, 20}, {"directory-1", 6, 10},
	{"file-1", 9, 20}, {"backup-1", 6, 6}, {"log-1", 22, 18}, {"intranet-1", 5, 12}, {"build-1", 8, 50},
	{"print-1", 3, 5}, {"test-5", 4, 6}, {"test-6", 5, 5}, {"test-7", 6, 6},
}

func (e *Estate) buildMachines() {
	for i, m := range machines {
		d := e.add(m.name, headOffice, "vm", 10, 31+i)
		d.Via, d.TCP = fmt.Sprintf("host-%d", i%3+1), true
		d.addPorts(hostPorts(d, 1000))
		busy := load(d.seed, m.low, m.up)
		if m.name == "test-7" {
			calm := busy
			busy = func(t float64) float64 {
				if h := hourOf(t); h >= 1 && h < 4 {
					return clamp(calm(t)+70, 0, 100)
				}
				return calm(t)
			}
		}
		volumes := []volume{{"/", 40 * gib, steady(d.seed, 0.3+0.3*hash(d.seed, 8), 0.02)}}
		d.addHost(2, busy, memory(d.seed), 16*gib, append(volumes, e.dataVolumes(m.name, d.seed)...))
	}
}

// dataVolumes tells two stories: the log server fills steadily and is full
// nine days after the origin; the backup volume is a harmless sawtooth.
func (e *Estate) dataVolumes(name string, seed uint64) []volume {
	origin := seconds(e.origin)
	switch name {
	case "log-1":
		return []volume{{"/data", 2 * tib, func(t float64) float64 {
			return clamp(0.83+0.17*(t-origin)/(9*day)+0.004*smooth(seed, t, 3600), 0.3, 0.998)
		}}}
	case "backup-1":
		return []volume{{"/backup", 20 * tib, func(t float64) float64 {
			into := (t - 3*3600) / day
			return 0.35 + 0.40*(into-float64(int64(into))) + 0.02*smooth(seed, t, 7200)
		}}}
	case "booking-db-1", "booking-db-2", "file-1":
		return []volume{{"/data", 1 * tib, steady(seed+2, 0.55, 0.03)}}
	}
	return nil
}

func (e *Estate) addPower(name, place string, third, fourth int, via string) *Device {
	u := e.add(name, place, "ups", third, fourth)
	u.Via = via
	u.addPorts([]port{{name: "net", kind: 6, mbit: 100, in: quiet(u.seed, 1), out: quiet(u.seed+1, 1)}})
	u.addBattery(name == "gr-ups-1", e.origin)
	return u
}

func (e *Estate) addAccessPoint(name, place string, third, fourth int, via string) *Device {
	a := e.add(name, place, "ap", third, fourth)
	a.Via = via
	a.addPorts([]port{
		{name: "eth0", kind: 6, mbit: 1000, in: quiet(a.seed, 100), out: quiet(a.seed+1, 100)},
		{name: "radio0", kind: 71, mbit: 600, in: quiet(a.seed+2, 60), out: quiet(a.seed+3, 60)},
		{name: "radio1", kind: 71, mbit: 1200, in: quiet(a.seed+4, 90), out: quiet(a.seed+5, 90)},
	})
	a.addSensors(accessPointSensors(a.seed, name == "np-ap-2"))
	return a
}

type terminal struct{ name, short string }

var terminals = []terminal{{"North Pier", "np"}, {"Sandhaven", "sh"}, {"Gull Rock", "gr"}}

func (e *Estate) buildTerminal(net int, t terminal) {
	edge := e.add(t.short+"-edge-1", t.name, "router", net, 1, 254)
	edge.Via, edge.roundTip = "hq-fw-1", roundTrip{0.009, 0.012}
	line := traffic{seed: edge.seed, base: 0.22e6}
	if t.short == "sh" { // saturates at boarding time on sailing days
		line.pulses = boarding(0.9e6)
	}
	edge.addPorts([]port{
		{name: "lo0", kind: 24},
		{name: "wan0", alias: "leased line to Skerry House", kind: 6, mbit: 10, in: traffic{seed: edge.seed + 1, base: 0.35e6}, out: line},
		{name: "lan1", kind: 6, mbit: 1000, in: line, out: traffic{seed: edge.seed + 2, base: 0.35e6}},
		{name: "lan2", kind: 6, mbit: 1000, unused: true},
	})
	sw := e.add(t.short+"-sw-1", t.name, "switch24", net, 2)
	sw.described(
		"Brackwater Networks BS-24 managed switch, release 6.1",
		e.origin.Add(-9*24*time.Hour).Truncate(time.Hour).Add(time.Duration(net)*7*time.Minute),
	)
	ports := switchPorts(sw, 24, 100)
	if t.short == "np" { // errors since a cable was moved
		ports[1].errors, ports[1].errorsSince = 1.3, e.origin.Add(-60*time.Hour)
	}
	sw.Via = edge.Name
	sw.addPorts(ports)
	for i := 1; i <= 2; i++ {
		e.addAccessPoint(fmt.Sprintf("%s-ap-%d", t.short, i), t.name, net, 10+i, sw.Name)
		e.addSmallHost(fmt.Sprintf("%s-kiosk-%d", t.short, i), t.name, "kiosk", net, 20+i, sw.Name)
	}
	e.addSmallHost(t.short+"-board-1", t.name, "board", net, 31, sw.Name)
	rec := e.add(t.short+"-cctv-1", t.name, "recorder", net, 40)
	rec.Via, rec.TCP = sw.Name, true
	rec.addPorts(hostPorts(rec, 100))
	origin := seconds(e.origin)
	rec.addHost(4, load(rec.seed, 35, 15), memory(rec.seed), 8*gib, []volume{
		{"/", 30 * gib, steady(rec.seed, 0.41, 0.01)},
		{"/archive", 16 * tib, func(tt float64) float64 { return clamp(0.66+0.0055*(tt-origin)/day, 0.2, 0.99) }},
	})
	e.addPower(t.short+"-ups-1", t.name, net, 90, sw.Name)
	for _, d := range e.Devices[len(e.Devices)-9:] {
		d.roundTip = roundTrip{0.011, 0.012}
	}
}

func (e *Estate) addSmallHost(name, place, kind string, third, fourth int, via string) *Device {
	d := e.add(name, place, kind, third, fourth)
	d.Via, d.TCP = via, true
	d.addPorts(hostPorts(d, 100))
	d.addHost(2, load(d.seed, 8, 18), memory(d.seed), 4*gib, []volume{{"/", 32 * gib, steady(d.seed, 0.4+0.2*hash(d.seed, 2), 0.02)}})
	return d
}

type ship struct{ name, short string }

var ships = []ship{{"MV Tern", "tern"}, {"MV Petrel", "petrel"}, {"MV Fulmar", "fulmar"}, {"MV Skua", "skua"}}

// unwatched is the ship that the demo leaves to be found.
const unwatched = "MV Skua"

func (e *Estate) buildShip(net int, s ship) {
	first := len(e.Devices)
	sat := e.add(s.short+"-sat-1", s.name, "satellite", net, 1, 254)
	sat.Via = "hq-fw-1"
	sat.addPorts([]port{
		{name: "lo0", kind: 24},
		{
			name:  "sat0",
			alias: "satellite link",
			kind:  1,
			mbit:  4,
			in:    traffic{seed: sat.seed, base: 0.11e6},
			out:   traffic{seed: sat.seed + 1, base: 0.05e6},
		},
		{name: "lan1", kind: 6, mbit: 1000, in: traffic{seed: sat.seed + 1, base: 0.05e6}, out: traffic{seed: sat.seed, base: 0.11e6}},
	})
	sw := e.add(s.short+"-sw-1", s.name, "switch8", net, 2)
	sw.Via = sat.Name
	sw.addPorts(switchPorts(sw, 8, 1000))
	e.addAccessPoint(s.short+"-ap-1", s.name, net, 11, sw.Name)
	gw := e.add(s.short+"-wifi-1", s.name, "gateway", net, 12)
	gw.Via = sw.Name
	gw.addPorts(hostPorts(gw, 100))
	eng := e.addSmallHost(s.short+"-engine-1", s.name, "engine", net, 20, sw.Name)
	eng.TCP = true
	for _, d := range e.Devices[first:] {
		d.roundTip = roundTrip{0.61, 0.09}
		d.Watched = s.name != unwatched
	}
}

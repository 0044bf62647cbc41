package sim

import (
	"fmt"
	"math"
	"net/netip"
	"sync/atomic"
	"time"

	"github.com/gosnmp/gosnmp"
)

// Device is one simulated thing.
type Device struct {
	Name      string       `json:"name"`
	Place     string       `json:"place"` // "Skerry House/Network"
	Kind      string       `json:"kind"`
	Model     string       `json:"model"`
	Address   netip.Addr   `json:"address"`
	Others    []netip.Addr `json:"other_addresses,omitempty"`
	Via       string       `json:"via,omitempty"` // name of the device it is reached through
	Interface int          `json:"interfaces"`
	Volumes   []string     `json:"volumes,omitempty"`
	TCP       bool         `json:"tcp"`
	Facts     []string     `json:"facts,omitempty"` // what a sweep would learn beside the usual
	// Watched is false for what the demo leaves to be found.
	Watched bool `json:"watched"`

	seed     uint64
	boot     time.Time
	restart  atomic.Int64 // unix nanoseconds of a restart after a drill; 0 for none
	roundTip roundTrip
	tree     tree
	ports    []port
	told     map[int]bool                  // ports at which a neighbour is heard
	down     func(*Device, time.Time) bool // by a story or a drill
	fill     func(d *Device, volume string, now time.Time) float64
}

type roundTrip struct{ base, jitter float64 } // seconds

// Answers tells whether the device is there at a time.
func (d *Device) Answers(now time.Time) bool {
	return now.After(d.bootAt(now)) && (d.down == nil || !d.down(d, now))
}

// RoundTrip is how long an answer takes at a time.
func (d *Device) RoundTrip(now time.Time) time.Duration {
	t := seconds(now)
	s := d.roundTip.base + d.roundTip.jitter*smooth(d.seed^7, t, 180)*hash(d.seed^9, int64(t*4))
	return time.Duration(s * float64(time.Second))
}

// bootAt returns when the device last started.
func (d *Device) bootAt(now time.Time) time.Time {
	if at := d.restart.Load(); at > 0 && now.UnixNano() >= at {
		return time.Unix(0, at)
	}
	return d.boot
}

// uptime is sysUpTime: hundredths of a second since boot, modulo 2^32.
func (d *Device) uptime(now time.Time) value {
	return value{count: uint64(now.Sub(d.bootAt(now))/(10*time.Millisecond)) & 0xffffffff}
}

const (
	mibSystem  = "1.3.6.1.2.1.1."
	mibIfTable = "1.3.6.1.2.1.2.2.1."
	mibIfX     = "1.3.6.1.2.1.31.1.1.1."
	mibStorage = "1.3.6.1.2.1.25.2.3.1."
	mibCPU     = "1.3.6.1.2.1.25.3.3.1.2."
	mibIPAddr  = "1.3.6.1.2.1.4.20.1."
	hrUptime   = "1.3.6.1.2.1.25.1.1.0"
	engineID   = "1.3.6.1.6.3.10.2.1.1.0"

	engineBoots = "1.3.6.1.6.3.10.2.1.2.0"
	engineTime  = "1.3.6.1.6.3.10.2.1.3.0"
)

// described lets the description be another one until a moment: the software
// was updated then.
func (d *Device) described(before string, until time.Time) {
	o := d.tree.find(mibSystem + "1.0")
	after := o.read(time.Time{}).text
	o.fixed, o.read = false, func(now time.Time) value {
		if now.Before(until) {
			return value{text: before}
		}
		return value{text: after}
	}
}

// addSystem puts in the system group (RFC 3418) and the engine id (RFC 3411).
func (d *Device) addSystem(p product) {
	d.tree.text(mibSystem+"1.0", p.description)
	d.tree.objectID(mibSystem+"2.0", p.objectID)
	d.tree.add(mibSystem+"3.0", gosnmp.TimeTicks, d.uptime)
	d.tree.text(mibSystem+"4.0", "duty@kittiwake.example")
	d.tree.text(mibSystem+"5.0", d.Name)
	d.tree.text(mibSystem+"6.0", d.Place)
	d.tree.number(mibSystem+"7.0", gosnmp.Integer, p.services)
	d.tree.text(engineID, "\x80\x00\x7e\xd9\x04"+d.Name)
	// Each boot is another one: how often does not matter, as long as it grows.
	d.tree.add(engineBoots, gosnmp.Integer, func(now time.Time) value {
		return value{count: 1 + uint64(d.bootAt(now).Sub(d.boot)/time.Second)}
	})
	d.tree.add(engineTime, gosnmp.Integer, func(now time.Time) value { return value{count: uint64(now.Sub(d.bootAt(now)) / time.Second)} })
	for _, a := range append([]netip.Addr{d.Address}, d.Others...) {
		s := a.String()
		d.tree.add(mibIPAddr+"1."+s, gosnmp.IPAddress, func(time.Time) value { return value{text: s} }).fixed = true
	}
}

// port is one interface to simulate.
type port struct {
	name, alias   string
	kind          uint64 // ifType: 6 Ethernet, 24 loopback
	mbit          uint64
	in, out       traffic
	errors        float64 // a second
	narrow        bool    // only 32-bit counters
	unused        bool
	office        bool // up in office hours only
	errorsSince   time.Time
	counterOffset uint64
}

// addPorts puts in ifTable and ifXTable (RFC 2863).
func (d *Device) addPorts(ports []port) {
	d.tree.number("1.3.6.1.2.1.2.1.0", gosnmp.Integer, uint64(len(ports)))
	d.Interface, d.ports = len(ports), ports
	for i, p := range ports {
		ix := fmt.Sprint(i + 1)
		d.addPort(ix, uint64(i+1), p)
	}
}

func (d *Device) addPort(ix string, index uint64, p port) {
	tr := &d.tree
	tr.number(mibIfTable+"1."+ix, gosnmp.Integer, index)
	tr.text(mibIfTable+"2."+ix, p.name)
	tr.number(mibIfTable+"3."+ix, gosnmp.Integer, p.kind)
	tr.number(mibIfTable+"5."+ix, gosnmp.Gauge32, min(p.mbit*1_000_000, 4294967295))
	tr.text(mibIfTable+"6."+ix, d.hardware(p, index))
	tr.number(mibIfTable+"7."+ix, gosnmp.Integer, 1)
	state := uint64(1)
	if p.unused {
		state = 2
	}
	if p.office {
		tr.add(mibIfTable+"8."+ix, gosnmp.Integer, func(now time.Time) value { return value{count: officeState(d.seed+index, now)} })
	} else {
		tr.number(mibIfTable+"8."+ix, gosnmp.Integer, state)
	}
	count := func(f traffic) func(time.Time) value {
		return func(now time.Time) value {
			if p.unused {
				return value{}
			}
			return value{count: p.counterOffset + f.counter(d.bootAt(now), now)}
		}
	}
	low := func(read func(time.Time) value) func(time.Time) value {
		return func(now time.Time) value { return value{count: read(now).count & 0xffffffff} }
	}
	errs := func(now time.Time) value {
		from := d.bootAt(now)
		if p.errorsSince.After(from) {
			from = p.errorsSince
		}
		elapsed := max(0, now.Sub(from).Seconds())
		if elapsed > 0 { // noise as a displacement, so that the counter never turns back
			elapsed += 0.4 * 600 * smooth(d.seed, seconds(now), 600)
		}
		return value{count: uint64(elapsed * p.errors)}
	}
	tr.add(mibIfTable+"10."+ix, gosnmp.Counter32, low(count(p.in)))
	tr.add(mibIfTable+"14."+ix, gosnmp.Counter32, errs)
	tr.add(mibIfTable+"16."+ix, gosnmp.Counter32, low(count(p.out)))
	tr.number(mibIfTable+"20."+ix, gosnmp.Counter32, 0)
	tr.text(mibIfX+"1."+ix, p.name)
	if !p.narrow {
		tr.add(mibIfX+"6."+ix, gosnmp.Counter64, count(p.in))
		tr.add(mibIfX+"10."+ix, gosnmp.Counter64, count(p.out))
	}
	tr.number(mibIfX+"15."+ix, gosnmp.Gauge32, p.mbit)
	tr.text(mibIfX+"18."+ix, p.alias)
	tr.number(mibIfX+"19."+ix, gosnmp.TimeTicks, 0)
}

// hardware is a locally administered address, which nobody's maker gives (RFC 7042, section
// 2.1); a loopback has none.
func (d *Device) hardware(p port, index uint64) string {
	if p.kind == 24 {
		return ""
	}
	at := d.Address.As4()
	return string([]byte{0x02, 0x4b, at[2], at[3], byte(index >> 8), byte(index)})
}

// officeState is ifOperStatus of a port where somebody works: up (1) from about
// half past seven to six on weekdays, else dormant (5): it waits for somebody to
// sign in (IEEE 802.1X).
func officeState(seed uint64, now time.Time) uint64 {
	t := seconds(now)
	day := int64(math.Floor(t / day))
	if weekday := (day + 3) % 7; weekday >= 5 { // 1970-01-01 was a Thursday
		return 5
	}
	hour := hourOf(t)
	if hour >= 7.2+0.8*hash(seed, day) && hour < 17.4+1.3*hash(seed+1, day) {
		return 1
	}
	return 5
}

// volume is one store to simulate; used gives the share in use, 0 to 1.
type volume struct {
	name string
	size float64 // bytes
	used func(t float64) float64
}

const (
	typeAny  = "1.3.6.1.2.1.25.2.1.1"
	typeRAM  = "1.3.6.1.2.1.25.2.1.2"
	typeDisk = "1.3.6.1.2.1.25.2.1.4"
)

// addHost puts in the storage and processor tables (RFC 2790).
func (d *Device) addHost(cores int, load, memory func(t float64) float64, ram float64, volumes []volume) {
	d.tree.add(hrUptime, gosnmp.TimeTicks, d.uptime)
	d.addMemory(ram, memory)
	for i, v := range volumes {
		d.Volumes = append(d.Volumes, v.name)
		d.addStorage(i+4, typeDisk, v)
	}
	for c := range cores {
		seed := d.seed + uint64(c)
		d.tree.gauge(mibCPU+fmt.Sprint(196608+c), gosnmp.Integer, func(t float64) float64 {
			return clamp(load(t)+8*(smooth(seed, t, 90)-0.5), 0, 100)
		})
	}
}

// cached is the share of the memory that programs do not need which holds files.
const cached = 0.8

// addMemory puts in what many agents tell of the memory: all that is in use, and
// how much of it holds files only, so that programs can have it.
func (d *Device) addMemory(ram float64, programs func(t float64) float64) {
	files := func(t float64) float64 { return cached * (1 - programs(t)) }
	d.addStorage(1, typeRAM, volume{"Physical memory", ram, func(t float64) float64 { return programs(t) + files(t) }})
	d.addStorage(2, typeAny, volume{"Cached memory", ram, files})
	d.addStorage(3, typeAny, volume{"Available memory", ram, func(float64) float64 { return 0 }})
	available := d.tree.find(mibStorage + "5.3")
	whole := available.read(time.Time{}).count
	available.fixed, available.read = false, func(now time.Time) value {
		return value{count: uint64((1 - clamp(programs(seconds(now)), 0, 1)) * float64(whole))}
	}
}

func (d *Device) addStorage(index int, kind string, v volume) {
	ix, tr := fmt.Sprint(index), &d.tree
	// Sizes are told in units since the MIB's numbers end at 2^31 − 1.
	unit := 4096.0
	for v.size/unit > math.MaxInt32 {
		unit *= 2
	}
	tr.number(mibStorage+"1."+ix, gosnmp.Integer, uint64(index))
	tr.objectID(mibStorage+"2."+ix, kind)
	tr.text(mibStorage+"3."+ix, v.name)
	tr.number(mibStorage+"4."+ix, gosnmp.Integer, uint64(unit))
	tr.number(mibStorage+"5."+ix, gosnmp.Integer, uint64(v.size/unit))
	tr.add(mibStorage+"6."+ix, gosnmp.Integer, func(now time.Time) value {
		used := v.used(seconds(now))
		if d.fill != nil {
			used += d.fill(d, v.name, now) * (0.985 - used)
		}
		return value{count: uint64(clamp(used, 0, 1) * v.size / unit)}
	})
}

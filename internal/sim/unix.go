package sim

import (
	"fmt"
	"time"

	"github.com/gosnmp/gosnmp"
)

const (
	mibUnix = "1.3.6.1.4.1.2021."
	swap    = 8 << 20 // KiB
)

// addUnix puts in what agents of Unix systems tell of load, swap and disks. load is the share of its
// cores that is busy, in %.
func (d *Device) addUnix(cores int, load func(t float64) float64) {
	tr := &d.tree
	for i, minutes := range []float64{1, 5, 15} {
		tr.gauge(fmt.Sprint(mibUnix, "10.1.5.", i+1), gosnmp.Integer, func(t float64) float64 {
			return float64(cores) * load(t-30*minutes)
		})
	}
	tr.number(mibUnix+"4.3.0", gosnmp.Integer, swap)
	tr.gauge(mibUnix+"4.4.0", gosnmp.Integer, func(t float64) float64 { return swap * (0.93 - 0.05*smooth(d.seed+20, t, 7200)) })
	perSecond := func(rate float64, seed uint64) func(time.Time) value {
		f := traffic{seed: seed, base: rate}
		return func(now time.Time) value { return value{count: f.counter(d.bootAt(now), now)} }
	}
	low := func(read func(time.Time) value) func(time.Time) value {
		return func(now time.Time) value { return value{count: read(now).count & 0xffffffff} }
	}
	tr.add(mibUnix+"11.59.0", gosnmp.Counter32, low(perSecond(900, d.seed+21)))
	tr.add(mibUnix+"11.60.0", gosnmp.Counter32, low(perSecond(1600, d.seed+22)))
	tr.number("1.3.6.1.2.1.25.1.5.0", gosnmp.Gauge32, 1)
	tr.gauge("1.3.6.1.2.1.25.1.6.0", gosnmp.Gauge32, func(t float64) float64 { return 210 + 30*smooth(d.seed+23, t, 900) })
	for i, name := range []string{"sda", "sdb", "loop0"} {
		ix := fmt.Sprint(i + 1)
		seed := d.seed + 30 + 4*uint64(i)
		tr.text(mibUnix+"13.15.1.1.2."+ix, name)
		read, written := perSecond(2.4e6, seed), perSecond(1.1e6, seed+1)
		tr.add(mibUnix+"13.15.1.1.3."+ix, gosnmp.Counter32, low(read))
		tr.add(mibUnix+"13.15.1.1.4."+ix, gosnmp.Counter32, low(written))
		tr.add(mibUnix+"13.15.1.1.5."+ix, gosnmp.Counter32, low(perSecond(45, seed+2)))
		tr.add(mibUnix+"13.15.1.1.6."+ix, gosnmp.Counter32, low(perSecond(28, seed+3)))
		tr.add(mibUnix+"13.15.1.1.12."+ix, gosnmp.Counter64, read)
		tr.add(mibUnix+"13.15.1.1.13."+ix, gosnmp.Counter64, written)
	}
	d.Facts = append(d.Facts, "table:load", "table:disk-io")
}

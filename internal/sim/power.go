package sim

import (
	"time"

	"github.com/gosnmp/gosnmp"
)

const mibUPS = "1.3.6.1.2.1.33.1."

// volts of a battery of four blocks at full charge, in tenths.
const fullVoltage = 546

// addBattery puts in UPS-MIB (RFC 1628): on the mains, at full charge, with one line in and one out.
// The voltage of an old battery sags from day to day.
func (d *Device) addBattery(old bool, origin time.Time) {
	tr := &d.tree
	load := func(t float64) float64 { return 38 + 22*daytime(t) + 4*smooth(d.seed, t, 600) }
	tr.text(mibUPS+"1.1.0", "Halyard Power")
	tr.text(mibUPS+"1.2.0", "HP-3000")
	tr.text(mibUPS+"1.5.0", d.Name)
	tr.number(mibUPS+"2.1.0", gosnmp.Integer, 2) // batteryNormal
	tr.number(mibUPS+"2.2.0", gosnmp.Integer, 0)
	tr.gauge(mibUPS+"2.3.0", gosnmp.Integer, func(t float64) float64 { return 2600 / load(t) })
	tr.number(mibUPS+"2.4.0", gosnmp.Integer, 100)
	tr.gauge(mibUPS+"2.5.0", gosnmp.Integer, func(t float64) float64 {
		volts := fullVoltage + 3*smooth(d.seed+1, t, 3600)
		if days := (t - seconds(origin)) / day; old {
			volts -= clamp(3*(days+14), 0, 90)
		}
		return volts
	})
	tr.gauge(mibUPS+"2.7.0", gosnmp.Integer, func(t float64) float64 { return 23 + 3*daytime(t) + 2*smooth(d.seed+2, t, 7200) })
	tr.add(mibUPS+"3.1.0", gosnmp.Counter32, func(now time.Time) value {
		return value{count: uint64(now.Sub(d.bootAt(now)) / (41 * time.Hour))}
	})
	tr.number(mibUPS+"3.2.0", gosnmp.Integer, 1)
	tr.gauge(mibUPS+"3.3.1.2.1", gosnmp.Integer, func(t float64) float64 { return 499.5 + smooth(d.seed+3, t, 120) })
	tr.gauge(mibUPS+"3.3.1.3.1", gosnmp.Integer, func(t float64) float64 { return 228 + 7*smooth(d.seed+4, t, 900) })
	tr.number(mibUPS+"4.1.0", gosnmp.Integer, 3) // normal
	tr.number(mibUPS+"4.2.0", gosnmp.Integer, 500)
	tr.number(mibUPS+"4.3.0", gosnmp.Integer, 1)
	tr.number(mibUPS+"4.4.1.2.1", gosnmp.Integer, 230)
	tr.gauge(mibUPS+"4.4.1.3.1", gosnmp.Integer, func(t float64) float64 { return 27 * load(t) / 23 })
	tr.gauge(mibUPS+"4.4.1.4.1", gosnmp.Integer, func(t float64) float64 { return 27 * load(t) })
	tr.gauge(mibUPS+"4.4.1.5.1", gosnmp.Integer, load)
	tr.number(mibUPS+"6.1.0", gosnmp.Gauge32, 0)
	d.Facts = append(d.Facts, "mib:ups")
}

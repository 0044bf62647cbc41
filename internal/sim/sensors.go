package sim

import (
	"fmt"

	"github.com/gosnmp/gosnmp"
)

const (
	mibEntity  = "1.3.6.1.2.1.47.1.1.1.1."
	mibSensors = "1.3.6.1.2.1.99.1.1.1."
)

// Of EntitySensorDataType and EntitySensorDataScale (RFC 3433).
const (
	voltsDC = 4
	celsius = 8
	rpm     = 10
	milli   = 8
	units   = 9
)

// sensor measures something: in units of ten to the scale, with digits behind the point.
type sensor struct {
	name, about string
	kind, scale uint64
	digits      uint64
	measured    func(t float64) float64 // as the agent writes it
}

// addSensors puts in ENTITY-SENSOR-MIB with the names of ENTITY-MIB, behind the whole device.
func (d *Device) addSensors(all []sensor) {
	tr := &d.tree
	tr.text(mibEntity+"2.1", d.Model)
	tr.text(mibEntity+"7.1", d.Name)
	for i, s := range all {
		ix := fmt.Sprint(100 + i)
		tr.text(mibEntity+"2."+ix, s.about)
		tr.text(mibEntity+"7."+ix, s.name)
		tr.number(mibSensors+"1."+ix, gosnmp.Integer, s.kind)
		tr.number(mibSensors+"2."+ix, gosnmp.Integer, s.scale)
		tr.number(mibSensors+"3."+ix, gosnmp.Integer, s.digits)
		tr.gauge(mibSensors+"4."+ix, gosnmp.Integer, s.measured)
		tr.number(mibSensors+"5."+ix, gosnmp.Integer, 1)
	}
	d.Facts = append(d.Facts, "mib:sensors")
}

// accessPointSensors are those of an access point; one in a plant room is heated by the sun on its
// roof every afternoon.
func accessPointSensors(seed uint64, plantRoom bool) []sensor {
	return []sensor{{name: "board", about: "Temperature of the board", kind: celsius, scale: units, digits: 1,
		measured: func(t float64) float64 {
			heat := 41 + 4*daytime(t) + 2*smooth(seed+7, t, 1800)
			if h := hourOf(t); plantRoom && h >= 13 && h < 17 {
				heat += 36 * (1 - (h-15)*(h-15)/4)
			}
			return 10 * heat
		}}}
}

// hostSensors are those of a host: a temperature, two fans and a voltage in thousandths.
func hostSensors(seed uint64) []sensor {
	out := []sensor{
		{name: "inlet", about: "Air that comes in", kind: celsius, scale: units,
			measured: func(t float64) float64 { return 21 + 3*daytime(t) + smooth(seed+8, t, 3600) }},
		{name: "12 V", about: "Supply of the board", kind: voltsDC, scale: milli,
			measured: func(t float64) float64 { return 12050 + 60*smooth(seed+9, t, 300) }},
	}
	for i := range uint64(2) {
		out = append(out, sensor{name: fmt.Sprint("fan ", i+1), about: "Fan of the case", kind: rpm, scale: units,
			measured: func(t float64) float64 { return 5200 + 900*daytime(t) + 200*smooth(seed+10+i, t, 240) }})
	}
	return out
}

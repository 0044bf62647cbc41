package demo

import (
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// root is the enterprise number reserved for documentation (32473, RFC 5612).
const root = "1.3.6.1.4.1.32473."

// maker is an invented maker with its products, each a model and a kind, by object id.
type maker struct {
	name   string
	models map[string][2]string
}

// makers are those of the demo world, by object id.
var makers = map[string]maker{
	root + "1": {"Brackwater Networks", map[string][2]string{
		"1": {"BS-48", "switch"}, "2": {"BS-24", "switch"}, "3": {"BS-8", "switch"}, "10": {"BR-240", "router"},
		"11": {"BR-SAT", "router"}, "20": {"BF-12", "firewall"}, "30": {"BA-3", "access point"}, "31": {"BG-2", "gateway"}}},
	root + "2": {"Fathom Systems", map[string][2]string{
		"1": {"FH-2", "hypervisor"}, "2": {"FS Linux", "virtual machine"}, "3": {"FK-1", "kiosk"}, "4": {"FB-4", "departure board"},
		"5": {"FR-16", "camera recorder"}, "6": {"FE-1", "server"}}},
	root + "3": {"Halyard Power", map[string][2]string{"1": {"HP-3000", "UPS"}}},
	root + "4": {"Tern Storage", map[string][2]string{"1": {"TS-9", "shared store"}}},
}

// vendorOf finds the maker of a model, for devices that the demo loads
// without sweeping.
func vendorOf(model string) string {
	for _, m := range makers {
		for _, product := range m.models {
			if product[0] == model {
				return m.name
			}
		}
	}
	return ""
}

// Recognition are the rules by which the demo world recognises its devices.
func Recognition() string {
	var out strings.Builder
	out.WriteString("# What the makers of the Kittiwake Line's devices call their products.\nrules:\n")
	for _, prefix := range slices.Sorted(maps.Keys(makers)) {
		m := makers[prefix]
		for _, number := range slices.Sorted(maps.Keys(m.models)) {
			product := m.models[number]
			fmt.Fprintf(&out, "  - {when: 'object_id == \"%s.%s\"', model: %s, kind: %s}\n", prefix, number, product[0], product[1])
		}
		fmt.Fprintf(&out, "  - {when: 'object_id.startsWith(\"%s.\")', vendor: %s}\n", prefix, m.name)
	}
	return out.String()
}

// EngineID is the SNMP engine id that a simulated device shows, as a sweep
// writes it: the enterprise number, format 4 (text), and the name.
func EngineID(name string) string {
	return hex.EncodeToString([]byte("\x80\x00\x7e\xd9\x04" + name))
}

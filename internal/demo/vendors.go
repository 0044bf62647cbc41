package demo

import (
	"encoding/hex"

	"tirelessowl/internal/core/identity"
)

// vendorOf finds the maker of a model, for devices that the demo loads
// without sweeping.
func vendorOf(model string) string {
	for _, v := range Vendors() {
		for _, m := range v.Models {
			if m.Name == model {
				return v.Name
			}
		}
	}
	return ""
}

// Vendors are the invented makers of the demo world by object id, under the
// enterprise number reserved for documentation (32473, RFC 5612).
func Vendors() map[string]identity.Vendor {
	const root = "1.3.6.1.4.1.32473."
	return map[string]identity.Vendor{
		root + "1": {Name: "Brackwater Networks", Models: map[string]identity.Model{
			"1": {Name: "BS-48", Kind: "switch"}, "2": {Name: "BS-24", Kind: "switch"}, "3": {Name: "BS-8", Kind: "switch"},
			"10": {Name: "BR-240", Kind: "router"}, "11": {Name: "BR-SAT", Kind: "router"}, "20": {Name: "BF-12", Kind: "firewall"},
			"30": {Name: "BA-3", Kind: "access point"}, "31": {Name: "BG-2", Kind: "gateway"}}},
		root + "2": {Name: "Fathom Systems", Models: map[string]identity.Model{
			"1": {Name: "FH-2", Kind: "hypervisor"}, "2": {Name: "FS Linux", Kind: "virtual machine"}, "3": {Name: "FK-1", Kind: "kiosk"},
			"4": {
				Name: "FB-4",
				Kind: "departure board",
			}, "5": {Name: "FR-16", Kind: "camera recorder"}, "6": {Name: "FE-1", Kind: "server"}}},
		root + "3": {Name: "Halyard Power", Models: map[string]identity.Model{"1": {Name: "HP-3000", Kind: "UPS"}}},
		root + "4": {Name: "Tern Storage", Models: map[string]identity.Model{"1": {Name: "TS-9", Kind: "shared store"}}},
	}
}

// EngineID is the SNMP engine id that a simulated device shows, as a sweep
// writes it: the enterprise number, format 4 (text), and the name.
func EngineID(name string) string {
	return hex.EncodeToString([]byte("\x80\x00\x7e\xd9\x04" + name))
}

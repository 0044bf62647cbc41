package sim

// product is one invented thing that one can buy. Object ids come from the
// enterprise number reserved for documentation (32473, RFC 5612).
type product struct {
	vendor, model, kind string
	objectID            string
	description         string
	services            uint64
}

var products = map[string]product{
	"switch48": {
		"Brackwater Networks",
		"BS-48",
		"switch",
		"1.3.6.1.4.1.32473.1.1",
		"Brackwater Networks BS-48 managed switch, release 6.2",
		2,
	},
	"switch24": {
		"Brackwater Networks",
		"BS-24",
		"switch",
		"1.3.6.1.4.1.32473.1.2",
		"Brackwater Networks BS-24 managed switch, release 6.2",
		2,
	},
	"switch8": {
		"Brackwater Networks",
		"BS-8",
		"switch",
		"1.3.6.1.4.1.32473.1.3",
		"Brackwater Networks BS-8 compact switch, release 6.0",
		2,
	},
	"router": {"Brackwater Networks", "BR-240", "router", "1.3.6.1.4.1.32473.1.10", "Brackwater Networks BR-240 router, release 9.1", 4},
	"satellite": {
		"Brackwater Networks",
		"BR-SAT",
		"router",
		"1.3.6.1.4.1.32473.1.11",
		"Brackwater Networks BR-SAT satellite router, release 9.1",
		4,
	},
	"firewall": {
		"Brackwater Networks",
		"BF-12",
		"firewall",
		"1.3.6.1.4.1.32473.1.20",
		"Brackwater Networks BF-12 firewall, release 4.4",
		4,
	},
	"ap": {
		"Brackwater Networks",
		"BA-3",
		"access point",
		"1.3.6.1.4.1.32473.1.30",
		"Brackwater Networks BA-3 access point, release 3.8",
		2,
	},
	"gateway": {
		"Brackwater Networks",
		"BG-2",
		"gateway",
		"1.3.6.1.4.1.32473.1.31",
		"Brackwater Networks BG-2 passenger gateway, release 2.5",
		4,
	},
	"hypervisor": {"Fathom Systems", "FH-2", "hypervisor", "1.3.6.1.4.1.32473.2.1", "Fathom Systems FH-2 hypervisor host, build 7714", 72},
	"vm":         {"Fathom Systems", "FS Linux", "virtual machine", "1.3.6.1.4.1.32473.2.2", "Fathom Systems server Linux 6.1 x86_64", 72},
	"kiosk":      {"Fathom Systems", "FK-1", "kiosk", "1.3.6.1.4.1.32473.2.3", "Fathom Systems FK-1 ticket kiosk, Linux 6.1", 72},
	"board":      {"Fathom Systems", "FB-4", "departure board", "1.3.6.1.4.1.32473.2.4", "Fathom Systems FB-4 departure board", 72},
	"recorder": {
		"Fathom Systems",
		"FR-16",
		"camera recorder",
		"1.3.6.1.4.1.32473.2.5",
		"Fathom Systems FR-16 camera recorder, Linux 5.15",
		72,
	},
	"engine": {"Fathom Systems", "FE-1", "server", "1.3.6.1.4.1.32473.2.6", "Fathom Systems FE-1 engine data server, Linux 5.15", 72},
	"ups":    {"Halyard Power", "HP-3000", "UPS", "1.3.6.1.4.1.32473.3.1", "Halyard Power HP-3000 uninterruptible power supply", 72},
	"store":  {"Tern Storage", "TS-9", "shared store", "1.3.6.1.4.1.32473.4.1", "Tern Storage TS-9 shared store, release 12", 72},
}

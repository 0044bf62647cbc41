// Package identity tells which answers come from one and the same thing:
// addresses of one device, rows of one part.
package identity

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"tirelessowl/internal/core/why"
)

// Responder is one address that answered, with what it told of itself.
type Responder struct {
	Address netip.Addr
	// EngineID is snmpEngineID (RFC 3411), unique to an agent; may be empty.
	EngineID string
	Name     string
	ObjectID string
	// Serial is the serial number of the whole (entPhysicalSerialNum, ENTITY-MIB);
	// may be empty.
	Serial string
	// Own are the addresses that the device says it has (ipAdEntAddr, ipAddressTable).
	Own []netip.Addr
	// Shared are those that it answers for only while others do not, such as those of virtual
	// routers (VRRP, RFC 5798): whoever answers there today may be another one tomorrow.
	Shared []netip.Addr
}

// Answer is what one address told of the device behind it.
type Answer struct {
	Responder
	Description string
	Location    string
	// Maker and Model are what it says of the whole (entPhysicalMfgName and
	// entPhysicalModelName, RFC 6933); may be empty.
	Maker, Model string
	Services     int // sysServices (RFC 3418)
	// Parts counts what it has inside, by purpose.
	Parts map[string]int
	// Facts are what kits may need: "answers:snmp", "mib:interfaces", …
	Facts []string
	// Hardware are the addresses of its interfaces (ifPhysAddress, RFC 2863).
	Hardware []string
	// Neighbours are what it says stands next to it (LLDP-MIB), Stations what it has learned as a
	// bridge (RFC 4188).
	Neighbours []Neighbour
	Stations   []Station
}

// Group is the addresses of one device, the lowest first.
type Group struct {
	Members []int // places in the input
	Why     why.Trace
	// Doubt is why the group may not be what it seems; empty where nothing speaks
	// against it.
	Doubt string
}

// Merge groups responders that are one device: they show the same engine id, or the same
// serial number and object id, or the same name and object id while one lists the other's
// address as its own.
func Merge(in []Responder) []Group {
	parent := make([]int, len(in))
	reasons := make([]string, len(in))
	for i := range parent {
		parent[i] = i
	}
	find := func(i int) int {
		for parent[i] != i {
			i = parent[i]
		}
		return i
	}
	unite := func(i, j int, reason string) {
		if a, b := find(i), find(j); a != b {
			parent[max(a, b)] = min(a, b)
			reasons[max(a, b)] = reason
		}
	}
	engines, addresses := map[string][]int{}, map[netip.Addr]int{}
	doubts := make([]string, len(in))
	for i, r := range in {
		addresses[r.Address] = i
		if r.EngineID == "" {
			continue
		}
		for _, first := range engines[r.EngineID] {
			if reason := apart(in[first], r); reason != "" {
				doubts[i], doubts[first] = cmp.Or(doubts[i], copyOf(in[first], reason)), cmp.Or(doubts[first], copyOf(r, reason))
				continue
			}
			unite(first, i, fmt.Sprintf("%s and %s show the same engine id", in[first].Address, r.Address))
		}
		engines[r.EngineID] = append(engines[r.EngineID], i)
	}
	serials := map[string]int{}
	for i, r := range in {
		if r.Serial == "" {
			continue
		}
		product := r.ObjectID + " " + r.Serial
		if first, ok := serials[product]; ok {
			unite(first, i, fmt.Sprintf("%s and %s show the same serial number", in[first].Address, r.Address))
		} else {
			serials[product] = i
		}
	}
	for i, r := range in {
		for _, own := range r.Own {
			if j, ok := addresses[own]; ok && j != i && in[j].Name == r.Name && in[j].ObjectID == r.ObjectID {
				unite(i, j, fmt.Sprintf("%s lists %s as its own, with the same name", r.Address, own))
			}
		}
	}
	return collect(in, find, reasons, doubts)
}

// apart tells why two that show the same engine id are two devices all the same:
// images of machines are copied with their engine ids. It is empty for one device.
func apart(a, b Responder) string {
	switch {
	case slices.Contains(a.Own, b.Address) || slices.Contains(b.Own, a.Address):
		return ""
	case a.Serial != "" && b.Serial != "" && a.Serial != b.Serial:
		return "another serial number"
	case a.Serial != "" && a.Serial == b.Serial:
		return ""
	case a.Name != "" && b.Name != "" && !strings.EqualFold(a.Name, b.Name):
		return "another name"
	}
	return ""
}

func copyOf(other Responder, reason string) string {
	return fmt.Sprintf("It shows the engine id of %s at %s, and has %s: one may be a copy of the other.", other.Name, other.Address, reason)
}

func collect(in []Responder, find func(int) int, reasons, doubts []string) []Group {
	place := map[int]int{}
	var groups []Group
	for i := range in {
		root := find(i)
		g, ok := place[root]
		if !ok {
			g = len(groups)
			place[root] = g
			groups = append(groups, Group{Why: why.Trace{Question: "One device, or several?"}})
		}
		groups[g].Members = append(groups[g].Members, i)
		if groups[g].Doubt == "" && doubts[i] != "" {
			groups[g].Doubt = doubts[i]
			groups[g].Why.Because(doubts[i], "they count as two devices", nil)
		}
		if reasons[i] != "" {
			groups[g].Why.Because(reasons[i], "", nil)
		}
	}
	for g := range groups {
		slices.SortFunc(groups[g].Members, func(a, b int) int { return in[a].Address.Compare(in[b].Address) })
		groups[g].Why.Answer = fmt.Sprintf("one device with %d addresses", len(groups[g].Members))
		if len(groups[g].Members) == 1 {
			groups[g].Why.Answer = "one device with one address"
		}
	}
	return groups
}

// Key returns what identifies a responder across sweeps.
func (r Responder) Key() string {
	if r.EngineID != "" {
		return "engine:" + r.EngineID
	}
	return "address:" + r.Address.String()
}

// Key returns what identifies a group across sweeps: what its first member shows,
// with its name where others show the same.
func (g Group) Key(in []Responder) string {
	first := in[g.Members[0]]
	if g.Doubt == "" {
		return first.Key()
	}
	return first.Key() + " name:" + first.Name
}

// Virtual are the addresses that some responders answer for only while others do not.
func Virtual(in []Responder) map[netip.Addr]bool {
	out := map[netip.Addr]bool{}
	for _, r := range in {
		for _, a := range r.Shared {
			out[a] = true
		}
	}
	return out
}

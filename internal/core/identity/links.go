package identity

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
)

// Neighbour is what a device says stands next to it, at one of its ports.
type Neighbour struct {
	Port       string       `json:"port"`
	Name       string       `json:"name"`    // what the other calls itself
	Chassis    string       `json:"chassis"` // how it is known, mostly a hardware address
	RemotePort string       `json:"remote_port"`
	Addresses  []netip.Addr `json:"addresses,omitempty"`
}

// Station is a hardware address that a bridge has heard at one of its ports.
type Station struct {
	Port     string `json:"port"`
	Hardware string `json:"hardware"`
}

func cleanNeighbours(in []Neighbour) []Neighbour {
	out := in[:min(len(in), mostNeighbours)]
	for i, n := range out {
		out[i].Port, out[i].Name = text.Brief(n.Port, mostName), text.Brief(n.Name, mostName)
		out[i].Chassis, out[i].RemotePort = text.Brief(n.Chassis, mostName), text.Brief(n.RemotePort, mostName)
		out[i].Addresses = n.Addresses[:min(len(n.Addresses), 8)]
	}
	return out
}

// Link is what stands at a port of a device.
type Link struct {
	From int    // of the devices that were given
	Port string // of that one
	// To is the device that stands there, less than 0 where none of those is it.
	To         int
	Name       string // what that calls itself
	RemotePort string
	Why        string
}

// Thing is one device, with all that its addresses told.
type Thing struct{ Answers []Answer }

// Links tells what stands next to what: as devices say of their neighbours (LLDP), and else where a
// bridge has heard of one single device at a port. A port behind which there are several tells of
// none by itself.
func Links(things []Thing) (out []Link) {
	index := indexOf(things)
	for from, t := range things {
		told := map[string]bool{} // ports
		for _, a := range t.Answers {
			for _, n := range a.Neighbours {
				link := index.neighbour(from, n)
				if !slices.ContainsFunc(out, func(l Link) bool { return l.same(link) }) {
					told[n.Port] = true
					out = append(out, link)
				}
			}
		}
		for _, link := range index.heard(from, t) {
			if !told[link.Port] {
				out = append(out, link)
			}
		}
	}
	return out
}

func (l Link) same(o Link) bool {
	return l.From == o.From && l.Port == o.Port && l.Name == o.Name && l.RemotePort == o.RemotePort
}

// index finds devices by what they are known by; -1 stands for several.
type index struct{ hardware, name, address map[string]int }

func indexOf(things []Thing) index {
	x := index{map[string]int{}, map[string]int{}, map[string]int{}}
	note := func(in map[string]int, key string, i int) {
		if key == "" {
			return
		}
		if was, ok := in[key]; ok && was != i {
			i = -1
		}
		in[key] = i
	}
	for i, t := range things {
		for _, a := range t.Answers {
			for _, h := range a.Hardware {
				note(x.hardware, h, i)
			}
			note(x.name, strings.ToLower(a.Name), i)
			note(x.address, a.Address.String(), i)
			for _, own := range a.Own {
				note(x.address, own.String(), i)
			}
		}
	}
	return x
}

func one(in map[string]int, key string) (int, bool) {
	i, ok := in[key]
	return i, ok && i >= 0
}

// neighbour is the link to what a device says stands at a port.
func (x index) neighbour(from int, n Neighbour) Link {
	l := Link{From: from, Port: n.Port, To: -1, Name: n.Name, RemotePort: n.RemotePort, Why: "it says so (LLDP)"}
	if l.Name == "" {
		l.Name = n.Chassis
	}
	if to, ok := one(x.hardware, n.Chassis); ok && to != from {
		l.To, l.Why = to, l.Why+": the hardware address "+n.Chassis+" is that of the other"
		return l
	}
	for _, a := range n.Addresses {
		if to, ok := one(x.address, a.String()); ok && to != from {
			l.To, l.Why = to, fmt.Sprintf("%s: the address %s is that of the other", l.Why, a)
			return l
		}
	}
	if to, ok := one(x.name, strings.ToLower(n.Name)); ok && to != from {
		l.To, l.Why = to, l.Why+": the other calls itself so, and no other does"
	}
	return l
}

// heard are the links of a bridge to those that it hears alone at a port.
func (x index) heard(from int, t Thing) (out []Link) {
	at := map[string]map[int]string{}
	var ports []string
	for _, a := range t.Answers {
		for _, s := range a.Stations {
			to, ok := one(x.hardware, s.Hardware)
			if !ok || to == from {
				continue
			}
			if at[s.Port] == nil {
				at[s.Port] = map[int]string{}
				ports = append(ports, s.Port)
			}
			at[s.Port][to] = s.Hardware
		}
	}
	for _, port := range ports {
		if len(at[port]) > 1 {
			continue
		}
		for to, hardware := range at[port] {
			out = append(out, Link{From: from, Port: port, To: to,
				Why: "of all that was found it hears this one alone there, by its hardware address " + hardware})
		}
	}
	return out
}

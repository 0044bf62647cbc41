// Package guard decides which addresses may be talked to. Whoever may set an address could
// else let us ask what only this machine reaches.
package guard

import (
	"net/netip"

	"tirelessowl/internal/core/ranges"
)

// Guard knows which addresses are not for us. The zero value allows no exceptions, and
// knows of no address of this machine but those that every machine has.
type Guard struct {
	allowed ranges.Set
	own     ranges.Set
	bounds  Bounds
}

// New returns a guard; allowed are exceptions, and own are the addresses of this machine.
func New(allowed, own ranges.Set) Guard { return Guard{allowed: allowed, own: own} }

// Within returns a guard that also keeps to bounds: exceptions from the rest do not lead
// outside of them.
func (g Guard) Within(b Bounds) Guard {
	g.bounds = b
	return g
}

// forbidden are ranges that are never meant, each with what it is (RFC 6890).
var forbidden = []struct {
	in   netip.Prefix
	what string
}{
	{netip.MustParsePrefix("127.0.0.0/8"), "is this machine itself"},
	{netip.MustParsePrefix("::1/128"), "is this machine itself"},
	{netip.MustParsePrefix("0.0.0.0/8"), "is no address of a device"},
	{netip.MustParsePrefix("::/128"), "is no address of a device"},
	{netip.MustParsePrefix("169.254.0.0/16"), "is link-local"},
	{netip.MustParsePrefix("fe80::/10"), "is link-local"},
	{netip.MustParsePrefix("224.0.0.0/4"), "is multicast"},
	{netip.MustParsePrefix("ff00::/8"), "is multicast"},
	{netip.MustParsePrefix("255.255.255.255/32"), "is broadcast"},
}

// Refusal says what is against talking to an address; nothing where that may be.
func (g Guard) Refusal(a netip.Addr) string {
	a = a.Unmap().WithZone("") // ::ffff:127.0.0.1 is 127.0.0.1
	if !a.IsValid() {
		return "is no address"
	}
	if refusal := g.bounds.Refusal(a); refusal != "" {
		return refusal
	}
	if g.allowed.Contains(a) {
		return ""
	}
	for _, f := range forbidden {
		if f.in.Contains(a) {
			return f.what
		}
	}
	if g.own.Contains(a) {
		return "is this machine itself"
	}
	return ""
}

// RefusalOf says of the first address of a set which may not be talked to what is against
// it; ok is true where all may.
func (g Guard) RefusalOf(set ranges.Set) (first netip.Addr, refusal string, ok bool) {
	if a, refusal, out := g.bounds.First(set); out {
		return a, refusal, false
	}
	left := set.Without(g.allowed)
	for _, f := range forbidden {
		network, _ := ranges.Read(f.in.String()) // they are well-formed
		if a, some := left.First(network); some {
			return a, f.what, false
		}
	}
	if a, some := left.First(g.own); some {
		return a, "is this machine itself", false
	}
	return netip.Addr{}, "", true
}

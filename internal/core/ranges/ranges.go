// Package ranges reads sets of addresses as people write them: CIDR blocks,
// first-last pairs, single addresses; separated by commas, spaces or lines.
package ranges

import (
	"fmt"
	"math"
	"math/big"
	"net/netip"
	"strings"

	"go4.org/netipx"
)

// MaxAddresses is the largest set that may be swept: an IPv4 /8.
const MaxAddresses = 1 << 24

// Error tells which piece of the input is wrong and why.
type Error struct{ Input, Reason string }

func (e *Error) Error() string { return fmt.Sprintf("“%s”: %s", shorten(e.Input), e.Reason) }

// Set is a set of addresses; the zero value is empty.
type Set struct{ set *netipx.IPSet }

// Parse reads a list of ranges to try. A set of more than MaxAddresses addresses
// and anything malformed is refused with an *Error.
func Parse(text string) (Set, error) {
	s, err := Read(text)
	if err != nil {
		return s, err
	}
	if n := s.size(); n.Cmp(big.NewInt(MaxAddresses)) > 0 {
		return Set{}, &Error{text, fmt.Sprintf("%s addresses are more than one sweep may try (%d, a /8)", n, MaxAddresses)}
	}
	return s, nil
}

// Read reads a list of ranges, however many addresses that are; anything
// malformed is refused with an *Error.
func Read(text string) (Set, error) {
	var b netipx.IPSetBuilder
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(", \t\r\n;", r) }) {
		r, err := parseOne(piece)
		if err != nil {
			return Set{}, err
		}
		b.AddRange(r)
	}
	return built(&b), nil
}

func built(b *netipx.IPSetBuilder) Set {
	set, err := b.IPSet()
	if err != nil {
		panic(err) // only ranges that are not valid can bring it
	}
	return Set{set}
}

func parseOne(piece string) (netipx.IPRange, error) {
	if strings.Contains(piece, "/") {
		p, err := netip.ParsePrefix(piece)
		if err != nil {
			return netipx.IPRange{}, &Error{piece, "not a network such as 192.0.2.0/24"}
		}
		if p.Addr().Is4In6() {
			return netipx.IPRange{}, &Error{piece, "write it as a network of IPv4"}
		}
		return netipx.RangeOfPrefix(p), nil
	}
	first, last, isPair := strings.Cut(piece, "-")
	a, err := netip.ParseAddr(first)
	if err != nil || a.Zone() != "" {
		return netipx.IPRange{}, &Error{piece, "not an address; write 192.0.2.7, 192.0.2.1-192.0.2.9 or 192.0.2.0/24"}
	}
	a = a.Unmap() // ::ffff:192.0.2.1 is 192.0.2.1
	if !isPair {
		return netipx.IPRangeFrom(a, a), nil
	}
	b, err := netip.ParseAddr(last)
	b = b.Unmap()
	switch {
	case err != nil || b.Zone() != "":
		return netipx.IPRange{}, &Error{piece, "the end of the range is not an address"}
	case a.BitLen() != b.BitLen():
		return netipx.IPRange{}, &Error{piece, "both ends must be IPv4, or both IPv6"}
	case b.Less(a):
		return netipx.IPRange{}, &Error{piece, "the range ends before it begins"}
	}
	return netipx.IPRangeFrom(a, b), nil
}

// Ranges returns the set as ranges, ordered and without overlap.
func (s Set) Ranges() []netipx.IPRange {
	if s.set == nil {
		return nil
	}
	return s.set.Ranges()
}

func (s Set) size() *big.Int {
	total := new(big.Int)
	for _, r := range s.Ranges() {
		a, b := new(big.Int).SetBytes(r.From().AsSlice()), new(big.Int).SetBytes(r.To().AsSlice())
		total.Add(total, b.Sub(b, a)).Add(total, big.NewInt(1))
	}
	return total
}

// Len returns the number of addresses; the largest number there is for any more.
func (s Set) Len() int64 {
	if n := s.size(); n.IsInt64() {
		return n.Int64()
	}
	return math.MaxInt64
}

// Contains tells whether an address is in the set.
func (s Set) Contains(a netip.Addr) bool { return s.set != nil && s.set.Contains(a) }

// Within tells whether all addresses of a set are in another.
func (s Set) Within(other Set) bool { return len(s.Without(other).Ranges()) == 0 }

// Loopback tells that every address is one of this machine alone.
func (s Set) Loopback() bool {
	for _, r := range s.Ranges() {
		if !r.From().IsLoopback() || !r.To().IsLoopback() {
			return false
		}
	}
	return len(s.Ranges()) > 0
}

// First returns the first address that is in another set, too; ok is false where none is.
func (s Set) First(other Set) (a netip.Addr, ok bool) {
	var b netipx.IPSetBuilder
	for _, r := range s.Ranges() {
		b.AddRange(r)
	}
	if other.set == nil {
		return a, false
	}
	b.Intersect(other.set)
	if both := built(&b).Ranges(); len(both) > 0 {
		return both[0].From(), true
	}
	return a, false
}

// With are the addresses of both.
func (s Set) With(other Set) Set {
	var b netipx.IPSetBuilder
	for _, r := range append(s.Ranges(), other.Ranges()...) {
		b.AddRange(r)
	}
	return built(&b)
}

// Without returns the set that remains when the addresses of another are left out.
func (s Set) Without(except Set) Set {
	var b netipx.IPSetBuilder
	for _, r := range s.Ranges() {
		b.AddRange(r)
	}
	for _, r := range except.Ranges() {
		b.RemoveRange(r)
	}
	return built(&b)
}

// Each calls f with every address, in order, until f returns false.
func (s Set) Each(f func(netip.Addr) bool) {
	for _, r := range s.Ranges() {
		for a := r.From(); ; a = a.Next() {
			if !f(a) {
				return
			}
			if a == r.To() {
				break
			}
		}
	}
}

func shorten(text string) string {
	text = strings.TrimSpace(text)
	if len(text) > 60 {
		return strings.ToValidUTF8(text[:60], "") + "…"
	}
	return text
}

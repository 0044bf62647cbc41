// Package ranges reads sets of addresses as people write them: CIDR blocks,
// first-last pairs, single addresses; separated by commas, spaces or lines.
package ranges

import (
	"fmt"
	"math/big"
	"net/netip"
	"sort"
	"strings"
)

// MaxAddresses is the largest set that may be swept: an IPv4 /8.
const MaxAddresses = 1 << 24

// Range is a run of addresses, both ends included.
type Range struct{ First, Last netip.Addr }

// Error tells which piece of the input is wrong and why.
type Error struct{ Input, Reason string }

func (e *Error) Error() string { return fmt.Sprintf("“%s”: %s", e.Input, e.Reason) }

// Set is a list of ranges, ordered and without overlap.
type Set []Range

// Parse reads a list of ranges. Overlapping ranges are joined. A set of more
// than MaxAddresses addresses, an empty one, and anything malformed is refused.
func Parse(text string) (Set, error) {
	pieces := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(", \t\r\n;", r) })
	var set Set
	for _, piece := range pieces {
		r, err := parseOne(piece)
		if err != nil {
			return nil, err
		}
		set = append(set, r)
	}
	set = join(set)
	if n := set.size(); n.Cmp(big.NewInt(MaxAddresses)) > 0 {
		return nil, &Error{shorten(text), fmt.Sprintf("%s addresses are more than one sweep may try (%d, a /8)", n, MaxAddresses)}
	}
	return set, nil
}

func parseOne(piece string) (Range, error) {
	if strings.Contains(piece, "/") {
		p, err := netip.ParsePrefix(piece)
		if err != nil {
			return Range{}, &Error{piece, "not a network such as 192.0.2.0/24"}
		}
		return Range{p.Masked().Addr(), lastOf(p)}, nil
	}
	first, last, isPair := strings.Cut(piece, "-")
	a, err := netip.ParseAddr(first)
	if err != nil || a.Zone() != "" {
		return Range{}, &Error{piece, "not an address; write 192.0.2.7, 192.0.2.1-192.0.2.9 or 192.0.2.0/24"}
	}
	if !isPair {
		return Range{a, a}, nil
	}
	b, err := netip.ParseAddr(last)
	switch {
	case err != nil:
		return Range{}, &Error{piece, "the end of the range is not an address"}
	case a.BitLen() != b.BitLen():
		return Range{}, &Error{piece, "both ends must be IPv4, or both IPv6"}
	case b.Less(a):
		return Range{}, &Error{piece, "the range ends before it begins"}
	}
	return Range{a, b}, nil
}

func lastOf(p netip.Prefix) netip.Addr {
	b := p.Masked().Addr().AsSlice()
	for i := p.Bits(); i < len(b)*8; i++ {
		b[i/8] |= 1 << (7 - i%8)
	}
	last, _ := netip.AddrFromSlice(b)
	return last
}

func join(in Set) Set {
	sort.Slice(in, func(i, j int) bool { return in[i].First.Less(in[j].First) })
	var out Set
	for _, r := range in {
		if n := len(out); n > 0 && out[n-1].Last.BitLen() == r.First.BitLen() &&
			(!out[n-1].Last.Less(r.First) || out[n-1].Last.Next() == r.First) {
			if out[n-1].Last.Less(r.Last) {
				out[n-1].Last = r.Last
			}
			continue
		}
		out = append(out, r)
	}
	return out
}

func (s Set) size() *big.Int {
	total := new(big.Int)
	for _, r := range s {
		a, b := new(big.Int).SetBytes(r.First.AsSlice()), new(big.Int).SetBytes(r.Last.AsSlice())
		total.Add(total, b.Sub(b, a)).Add(total, big.NewInt(1))
	}
	return total
}

// Len returns the number of addresses.
func (s Set) Len() int64 { return s.size().Int64() }

// Contains tells whether an address is in the set.
func (s Set) Contains(a netip.Addr) bool {
	i := sort.Search(len(s), func(i int) bool { return !s[i].Last.Less(a) })
	return i < len(s) && !a.Less(s[i].First)
}

// Each calls f with every address that is not in except, in order, until f
// returns false.
func (s Set) Each(except Set, f func(netip.Addr) bool) {
	for _, r := range s {
		for a := r.First; ; a = a.Next() {
			if !except.Contains(a) && !f(a) {
				return
			}
			if a == r.Last {
				break
			}
		}
	}
}

// Without returns how many addresses remain when those in except are left out.
func (s Set) Without(except Set) int64 {
	n := s.Len()
	for _, r := range s {
		for _, x := range except {
			first, last := r.First, r.Last
			if first.Less(x.First) {
				first = x.First
			}
			if x.Last.Less(last) {
				last = x.Last
			}
			if first.BitLen() == last.BitLen() && !last.Less(first) {
				n -= Set{{first, last}}.Len()
			}
		}
	}
	return n
}

func shorten(text string) string {
	text = strings.TrimSpace(text)
	if len(text) > 60 {
		return text[:60] + "…"
	}
	return text
}

package mib

import (
	"encoding/hex"
	"math"
	"net/netip"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"tirelessowl/internal/core/units"
)

// Type is what a value is on the wire (RFC 2578, section 7.1).
type Type string

// The types on the wire.
const (
	Integer   Type = "Integer32"
	Unsigned  Type = "Unsigned32" // and Gauge32, which is the same on the wire
	Counter32 Type = "Counter32"
	Counter64 Type = "Counter64"
	TimeTicks Type = "TimeTicks"
	Octets    Type = "OCTET STRING"
	Name      Type = "OBJECT IDENTIFIER"
	Address   Type = "IpAddress"
	Opaque    Type = "Opaque"
	Float     Type = "Opaque (float)"
	Other     Type = "other"
)

// Value is one value as an agent gave it.
type Value struct {
	Type  Type
	Int   int64   // of Integer
	Count uint64  // of Unsigned, Counter32, Counter64 and TimeTicks
	Real  float64 // of Float
	Bytes []byte  // of Octets, Address and Opaque
	OID   OID     // of Name
}

// Variable is a value with the name of its instance.
type Variable struct {
	OID   OID
	Value Value
}

// Show writes a value as people read it, by what is known of its object: words for the numbers
// of an enumeration, times for hundredths of a second, bytes by their display hint.
func (o Object) Show(v Value) string {
	switch v.Type {
	case Integer:
		return o.showInteger(v.Int)
	case TimeTicks:
		return units.Span(time.Duration(v.Count) * 10 * time.Millisecond)
	case Unsigned, Counter32, Counter64:
		return strconv.FormatUint(v.Count, 10)
	case Float:
		return strconv.FormatFloat(v.Real, 'g', -1, 64)
	case Name:
		return v.OID.String()
	case Address:
		return address(v.Bytes)
	case Octets, Opaque:
		return o.showBytes(v.Bytes)
	}
	return ""
}

// Unshown tells what a shown value is besides, such as the number behind a word; empty where
// nothing is.
func (o Object) Unshown(v Value) string {
	switch {
	case v.Type == Integer && o.Words[v.Int] != "":
		return strconv.FormatInt(v.Int, 10)
	case v.Type == TimeTicks:
		return strconv.FormatUint(v.Count, 10)
	}
	return ""
}

func (o Object) showInteger(n int64) string {
	if word, ok := o.Words[n]; ok {
		return word
	}
	if text, ok := hintInteger(o.Hint, n); ok {
		return text
	}
	return strconv.FormatInt(n, 10)
}

func (o Object) showBytes(b []byte) string {
	switch {
	case o.Syntax == Bits:
		return o.bits(b)
	case o.Convention == "InetAddress" && (len(b) == 4 || len(b) == 16):
		return address(b)
	}
	if o.Hint != "" {
		if text, ok := hintBytes(o.Hint, b); ok {
			return clean(text)
		}
	}
	return Plain(b)
}

// bits names the bits that are set, the first being the highest of the first byte
// (RFC 2578, section 7.1.4).
func (o Object) bits(b []byte) string {
	var out []string
	for i := range min(len(b), 64) * 8 {
		if b[i/8]&(0x80>>(i%8)) == 0 {
			continue
		}
		word, ok := o.Words[int64(i)]
		if !ok {
			word = "bit " + strconv.Itoa(i)
		}
		out = append(out, word)
	}
	if len(out) == 0 {
		return "none"
	}
	return strings.Join(out, ", ")
}

func address(b []byte) string {
	if a, ok := netip.AddrFromSlice(b); ok {
		return a.String()
	}
	return hex.EncodeToString(b)
}

// Plain writes bytes as text where they are text, else in hexadecimal with colons.
func Plain(b []byte) string {
	text := strings.TrimRight(string(b), "\x00")
	odd := func(r rune) bool { return unicode.IsControl(r) && !unicode.IsSpace(r) }
	if utf8.ValidString(text) && strings.IndexFunc(text, odd) < 0 {
		return clean(text)
	}
	return hexadecimal(b, ":")
}

// clean leaves no control characters in what is shown.
func clean(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(text, "\uFFFD"))
}

func hexadecimal(b []byte, between string) string {
	parts := make([]string, len(b))
	for i := range b {
		parts[i] = hex.EncodeToString(b[i : i+1])
	}
	return strings.Join(parts, between)
}

// Number is a value as a number; ok is false for what is none.
func (v Value) Number() (n float64, ok bool) {
	switch v.Type {
	case Integer:
		return float64(v.Int), true
	case Unsigned, Counter32, Counter64, TimeTicks:
		return float64(v.Count), true
	case Float:
		return v.Real, !math.IsNaN(v.Real) && !math.IsInf(v.Real, 0)
	}
	return 0, false
}

package mib

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// OID is an object identifier, number by number.
type OID []uint32

// mostNumbers is how many numbers an object identifier may have (RFC 2578, section 3.5).
const mostNumbers = 128

// ParseOID reads numbers with dots between them, with or without one in front.
func ParseOID(text string) (OID, error) {
	trimmed := strings.TrimPrefix(text, ".")
	if trimmed == "" {
		return nil, fmt.Errorf("“%s” is no object identifier: numbers with dots between them", text)
	}
	parts := strings.Split(trimmed, ".")
	if len(parts) > mostNumbers {
		return nil, fmt.Errorf("an object identifier has at most %d numbers, this one has %d", mostNumbers, len(parts))
	}
	out := make(OID, len(parts))
	for i, part := range parts {
		n, err := strconv.ParseUint(part, 10, 32)
		if err != nil || strconv.FormatUint(n, 10) != part {
			return nil, fmt.Errorf("“%.60s” is no object identifier: “%.20s” is not a number from 0 to 4294967295", text, part)
		}
		out[i] = uint32(n)
	}
	return out, nil
}

// String writes the numbers with dots between them.
func (o OID) String() string {
	var b strings.Builder
	for i, n := range o {
		if i > 0 {
			b.WriteByte('.')
		}
		b.WriteString(strconv.FormatUint(uint64(n), 10))
	}
	return b.String()
}

// Within tells whether it is another one or lies below it.
func (o OID) Within(root OID) bool { return len(o) >= len(root) && slices.Equal(o[:len(root)], root) }

// Compare puts object identifiers in the order of a walk (RFC 3416, section 2.2).
func (o OID) Compare(other OID) int { return slices.Compare(o, other) }

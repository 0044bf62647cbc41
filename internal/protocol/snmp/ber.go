package snmp

import (
	"bytes"
	"encoding/asn1"
	"encoding/binary"
)

// Tags of BER that messages are made of (RFC 3417 section 8).
const (
	tagInteger  = 0x02
	tagOctets   = 0x04
	tagSequence = 0x30
)

// wrapped is one element of BER with its parts.
func wrapped(tag byte, parts ...[]byte) []byte {
	body := bytes.Join(parts, nil)
	out := []byte{tag}
	switch n := len(body); {
	case n < 0x80:
		out = append(out, byte(n))
	case n <= 0xff:
		out = append(out, 0x81, byte(n))
	default:
		out = append(out, 0x82, byte(n>>8), byte(n))
	}
	return append(out, body...)
}

// wholeNumber is a number that is not negative.
func wholeNumber(n uint32) []byte {
	b := binary.BigEndian.AppendUint32([]byte{0}, n)
	for len(b) > 1 && b[0] == 0 && b[1] < 0x80 {
		b = b[1:]
	}
	return wrapped(tagInteger, b)
}

func octetString(b []byte) []byte { return wrapped(tagOctets, b) }

// cursor reads elements one after the other. What is broken ends it: then err says so, and
// everything that is read is empty.
type cursor struct {
	all  []byte
	rest []byte
	err  error
}

func reading(b []byte) *cursor { return &cursor{all: b, rest: b} }

// next takes an element with a tag.
func (c *cursor) next(tag byte) []byte {
	if c.err != nil {
		return nil
	}
	var contents []byte
	if contents, c.rest, c.err = element(c.rest, tag); c.err != nil {
		return nil
	}
	return contents
}

// number takes a whole number of at most 32 bits.
func (c *cursor) number() (n uint32) {
	b := c.next(tagInteger)
	if c.err == nil && (len(b) == 0 || len(b) > 5 || len(b) == 5 && b[0] != 0) {
		c.err = errNotSNMP
		return 0
	}
	for _, x := range b {
		n = n<<8 | uint32(x)
	}
	return n
}

// oidOf is an object identifier in dotted form, with a dot in front; empty where it is none.
func oidOf(b []byte) string {
	var oid asn1.ObjectIdentifier
	if rest, err := asn1.Unmarshal(wrapped(asn1.TagOID, b), &oid); err != nil || len(rest) > 0 {
		return ""
	}
	return "." + oid.String()
}

// inside reads what an element holds.
func (c *cursor) inside(tag byte) *cursor {
	body := c.next(tag)
	return &cursor{all: c.all, rest: body, err: c.err}
}

// at is where in the whole something that was read stands.
func (c *cursor) at(part []byte) int { return cap(c.all) - cap(part) }

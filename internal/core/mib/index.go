package mib

import (
	"fmt"
	"strconv"
	"strings"
)

// Part is one component of the index of a row.
type Part struct {
	Column string
	Text   string
}

// Index takes the index of a row apart (RFC 2578, section 7.7): a number takes one place, octets
// of a fixed size as many as they have, others their length and then themselves, the last one
// without its length where it is implied. What is left over or missing is an error.
func (t *Tree) Index(row Object, index OID) (out []Part, err error) {
	for i, name := range row.Index {
		column, ok := t.Named(name)
		if !ok {
			return nil, fmt.Errorf("%s, of which the index is made, is not described", name)
		}
		last := i == len(row.Index)-1
		n, skip, err := width(column, index, last && row.Implied)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		out = append(out, Part{name, column.showPart(index[skip : skip+n])})
		index = index[skip+n:]
	}
	if len(index) > 0 {
		return nil, fmt.Errorf("%d numbers are left over after %s", len(index), strings.Join(row.Index, ", "))
	}
	return out, nil
}

// width is how many numbers of an index are of a column, and how many before them say so.
func width(c Object, index OID, implied bool) (n, skip int, err error) {
	switch {
	case c.Syntax == Address:
		n = 4
	case c.Syntax != Octets && c.Syntax != Name && c.Syntax != Bits && c.Syntax != Opaque:
		n = 1
	case c.Size > 0:
		n = c.Size
	case implied:
		n = len(index)
	case len(index) == 0:
		return 0, 0, fmt.Errorf("its length is missing")
	default:
		n, skip = int(min(index[0], mostNumbers+1)), 1
	}
	if n+skip > len(index) {
		return 0, 0, fmt.Errorf("%d numbers are needed, there are %d", n+skip, len(index))
	}
	return n, skip, nil
}

func (o Object) showPart(numbers OID) string {
	switch o.Syntax {
	case Integer:
		return o.showInteger(int64(int32(numbers[0])))
	case Name:
		return numbers.String()
	case Octets, Bits, Opaque, Address:
		bytes := make([]byte, len(numbers))
		for i, n := range numbers {
			if n > 255 {
				return numbers.String()
			}
			bytes[i] = byte(n)
		}
		if o.Syntax == Address {
			return address(bytes)
		}
		return o.showBytes(bytes)
	}
	return strconv.FormatUint(uint64(numbers[0]), 10)
}

// ShowIndex writes the index of a row in words, or its numbers where these do not fit.
func (t *Tree) ShowIndex(row Object, index OID) string {
	parts, err := t.Index(row, index)
	if err != nil || len(parts) == 0 {
		return index.String()
	}
	texts := make([]string, len(parts))
	for i, p := range parts {
		texts[i] = p.Text
	}
	return strings.Join(texts, " · ")
}

// IndexToken says how a column stands in an index, for SplitIndex: number, address, oid, inet,
// octets, or octets:N for such of a fixed size.
func IndexToken(o Object) string {
	switch {
	case o.Syntax == Address:
		return "address"
	case o.Syntax == Name:
		return "oid"
	case o.Convention == "InetAddress":
		return "inet"
	case o.Syntax != Octets && o.Syntax != Bits && o.Syntax != Opaque:
		return "number"
	case o.Size > 0:
		return "octets:" + strconv.Itoa(o.Size)
	}
	return "octets"
}

var tokens = map[string]Object{
	"number":  {Syntax: Unsigned},
	"address": {Syntax: Address},
	"oid":     {Syntax: Name},
	"inet":    {Syntax: Octets, Convention: "InetAddress"},
	"octets":  {Syntax: Octets},
}

// Splitter takes indexes apart as tokens say, separated by spaces, with ! behind the last where
// that is implied.
type Splitter struct {
	parts   []Object
	implied bool
}

// NewSplitter reads tokens.
func NewSplitter(spec string) (s Splitter, err error) {
	spec, s.implied = strings.CutSuffix(spec, "!")
	for token := range strings.FieldsSeq(spec) {
		kind, size, sized := strings.Cut(token, ":")
		o, ok := tokens[kind]
		if sized {
			o.Size, err = strconv.Atoi(size)
		}
		if !ok || err != nil || sized && (kind != "octets" || o.Size < 1 || o.Size > mostNumbers) {
			return Splitter{}, fmt.Errorf("%q is no part of an index: number, address, oid, inet, octets or octets:N", token)
		}
		s.parts = append(s.parts, o)
	}
	return s, nil
}

// Split takes an index apart, each part as a text.
func (s Splitter) Split(index OID) (out []string, err error) {
	for i, o := range s.parts {
		n, skip, err := width(o, index, s.implied && i == len(s.parts)-1)
		if err != nil {
			return nil, fmt.Errorf("part %d: %w", i+1, err)
		}
		out = append(out, o.showPart(index[skip:skip+n]))
		index = index[skip+n:]
	}
	if len(index) > 0 && len(s.parts) > 0 {
		return nil, fmt.Errorf("%d numbers are left over", len(index))
	}
	return out, nil
}

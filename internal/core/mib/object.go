// Package mib knows the objects of management information (RFC 2578): how they are called, what
// their values are and how rows of their tables are told apart. Descriptions come from compact
// files of our own and from MIB modules that people load.
package mib

// Kind is what an object is within the tree.
type Kind string

// The kinds of object.
const (
	Branch Kind = "branch"
	Scalar Kind = "scalar" // has one value, at .0
	Table  Kind = "table"
	Row    Kind = "row" // the one child of a table
	Column Kind = "column"
	Event  Kind = "event" // that an agent tells by itself
)

// Object is one node of the tree, described.
type Object struct {
	Name   string `json:"name"`
	Module string `json:"module"`
	OID    OID    `json:"oid"`
	Kind   Kind   `json:"kind"`
	// Syntax is what its values are on the wire; Bits are octets there.
	Syntax Type `json:"syntax,omitempty"`
	// Convention is the textual convention of its syntax (RFC 2579), such as DisplayString.
	Convention string `json:"convention,omitempty"`
	// Size is the number of bytes of octets that always have as many; 0 for others.
	Size int `json:"size,omitempty"`
	// Hint says how to write its values (RFC 2579, section 3.1).
	Hint string `json:"hint,omitempty"`
	// Unit is what its module says of the unit, in free words.
	Unit string `json:"unit,omitempty"`
	// Words are what the numbers of an enumeration, or of bits, stand for.
	Words map[int64]string `json:"words,omitempty"`
	About string           `json:"about,omitempty"`
	// Hidden is true for what no agent tells: it only stands in the index of rows.
	Hidden bool `json:"hidden,omitempty"`
	// Index are the columns, of whatever table, by which the rows of a table are told apart.
	// Implied is true where the last one has no length in front of it.
	Index   []string `json:"index,omitempty"`
	Implied bool     `json:"implied,omitempty"`
}

// Bits is the syntax of sets of named bits; on the wire they are octets.
const Bits Type = "BITS"

// Valued tells whether there are values of the object.
func (o Object) Valued() bool { return o.Kind == Scalar || o.Kind == Column }

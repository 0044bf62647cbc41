package smi

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"github.com/sleepinggenius2/gosmi/parser"

	"tirelessowl/internal/core/mib"
)

var wires = map[string]mib.Object{
	"INTEGER": {Syntax: mib.Integer}, "Integer32": {Syntax: mib.Integer}, "OCTET STRING": {Syntax: mib.Octets},
	"OBJECT IDENTIFIER": {Syntax: mib.Name}, "BITS": {Syntax: mib.Bits}, "Counter": {Syntax: mib.Counter32},
	"Counter32": {Syntax: mib.Counter32}, "Counter64": {Syntax: mib.Counter64}, "Gauge": {Syntax: mib.Unsigned},
	"Gauge32": {Syntax: mib.Unsigned}, "Unsigned32": {Syntax: mib.Unsigned}, "UInteger32": {Syntax: mib.Unsigned},
	"TimeTicks": {Syntax: mib.TimeTicks}, "IpAddress": {Syntax: mib.Address, Size: 4}, "NetworkAddress": {Syntax: mib.Address, Size: 4},
	"Opaque": {Syntax: mib.Opaque},
}

// typeOf is a type by its name as a module sees it; seen are the names on the way to it.
func (l *linker) typeOf(x *source, name string, seen []string) (mib.Object, bool) {
	if slices.Contains(seen, x.Name+"."+name) {
		return mib.Object{}, false // it is made of itself
	}
	seen = append(seen, x.Name+"."+name)
	if t, ok := x.types[name]; ok {
		return l.made(x, name, t, seen)
	}
	if wire, ok := wires[name]; ok {
		return wire, true
	}
	from := x.imports[name]
	if s := l.sources[from]; s != nil && s != x {
		return l.typeOf(s, name, seen)
	}
	if t, ok := l.known[from].Types[name]; ok {
		return t, true
	}
	return mib.Convention(name)
}

func (l *linker) made(x *source, name string, t parser.Type, seen []string) (out mib.Object, ok bool) {
	switch {
	case t.TextualConvention != nil:
		out, ok = l.resolve(x, t.TextualConvention.Syntax, seen)
		out.Hint = cmp.Or(brief(t.TextualConvention.DisplayHint, 60), out.Hint)
	case t.Syntax != nil:
		out, ok = l.resolve(x, *t.Syntax, seen)
	case t.Implicit != nil:
		out, ok = l.resolve(x, t.Implicit.Syntax, seen)
	}
	out.Convention = name
	return out, ok
}

// resolve is a type with what narrows it: words, or a size.
func (l *linker) resolve(x *source, t parser.SyntaxType, seen []string) (out mib.Object, ok bool) {
	if out, ok = l.typeOf(x, string(t.Name), seen); !ok {
		return out, false
	}
	if len(t.Enum) > 0 {
		out.Words = map[int64]string{}
		for _, e := range t.Enum {
			if n, err := strconv.ParseInt(strings.ReplaceAll(e.Value, " ", ""), 10, 64); err == nil {
				out.Words[n] = string(e.Name)
			}
		}
	}
	if t.SubType != nil && len(t.SubType.OctetString) > 0 {
		out.Size = fixed(t.SubType.OctetString)
	}
	return out, true
}

// fixed is the one size that octets may have; 0 where they may have several.
func fixed(sizes []parser.Range) int {
	if len(sizes) != 1 || sizes[0].End != "" && sizes[0].End != sizes[0].Start {
		return 0
	}
	n, err := strconv.Atoi(sizes[0].Start)
	if err != nil || n < 1 || n > 65535 {
		return 0
	}
	return n
}

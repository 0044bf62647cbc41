package smi

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/sleepinggenius2/gosmi/parser"

	"tirelessowl/internal/core/mib"
)

// Module is what came of a module: what others need of it, and its objects.
type Module struct {
	Name    string       `json:"name"`
	Objects []mib.Object `json:"objects"`
	// Types are its textual conventions, as objects without a place.
	Types map[string]mib.Object `json:"types,omitempty"`
	// Missing are the modules that it needs and that nobody has; what depends on them is left out.
	Missing  []string  `json:"missing,omitempty"`
	Problems []Problem `json:"problems,omitempty"`
}

// mostObjects and mostProblems bound what one module may come to.
const (
	mostObjects  = 50_000
	mostProblems = 20
)

// Known are the modules that were linked before, by name.
type Known map[string]Module

// Link makes described objects of sources, which may need each other, what is known and what is
// shipped. What cannot be placed is left out and told.
func Link(sources []Source, known Known, shipped *mib.Tree) []Module {
	l := &linker{sources: map[string]*source{}, known: known, shipped: shipped}
	for _, s := range sources {
		l.sources[s.Name] = newSource(s)
	}
	out := make([]Module, 0, len(l.sources))
	for _, s := range sources {
		out = append(out, l.module(l.sources[s.Name]))
	}
	return out
}

type linker struct {
	sources map[string]*source
	known   Known
	shipped *mib.Tree
}

// source is a module with its definitions by name.
type source struct {
	Source
	nodes   map[string]parser.Node
	types   map[string]parser.Type
	imports map[string]string // the module that a name comes from
	oids    map[string]mib.OID
	placing map[string]bool // names that are being placed, to notice a circle
	out     Module
}

func newSource(s Source) *source {
	x := &source{Source: s, nodes: map[string]parser.Node{}, types: map[string]parser.Type{}, imports: map[string]string{},
		oids: map[string]mib.OID{}, placing: map[string]bool{}}
	for _, n := range s.body.Nodes {
		x.nodes[string(n.Name)] = n
	}
	if id := s.body.Identity; id != nil {
		x.nodes[string(id.Name)] = parser.Node{Pos: id.Pos, Name: id.Name, ObjectIdentifier: true, Oid: &id.Oid}
	}
	for _, t := range s.body.Types {
		x.types[string(t.Name)] = t
	}
	for _, i := range s.body.Imports {
		for _, name := range i.Names {
			x.imports[string(name)] = string(i.Module)
		}
	}
	return x
}

func (x *source) wrong(line int, format string, args ...any) {
	if len(x.out.Problems) < mostProblems {
		x.out.Problems = append(x.out.Problems, Problem{x.File, x.line + line, brief(fmt.Sprintf(format, args...), 300)})
	}
}

func (l *linker) module(x *source) Module {
	x.out.Name = x.Name
	for _, need := range x.Needs() {
		if !l.has(need) && !slices.Contains(x.out.Missing, need) {
			x.out.Missing = append(x.out.Missing, need)
		}
	}
	x.out.Types = map[string]mib.Object{}
	for name := range x.types {
		if t, ok := l.typeOf(x, name, nil); ok {
			x.out.Types[name] = t
		}
	}
	nodes := slices.SortedFunc(mapsValues(x.nodes), func(a, b parser.Node) int { return cmp.Compare(a.Pos.Offset, b.Pos.Offset) })
	for _, n := range nodes {
		if len(x.out.Objects) == mostObjects {
			x.wrong(n.Pos.Line, "it has more than %d objects: the rest is left out", mostObjects)
			break
		}
		if o, ok := l.object(x, n); ok {
			x.out.Objects = append(x.out.Objects, o)
		}
	}
	l.columns(x)
	return x.out
}

func mapsValues[K comparable, V any](m map[K]V) func(func(V) bool) {
	return func(yield func(V) bool) {
		for _, v := range m {
			if !yield(v) {
				return
			}
		}
	}
}

// bases are the modules in which the language of modules itself is written down, which are known
// without being read; conventions those of which only types are ever needed, which are known, too.
var (
	bases = map[string]bool{"SNMPv2-SMI": true, "SNMPv2-TC": true, "SNMPv2-CONF": true, "RFC1155-SMI": true, "RFC-1212": true,
		"RFC-1215": true, "RFC1065-SMI": true}
	conventions = map[string]bool{"RFC1213-MIB": true, "INET-ADDRESS-MIB": true, "IANAifType-MIB": true}
)

func (l *linker) has(module string) bool {
	if _, ok := l.sources[module]; ok || bases[module] || conventions[module] {
		return true
	}
	if _, ok := l.known[module]; ok {
		return true
	}
	return l.shipped.Has(module)
}

// object places and describes a node; what is no object of its own, such as a group for
// conformance, is left out.
func (l *linker) object(x *source, n parser.Node) (o mib.Object, ok bool) {
	name := string(n.Name)
	o = mib.Object{Name: name, Module: x.Name, Kind: mib.Branch}
	switch {
	case n.TrapType != nil, n.ObjectGroup != nil, n.NotificationGroup != nil, n.ModuleCompliance != nil, n.AgentCapabilities != nil:
		return o, false
	case n.NotificationType != nil:
		o.Kind, o.About = mib.Event, told(n.NotificationType.Description)
	case n.ObjectIdentity != nil:
		o.About = told(n.ObjectIdentity.Description)
	case n.ObjectType != nil:
		if !l.describe(x, n, &o) {
			return o, false
		}
	}
	o.OID, ok = l.place(x, name)
	return o, ok
}

// mostTold is how much of a description is kept, in characters.
const mostTold = 1500

func told(text string) string { return brief(strings.Join(strings.Fields(text), " "), mostTold) }

func (l *linker) describe(x *source, n parser.Node, o *mib.Object) bool {
	t := n.ObjectType
	o.About, o.Unit = told(t.Description), brief(t.Units, 60)
	o.Hidden = t.Access == parser.AccessNotAccessible
	switch {
	case t.Syntax.Sequence != nil:
		o.Kind = mib.Table
	case len(t.Index) > 0:
		o.Kind = mib.Row
		for _, i := range t.Index {
			o.Index = append(o.Index, string(i.Name))
			o.Implied = i.Implied
		}
	case t.Augments != nil:
		o.Kind = mib.Row
		o.Index, o.Implied = l.indexOf(x, string(*t.Augments), 0)
	case t.Syntax.Type == nil:
		return false
	case x.types[string(t.Syntax.Type.Name)].Sequence != nil: // as the first modules, without an index
		o.Kind = mib.Row
	default:
		o.Kind = mib.Scalar
		kind, ok := l.resolve(x, *t.Syntax.Type, nil)
		if !ok {
			x.wrong(n.Pos.Line, "%s is of the type %s, which nobody describes: it is left out", o.Name, t.Syntax.Type.Name)
			return false
		}
		o.Syntax, o.Convention, o.Size, o.Hint, o.Words = kind.Syntax, kind.Convention, kind.Size, kind.Hint, kind.Words
	}
	if o.Kind != mib.Scalar {
		o.Hidden = false
	}
	return true
}

// mostHops bounds how often one row may refer to another.
const mostHops = 10

// indexOf is the index of a row that another one augments.
func (l *linker) indexOf(x *source, row string, hops int) (index []string, implied bool) {
	if hops > mostHops {
		return nil, false
	}
	owner := x
	if from, ok := x.imports[row]; ok && l.sources[from] != nil {
		owner = l.sources[from]
	}
	if n, ok := owner.nodes[row]; ok && n.ObjectType != nil {
		for _, i := range n.ObjectType.Index {
			index, implied = append(index, string(i.Name)), i.Implied
		}
		if n.ObjectType.Augments != nil {
			return l.indexOf(owner, string(*n.ObjectType.Augments), hops+1)
		}
		return index, implied
	}
	if o, ok := l.described(x.imports[row], row); ok {
		return o.Index, o.Implied
	}
	return nil, false
}

// described is an object of a module that was linked before, or one that is shipped.
func (l *linker) described(module, name string) (mib.Object, bool) {
	if m, ok := l.known[module]; ok {
		if i := slices.IndexFunc(m.Objects, func(o mib.Object) bool { return o.Name == name }); i >= 0 {
			return m.Objects[i], true
		}
	}
	return l.shipped.Named(name)
}

var roots = map[string]uint32{"ccitt": 0, "iso": 1, "joint-iso-ccitt": 2}

// place is the identifier of a name as a module sees it.
func (l *linker) place(x *source, name string) (mib.OID, bool) {
	if oid, ok := x.oids[name]; ok {
		return oid, oid != nil
	}
	n, own := x.nodes[name]
	if !own || n.Oid == nil {
		return l.elsewhere(x, name)
	}
	if x.placing[name] {
		x.wrong(n.Pos.Line, "%s stands below itself", name)
		return nil, false
	}
	x.placing[name] = true
	defer delete(x.placing, name)
	oid, ok := l.follow(x, n)
	x.oids[name] = oid
	return oid, ok
}

func (l *linker) elsewhere(x *source, name string) (mib.OID, bool) {
	if s := l.sources[x.imports[name]]; s != nil && s != x {
		if _, there := s.nodes[name]; there {
			return l.place(s, name)
		}
	}
	if o, ok := l.described(x.imports[name], name); ok {
		return o.OID, true
	}
	return nil, false
}

// follow puts the numbers of a node behind those of what it stands under.
func (l *linker) follow(x *source, n parser.Node) (oid mib.OID, ok bool) {
	for i, part := range n.Oid.SubIdentifiers {
		switch {
		case part.Number != nil:
			oid = append(oid, uint32(*part.Number))
		case i > 0:
			x.wrong(n.Pos.Line, "%s: %s has no number", n.Name, *part.Name)
			return nil, false
		default:
			name := string(*part.Name)
			if root, is := roots[name]; is {
				oid = mib.OID{root}
				continue
			}
			under, found := l.place(x, name)
			if !found {
				x.wrong(n.Pos.Line, "%s stands under %s, which nobody describes%s: it is left out", n.Name, name, x.from(name))
				return nil, false
			}
			oid = slices.Clone(under)
		}
	}
	if len(oid) > 128 {
		x.wrong(n.Pos.Line, "%s has more than 128 numbers", n.Name)
		return nil, false
	}
	return oid, len(oid) > 0
}

// from says where a name should come from.
func (x *source) from(name string) string {
	if module, ok := x.imports[name]; ok {
		return " (load " + module + ")"
	}
	return ""
}

// columns tells columns from scalars: they stand right below a row.
func (l *linker) columns(x *source) {
	rows := map[string]bool{}
	for _, o := range x.out.Objects {
		rows[o.OID.String()] = o.Kind == mib.Row
	}
	for i, o := range x.out.Objects {
		if o.Kind == mib.Scalar && len(o.OID) > 1 && rows[o.OID[:len(o.OID)-1].String()] {
			x.out.Objects[i].Kind = mib.Column
		}
	}
}

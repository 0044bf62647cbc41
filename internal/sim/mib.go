package sim

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"time"

	"github.com/gosnmp/gosnmp"
)

// value is what an object holds at one time. count serves counters and
// gauges, text the rest.
type value struct {
	count uint64
	text  string
}

// object is one instance in a device's tree.
type object struct {
	oid  []uint32
	name string // dotted, with a leading dot as gosnmp writes it
	kind gosnmp.Asn1BER
	read func(now time.Time) value
	// fixed objects never change: the back-fill sends them once.
	fixed bool
}

// tree is a device's objects in the order of their ids.
type tree struct {
	objects []object
	byName  map[string]int
}

func (tr *tree) add(oid string, kind gosnmp.Asn1BER, read func(time.Time) value) *object {
	tr.objects = append(tr.objects, object{oid: parseOID(oid), name: "." + oid, kind: kind, read: read})
	return &tr.objects[len(tr.objects)-1]
}

func (tr *tree) text(oid, s string) {
	tr.add(oid, gosnmp.OctetString, func(time.Time) value { return value{text: s} }).fixed = true
}

func (tr *tree) number(oid string, kind gosnmp.Asn1BER, n uint64) {
	tr.add(oid, kind, func(time.Time) value { return value{count: n} }).fixed = true
}

func (tr *tree) objectID(oid, is string) {
	tr.add(oid, gosnmp.ObjectIdentifier, func(time.Time) value { return value{text: "." + is} }).fixed = true
}

func (tr *tree) gauge(oid string, kind gosnmp.Asn1BER, f func(t float64) float64) {
	tr.add(oid, kind, func(now time.Time) value { return value{count: uint64(max(0, f(seconds(now))))} })
}

// find returns an object that was added, before the tree is sealed.
func (tr *tree) find(oid string) *object {
	i := slices.IndexFunc(tr.objects, func(o object) bool { return o.name == "."+oid })
	return &tr.objects[i]
}

// seal sorts the tree; call it once after the last add.
func (tr *tree) seal() {
	sort.Slice(tr.objects, func(i, j int) bool { return slices.Compare(tr.objects[i].oid, tr.objects[j].oid) < 0 })
	tr.byName = make(map[string]int, len(tr.objects))
	for i, o := range tr.objects {
		tr.byName[o.name] = i
	}
}

// get finds an instance by its exact name; nil if there is none.
func (tr *tree) get(name string) *object {
	if i, ok := tr.byName[name]; ok {
		return &tr.objects[i]
	}
	return nil
}

// next returns the place of the first instance after a name.
func (tr *tree) next(name string) int {
	if i, ok := tr.byName[name]; ok {
		return i + 1
	}
	oid := parseOID(strings.TrimPrefix(name, "."))
	return sort.Search(len(tr.objects), func(i int) bool { return slices.Compare(tr.objects[i].oid, oid) > 0 })
}

// pdu reads an object at a time.
func (o *object) pdu(now time.Time) gosnmp.SnmpPDU {
	v := o.read(now)
	p := gosnmp.SnmpPDU{Name: o.name, Type: o.kind}
	switch o.kind {
	case gosnmp.OctetString:
		p.Value = []byte(v.text)
	case gosnmp.ObjectIdentifier, gosnmp.IPAddress:
		p.Value = v.text
	case gosnmp.Integer:
		p.Value = int(v.count)
	case gosnmp.Counter64:
		p.Value = v.count
	default: // Counter32, Gauge32 and TimeTicks hold 32 bits
		p.Value = uint32(v.count)
	}
	return p
}

func parseOID(s string) []uint32 {
	parts := strings.Split(s, ".")
	out := make([]uint32, 0, len(parts))
	for _, p := range parts {
		n, err := strconv.ParseUint(p, 10, 32)
		if err != nil {
			break
		}
		out = append(out, uint32(n))
	}
	return out
}

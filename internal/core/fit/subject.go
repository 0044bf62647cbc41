// Package fit works out which kits a device gets: what people fitted or keep off, what fitting rules
// say of it, and what kits bring along. It is the one place where that is decided, for the
// present and for rehearsals.
package fit

import (
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/domain"
)

// Subject is what is known of a device.
type Subject struct {
	Device domain.Device
	// Places are the names of its place and of those above, its own first.
	Places []string
	// Facts are what a sweep learnt that it shows, such as answers:snmp, mib:ups or port:22.
	Facts      []string
	Tags       []string
	Attributes map[string]string
}

// The prefixes of facts, by what they tell.
const (
	answers = "answers:"
	mibs    = "mib:"
	tables  = "table:"
	// Port is that of facts that tell an open TCP port.
	Port = "port:"
)

// known is something that the condition of a rule may ask for.
type known struct {
	condition.Column
	About string
	of    func(*Subject) any
}

// vocabulary is what the condition of a rule may ask for.
var vocabulary = []known{
	{column("name", condition.Text), "its technical name", func(x *Subject) any { return x.Device.Name }},
	{column("address", condition.Text), "its address", func(x *Subject) any { return x.Device.Address.String() }},
	{column("kind", condition.Text), "router, switch, host, …", func(x *Subject) any { return x.Device.Kind }},
	{column("vendor", condition.Text), "who made it", func(x *Subject) any { return x.Device.Vendor }},
	{column("model", condition.Text), "which model it is", func(x *Subject) any { return x.Device.Model }},
	{column("place", condition.Text), "the name of its place", func(x *Subject) any { return first(x.Places) }},
	{column("places", condition.Texts), "its place and those above it", func(x *Subject) any { return orNone(x.Places) }},
	{column("tags", condition.Texts), "its tags, inherited ones, too", func(x *Subject) any { return orNone(x.Tags) }},
	{column("attributes", condition.Named), "its attributes by name, inherited ones, too", attributes},
	{column("facts.snmp", condition.Truth), "it answers SNMP", func(x *Subject) any { return slices.Contains(x.Facts, answers+"snmp") }},
	{column("facts.object_id", condition.Text), "its sysObjectID, without a dot in front", objectID},
	{column("facts.description", condition.Text), "its sysDescr", func(x *Subject) any { return x.Device.Description }},
	{column("facts.ports", condition.Wholes), "TCP ports that a sweep found open", ports},
	{column("facts.answers", condition.Texts), "the ways by which it answers", listOf(answers)},
	{column("facts.mibs", condition.Texts), "parts of MIBs that it has: interfaces, host, ups, sensors, …", listOf(mibs)},
	{column("facts.tables", condition.Texts), "other tables that it has: disks, disk-io, load", listOf(tables)},
}

func column(name string, kind condition.Kind) condition.Column {
	return condition.Column{Name: name, Kind: kind}
}

// Word is something that the condition of a rule may ask for, for people.
type Word struct {
	Name  string         `json:"name"`
	Kind  condition.Kind `json:"kind"`
	About string         `json:"about"`
}

// Words are all that the condition of a rule may ask for.
func Words() []Word {
	out := make([]Word, len(vocabulary))
	for i, k := range vocabulary {
		out[i] = Word{k.Name, k.Kind, k.About}
	}
	return out
}

// Compile reads the condition of a rule; what is wrong with it is a condition.Wrong.
func Compile(when string) (*condition.Condition, error) {
	columns := make([]condition.Column, len(vocabulary))
	for i, k := range vocabulary {
		columns[i] = k.Column
	}
	return condition.Compile(when, columns)
}

// values are what a condition may ask for of a subject.
func (x *Subject) values(name string) (any, bool) {
	i := slices.IndexFunc(vocabulary, func(k known) bool { return k.Name == name })
	if i < 0 {
		return nil, false
	}
	return vocabulary[i].of(x), true
}

// Values are the values that a word has for a subject, as they are written in a condition; none for an
// empty text.
func (x *Subject) Values(word string) (out []string) {
	value, _ := x.values(word)
	switch v := value.(type) {
	case string:
		if v != "" {
			out = append(out, strconv.Quote(v))
		}
	case bool:
		out = append(out, strconv.FormatBool(v))
	case []string:
		for _, one := range v {
			out = append(out, strconv.Quote(one))
		}
	case []int64:
		for _, one := range v {
			out = append(out, strconv.FormatInt(one, 10))
		}
	case map[string]string:
		for name := range v {
			out = append(out, strconv.Quote(name))
		}
	}
	return out
}

func objectID(x *Subject) any { return strings.TrimPrefix(x.Device.ObjectID, ".") }

func attributes(x *Subject) any {
	if x.Attributes == nil {
		return map[string]string{}
	}
	return x.Attributes
}

func ports(x *Subject) any {
	out := []int64{}
	for _, port := range after(x.Facts, Port) {
		if n, err := strconv.ParseInt(port, 10, 32); err == nil {
			out = append(out, n)
		}
	}
	return out
}

func listOf(prefix string) func(*Subject) any {
	return func(x *Subject) any { return after(x.Facts, prefix) }
}

// after are what follows a prefix in those facts that have it.
func after(facts []string, prefix string) []string {
	out := []string{}
	for _, fact := range facts {
		if rest, ok := strings.CutPrefix(fact, prefix); ok {
			out = append(out, rest)
		}
	}
	return out
}

func first(names []string) string {
	if len(names) == 0 {
		return ""
	}
	return names[0]
}

func orNone(names []string) []string {
	if names == nil {
		return []string{}
	}
	return names
}

package own

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/text"
)

// usualEvery is how often a reading is proposed to be read.
const usualEvery = time.Minute

// Propose is how an object is best read: a scalar or a column of which a value came, of which
// the type on the wire is taken where the object is not described. instance is what stands behind
// the object in the name of the value.
func Propose(tree *mib.Tree, o mib.Object, instance mib.OID, value mib.Value) Draft {
	d := Draft{Reading: Reading{
		Name:   words(o, instance),
		Object: o.Name,
		OID:    o.OID.String(),
		Every:  usualEvery,
	}}
	if o.Kind != mib.Column {
		d.OID = append(slices.Clone(o.OID), instance...).String()
	}
	if !o.Valued() { // nobody described it
		d.Object = d.OID
	}
	var counter bool
	d.Treat, counter = treatmentOf(o, value)
	switch d.Treat {
	case State:
		d.Codes = o.Words
	case Number:
		d.Unit, d.Steps = unitOf(o, value, counter)
	}
	if row, ok := tree.RowOf(o); ok {
		d.Rows = rowsOf(tree, row)
		d.Table = d.Rows.Key
		d.Every = 0
		if units := allocated(tree, row, o); units != "" && d.Treat == Number {
			d.Steps, d.Unit = append(d.Steps, derive.Written{Do: "times", With: units}), "B"
		}
	}
	return d
}

// allocated is the column with the size of the units in which an object without a unit of its own
// is told, as storage is (RFC 2790); empty where there is none.
func allocated(tree *mib.Tree, row, o mib.Object) string {
	if o.Unit != "" || !strings.HasSuffix(o.Name, "Used") && !strings.HasSuffix(o.Name, "Size") {
		return ""
	}
	for _, c := range tree.Columns(row) {
		if strings.HasSuffix(c.Name, "AllocationUnits") && kindOf(c) == condition.Whole {
			return c.Name
		}
	}
	return ""
}

// treatmentOf is what an object's values are stored as, and whether it is a counter.
func treatmentOf(o mib.Object, v mib.Value) (t Treatment, counter bool) {
	kind := v.Type
	if kind == "" {
		kind = o.Syntax
	}
	switch kind {
	case mib.Counter32, mib.Counter64:
		return Number, true
	case mib.Integer:
		if len(o.Words) > 0 {
			return State, false
		}
		return Number, false
	case mib.Unsigned, mib.TimeTicks, mib.Float:
		return Number, false
	}
	return Words, false
}

// words makes a name of that of an object: ifHCInOctets becomes HC in octets, as its module's
// first syllable says nothing.
func words(o mib.Object, instance mib.OID) string {
	if o.Kind == mib.Branch || o.Name == "" {
		return "Object " + append(slices.Clone(o.OID), instance...).String()
	}
	parts := humps(o.Name)
	if len(parts) > 1 && strings.ToLower(parts[0]) == parts[0] {
		parts = parts[1:]
	}
	for i, p := range parts {
		if i > 0 && (len(p) < 2 || p[1] < 'A' || p[1] > 'Z') {
			parts[i] = strings.ToLower(p)
		}
	}
	return text.UpperFirst(strings.Join(parts, " "))
}

// humps takes a name apart before each capital that a small letter follows, or goes before.
func humps(name string) (out []string) {
	start := 0
	runes := []rune(name)
	for i := 1; i < len(runes); i++ {
		follows := i+1 < len(runes) && unicode.IsLower(runes[i+1])
		if unicode.IsUpper(runes[i]) && (!unicode.IsUpper(runes[i-1]) || follows) {
			out = append(out, string(runes[start:i]))
			start = i
		}
	}
	return append(out, string(runes[start:]))
}

// units are what modules call their units, in lower case, with ours and the factor to it.
var units = map[string]struct {
	unit  string
	scale float64
}{
	"percent": {"%", 1}, "%": {"%", 1},
	"seconds": {"s", 1}, "second": {"s", 1}, "milliseconds": {"s", 0.001}, "milli-seconds": {"s", 0.001},
	"microseconds": {"s", 1e-6}, "centi-seconds": {"s", 0.01}, "hundredths of a second": {"s", 0.01},
	"minutes": {"s", 60}, "hours": {"s", 3600},
	"bytes": {"B", 1}, "octets": {"B", 1}, "kbytes": {"B", 1024}, "kilobytes": {"B", 1024},
	"mbytes": {"B", 1 << 20}, "megabytes": {"B", 1 << 20},
	"bits": {"bit", 1}, "bit/s": {"bit/s", 1}, "bits per second": {"bit/s", 1}, "kbit/s": {"bit/s", 1e3}, "mbit/s": {"bit/s", 1e6},
	"volts": {"V", 1}, "volt dc": {"V", 1}, "volts dc": {"V", 1}, "rms volts": {"V", 1}, "millivolts": {"V", 0.001},
	"amps": {"A", 1}, "amperes": {"A", 1}, "amp dc": {"A", 1}, "rms amp": {"A", 1}, "rms amps": {"A", 1}, "milliamperes": {"A", 0.001},
	"watts": {"W", 1}, "milliwatts": {"W", 0.001}, "hertz": {"Hz", 1}, "rpm": {"rpm", 1},
	"degrees centigrade": {"Cel", 1}, "degrees celsius": {"Cel", 1}, "celsius": {"Cel", 1}, "degrees c": {"Cel", 1},
}

var factor = regexp.MustCompile(`^(0\.\d+|1/\d+)\s+(.+)$`)

// unitOf is the unit in which an object is best kept, and the steps that make it of the raw value.
func unitOf(o mib.Object, v mib.Value, rate bool) (unit string, steps []derive.Written) {
	unit, scale := factorOf(o, v, rate)
	if rate {
		steps = append(steps, derive.Written{Do: "rate"})
	}
	if scale != 1 {
		steps = append(steps, derive.Written{Do: "scale", With: strconv.FormatFloat(scale, 'g', -1, 64)})
	}
	return unit, steps
}

func factorOf(o mib.Object, v mib.Value, rate bool) (unit string, scale float64) {
	said, scale := strings.ToLower(strings.TrimSpace(o.Unit)), 1.0
	if m := factor.FindStringSubmatch(said); m != nil {
		scale, said = fraction(m[1]), m[2]
	}
	if places, ok := mib.Decimals(o.Hint); ok {
		scale *= math.Pow10(-places)
	}
	known, ok := units[said]
	switch {
	case rate && ok && known.unit == "B":
		return "bit/s", scale * known.scale * 8
	case rate:
		return "1/s", scale
	case ok:
		return known.unit, scale * known.scale
	case v.Type == mib.TimeTicks || o.Syntax == mib.TimeTicks:
		return "s", 0.01
	}
	return "", scale
}

func fraction(said string) float64 {
	if below, ok := strings.CutPrefix(said, "1/"); ok {
		n, err := strconv.ParseFloat(below, 64)
		if err != nil || n == 0 {
			return 1
		}
		return 1 / n
	}
	n, err := strconv.ParseFloat(said, 64)
	if err != nil || n == 0 {
		return 1
	}
	return n
}

// rowsOf is how rows of a table are best named, told apart and picked.
func rowsOf(tree *mib.Tree, row mib.Object) Table {
	t := Table{Key: row.Name, Title: tableTitle(tree, row), Every: usualEvery, Index: IndexText(tree, row)}
	t.Columns = append(t.Columns, Column{"index", "index", condition.Text})
	for i, name := range row.Index {
		if column, ok := tree.Named(name); ok && len(row.Index) > 1 {
			t.Columns = append(t.Columns, Column{name, "index." + strconv.Itoa(i+1), indexKind(column)})
		}
	}
	for _, c := range tree.Columns(row) {
		if !c.Hidden && !slices.ContainsFunc(t.Columns, func(x Column) bool { return x.As == c.Name }) {
			t.Columns = append(t.Columns, Column{c.Name, c.OID.String(), kindOf(c)})
		}
	}
	var name mib.Object
	if len(row.Index) > 0 {
		name = naming(tree, row)
	}
	if name.Name == "" {
		t.Name, t.Same = []string{"index"}, []string{"index"}
		return t
	}
	if !slices.ContainsFunc(t.Columns, func(x Column) bool { return x.As == name.Name }) {
		t.Columns = append(t.Columns, Column{name.Name, name.OID.String(), condition.Text})
	}
	t.Name, t.Same = []string{name.Name, "index"}, []string{name.Name, "index"}
	return t
}

func kindOf(o mib.Object) condition.Kind {
	switch o.Syntax {
	case mib.Integer, mib.Unsigned, mib.Counter32, mib.Counter64, mib.TimeTicks:
		return condition.Whole
	case mib.Float:
		return condition.Real
	}
	return condition.Text
}

func indexKind(o mib.Object) condition.Kind {
	if len(o.Words) > 0 {
		return condition.Text // in words, as an index is shown
	}
	return kindOf(o)
}

// tableTitle is what a table is called in its module.
func tableTitle(tree *mib.Tree, row mib.Object) string {
	if table, ok := tree.At(row.OID[:len(row.OID)-1]); ok {
		return table.Name
	}
	return row.Name
}

// namers are ends of the names of columns that name a row, the best first.
var namers = []string{"Name", "Descr", "Description", "Label", "Desc", "MountPoint"}

// naming is the column that best names rows: of its own table and of those with the same index in
// the module that describes that, the one whose name ends best; of several that of its own table.
func naming(tree *mib.Tree, row mib.Object) (best mib.Object) {
	rank := len(namers) * 2
	index, _ := tree.Named(row.Index[len(row.Index)-1])
	for _, other := range tree.Rows() {
		if !slices.Equal(other.Index, row.Index) || other.Module != row.Module && other.Module != index.Module {
			continue
		}
		for _, c := range tree.Columns(other) {
			if c.Hidden || c.Syntax != mib.Octets {
				continue
			}
			for i, end := range namers {
				n := 2 * i
				if other.Name != row.Name {
					n++
				}
				if strings.HasSuffix(c.Name, end) && n < rank {
					best, rank = c, n
				}
			}
		}
	}
	return best
}

// IndexText writes how the index of rows is taken apart, for the way to collect: number, address,
// oid, octets or octets:N, with ! behind the last where it is implied.
func IndexText(tree *mib.Tree, row mib.Object) string {
	var parts []string
	for _, name := range row.Index {
		column, ok := tree.Named(name)
		if !ok {
			return ""
		}
		parts = append(parts, mib.IndexToken(column))
	}
	out := strings.Join(parts, " ")
	if row.Implied {
		out += "!"
	}
	return out
}

// Package own is the kit that a device has by itself: readings that people picked at it, among
// the objects that its agent tells. It proposes how an object is best read, and makes the kit.
package own

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// Treatment is how raw values become those that are stored.
type Treatment string

// The treatments.
const (
	AsIs  Treatment = "value" // a number, as it is
	Rate  Treatment = "rate"  // a counter, as its growth a second
	State Treatment = "state" // the number of a state
	Words Treatment = "text"  // a text
)

// Treatments are all of them, in the order in which they are offered.
var Treatments = []Treatment{AsIs, Rate, State, Words}

// Reading is one that people picked.
type Reading struct {
	Key  string `json:"key"`
	Name string `json:"name"`
	// Object is what its object is called, OID where it is: the instance of a single value, or
	// a column.
	Object string           `json:"object"`
	OID    string           `json:"oid"`
	Unit   string           `json:"unit,omitempty"`
	Treat  Treatment        `json:"treat"`
	Scale  float64          `json:"scale"`
	Codes  map[int64]string `json:"codes,omitempty"`
	// By is a column of its table that values are multiplied by, Of one that they are a share of,
	// in %; empty for none.
	By string `json:"by,omitempty"`
	Of string `json:"of,omitempty"`
	// Every is how often a single value is read; a column is read as its table is.
	Every time.Duration `json:"every,omitempty"`
	// Table is the table that it is a column of; empty for a single value.
	Table string `json:"table,omitempty"`
}

// Table is the discovery of rows in a table.
type Table struct {
	Key   string        `json:"key"` // what its rows are called in its module
	Title string        `json:"title"`
	Every time.Duration `json:"every"`
	// Index says how the index of a row is taken apart, as the way to collect reads it.
	Index string `json:"index,omitempty"`
	// Columns are those by which rows are told apart, named and picked.
	Columns []Column `json:"columns"`
	// Name and Same list columns: the first that has a value is the name of a row, or what the
	// same row has when it is numbered anew.
	Name []string `json:"name"`
	Same []string `json:"same"`
	// Where picks rows; empty for all of them.
	Where string `json:"where,omitempty"`
}

// Column is one of a table that is not a reading itself.
type Column struct {
	As  string         `json:"as"`
	OID string         `json:"oid"` // or index, or index.N
	Is  condition.Kind `json:"is"`
}

// Set is all that people picked at one device.
type Set struct {
	Readings []Reading `json:"readings"`
	Tables   []Table   `json:"tables,omitempty"`
}

// Draft is one reading to be added or changed, with its table where it is a column.
type Draft struct {
	Reading
	Rows Table
}

// The bounds of a set.
const (
	mostReadings = 200
	longestName  = 80
	longestUnit  = 20
)

var unitText = regexp.MustCompile(`^[^\s<>&"]*$`)

// Check says by field what is wrong with a draft.
func (d Draft) Check() domain.FieldErrors {
	errs := domain.FieldErrors{}
	bad := func(field string, is bool, format string, args ...any) {
		if is && errs[field] == "" {
			errs[field] = fmt.Sprintf(format, args...)
		}
	}
	bad("name", strings.TrimSpace(d.Name) == "", "A reading needs a name.")
	bad("name", len([]rune(d.Name)) > longestName, "At most %d characters.", longestName)
	bad("name", strings.ContainsFunc(d.Name, unicode.IsControl) || !text.Legible(d.Name), "It has characters that cannot be shown.")
	bad("unit", len(d.Unit) > longestUnit || !unitText.MatchString(d.Unit), "A symbol such as bit/s, B, s, Cel or %%, without spaces.")
	bad("treat", !slices.Contains(Treatments, d.Treat), "Choose what becomes of it.")
	bad("scale", d.Scale == 0 || math.IsNaN(d.Scale) || math.IsInf(d.Scale, 0) || math.Abs(d.Scale) > 1e15 || math.Abs(d.Scale) < 1e-15,
		"A number other than 0, such as 8 or 0.01.")
	every := d.Every
	if d.Table != "" {
		every = d.Rows.Every
		bad("where", checkWhere(d.Rows) != "", "%s", checkWhere(d.Rows))
		for field, name := range map[string]string{"by": d.By, "of": d.Of} {
			bad(field, name != "" && d.Rows.kind(name) != condition.Whole && d.Rows.kind(name) != condition.Real,
				"Choose a column of numbers.")
			bad(field, name != "" && d.Treat != AsIs, "Only of a number, as it is.")
		}
		bad("unit", d.Of != "" && d.Unit != "%", "A share is in %%.")
		bad("row", d.Rows.lacks(d.Rows.Name) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Name))
		bad("same", d.Rows.lacks(d.Rows.Same) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Same))
	}
	bad("every", every < 10*time.Second || every > 24*time.Hour, "From 10s to 24h.")
	bad("unit", (d.Treat == Words || d.Treat == State) && d.Unit != "", "States and texts have no unit.")
	return errs
}

func checkWhere(t Table) string {
	if t.Where == "" {
		return ""
	}
	if _, err := condition.Compile(t.Where, t.Asked()); err != nil {
		return text.UpperFirst(err.Error())
	}
	return ""
}

// lacks is the first of some columns that the table does not have; empty where it has them all.
func (t Table) lacks(names []string) string {
	for _, name := range names {
		if !slices.ContainsFunc(t.Columns, func(c Column) bool { return c.As == name }) {
			return name
		}
	}
	return ""
}

// kind is what the values of a column are; empty where there is none of that name.
func (t Table) kind(name string) condition.Kind {
	for _, c := range t.Columns {
		if c.As == name {
			return c.Is
		}
	}
	return ""
}

// Asked are the columns that its condition may ask for.
func (t Table) Asked() (out []condition.Column) {
	for _, c := range t.Columns {
		out = append(out, condition.Column{Name: c.As, Kind: c.Is})
	}
	return out
}

// With is the set with a draft in it, in the place of a reading of the same key or behind all
// others. A table that is there already becomes what the draft says of it.
func (s Set) With(d Draft) (Set, domain.FieldErrors) {
	if errs := d.Check(); len(errs) > 0 {
		return s, errs
	}
	out := Set{slices.Clone(s.Readings), slices.Clone(s.Tables)}
	at := slices.IndexFunc(out.Readings, func(r Reading) bool { return r.Key == d.Key })
	switch {
	case d.Key != "" && at >= 0:
		out.Readings[at] = d.Reading
	case len(s.Readings) >= mostReadings:
		return s, domain.FieldErrors{"name": fmt.Sprintf("A device has at most %d readings of its own.", mostReadings)}
	default:
		d.Key = s.free(d.Object)
		out.Readings = append(out.Readings, d.Reading)
	}
	for _, r := range out.Readings {
		if r.Key != d.Key && r.Name == d.Name && r.Table == d.Table {
			return s, domain.FieldErrors{"name": "Another reading of its own has this name."}
		}
	}
	if d.Table != "" {
		out.Tables = slices.DeleteFunc(out.Tables, func(t Table) bool { return t.Key == d.Table })
		out.Tables = append(out.Tables, d.Rows)
	}
	return out.tidy(), nil
}

var noKey = regexp.MustCompile(`[^a-z0-9]+`)

// free is a key for a further reading, which none has: series keep it for good.
func (s Set) free(object string) string {
	base := cmp.Or(strings.Trim(noKey.ReplaceAllString(strings.ToLower(object), "-"), "-"), "reading")
	key := base
	for n := 2; slices.ContainsFunc(s.Readings, func(r Reading) bool { return r.Key == key }); n++ {
		key = fmt.Sprintf("%s-%d", base, n)
	}
	return key
}

// Without is the set without a reading; ok is false where there is none of that key.
func (s Set) Without(key string) (out Set, ok bool) {
	out = Set{slices.DeleteFunc(slices.Clone(s.Readings), func(r Reading) bool { return r.Key == key }), slices.Clone(s.Tables)}
	return out.tidy(), len(out.Readings) < len(s.Readings)
}

// tidy leaves no table without readings.
func (s Set) tidy() Set {
	s.Tables = slices.DeleteFunc(s.Tables, func(t Table) bool {
		return !slices.ContainsFunc(s.Readings, func(r Reading) bool { return r.Table == t.Key })
	})
	return s
}

// Reading returns one by its key as a draft; ok is false where there is none.
func (s Set) Reading(key string) (d Draft, ok bool) {
	for _, r := range s.Readings {
		if r.Key == key {
			d.Reading = r
			d.Rows, _ = s.TableOf(r.Table)
			return d, true
		}
	}
	return d, false
}

// TableOf returns a table by its key; ok is false where there is none.
func (s Set) TableOf(key string) (Table, bool) {
	for _, t := range s.Tables {
		if t.Key == key {
			return t, true
		}
	}
	return Table{}, false
}

// Package own is the kit that a device has by itself: readings that people picked at it, among
// the objects that its agent tells. It proposes how an object is best read, and makes the kit.
package own

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// Treatment is what the stored values are.
type Treatment string

// The treatments.
const (
	Number Treatment = "number"
	State  Treatment = "state" // the number of a state
	Words  Treatment = "text"
)

// Treatments are all of them, in the order in which they are offered.
var Treatments = []Treatment{Number, State, Words}

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
	Codes  map[int64]string `json:"codes,omitempty"`
	// Steps lead from what the device says to what is stored.
	Steps []derive.Written `json:"steps,omitempty"`
	// Heartbeat is how long a value that does not change may go unstored; 0 stores each.
	Heartbeat time.Duration `json:"heartbeat,omitempty"`
	// Every is how often a single value is read; a column is read as its table is.
	Every time.Duration `json:"every,omitempty"`
	// Table is the table that it is a column of; empty for a single value.
	Table string `json:"table,omitempty"`
}

// Said is what is stored of it, in few words.
func (r Reading) Said() string {
	if len(r.Steps) == 0 && r.Treat == Number {
		return "as it is"
	}
	out := []string{string(r.Treat)}
	if r.Treat == Number {
		out = nil
	}
	for _, w := range r.Steps {
		out = append(out, w.String())
	}
	return strings.Join(out, ", ")
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
	// Tags and Attributes are columns that give parts tags and attributes, which are called as they are.
	Tags       []string `json:"tags,omitempty"`
	Attributes []string `json:"attributes,omitempty"`
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
	bad("name", !text.Printable(d.Name), "It has characters that cannot be shown.")
	bad("unit", len(d.Unit) > longestUnit || !unitText.MatchString(d.Unit), "A symbol such as bit/s, B, s, Cel or %%, without spaces.")
	bad("treat", !slices.Contains(Treatments, d.Treat), "Choose what becomes of it.")
	bad("steps", d.Treat == Words && derive.Computes(d.Steps), "A text cannot be computed with: store a number, or take the steps away.")
	bad("steps", d.checkSteps() != "", "%s", text.UpperFirst(d.checkSteps()))
	every := d.Every
	if d.Table != "" {
		every = d.Rows.Every
		bad("where", checkWhere(d.Rows) != "", "%s", checkWhere(d.Rows))
		bad("row", d.Rows.lacks(d.Rows.Name) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Name))
		bad("tags", d.Rows.lacks(d.Rows.Tags) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Tags))
		bad("attributes", d.Rows.lacks(d.Rows.Attributes) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Attributes))
		bad("same", d.Rows.lacks(d.Rows.Same) != "", "There is no column %s.", d.Rows.lacks(d.Rows.Same))
	}
	bad("every", every < 10*time.Second || every > 24*time.Hour, "From 10s to 24h.")
	bad("unit", (d.Treat == Words || d.Treat == State) && d.Unit != "", "States and texts have no unit.")
	bad("heartbeat", d.Heartbeat != 0 && d.Treat == Words, "Of a text it is kept since when it stands.")
	bad("heartbeat", d.Heartbeat != 0 && (d.Heartbeat < time.Minute || d.Heartbeat > 24*time.Hour || d.Heartbeat < 2*every),
		"From 1m to 24h, and at least twice as long as the interval; empty to store each value.")
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

// checkSteps says which step cannot be taken; empty where all can.
func (d Draft) checkSteps() string {
	if m, ok := d.Misstep(); ok {
		return m.Error()
	}
	return ""
}

// Misstep is the first step that cannot be taken; ok is false where all can.
func (d Draft) Misstep() (m derive.Misstep, ok bool) {
	_, err := d.compiled()
	return m, errors.As(err, &m)
}

// compiled are its steps, over the columns of its table.
func (d Draft) compiled() (derive.Steps, error) {
	in := derive.Places{Of: func(name string) int {
		return slices.IndexFunc(d.Rows.Columns, func(c Column) bool { return c.As == name })
	}}
	for _, c := range d.Rows.Columns {
		in.Names = append(in.Names, c.As)
	}
	return derive.Compile(d.Steps, in)
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

// FreeName is a name that no reading of a table has, nor one of single values where it is empty.
func (s Set) FreeName(name, table string) string {
	free := name
	for n := 2; slices.ContainsFunc(s.Readings, func(r Reading) bool { return r.Name == free && r.Table == table }); n++ {
		free = fmt.Sprintf("%s %d", name, n)
	}
	return free
}

// Without is the set without a reading; ok is false where there is none of that key.
func (s Set) Without(key string) (out Set, ok bool) {
	out = Set{slices.DeleteFunc(slices.Clone(s.Readings), func(r Reading) bool { return r.Key == key }), slices.Clone(s.Tables)}
	return out.tidy(), len(out.Readings) < len(s.Readings)
}

// NeededBy are the names of the readings whose formulas name another one.
func (s Set) NeededBy(key string) (names []string) {
	for _, r := range s.Readings {
		t, _ := s.TableOf(r.Table)
		if steps, err := (Draft{r, t}).compiled(); err == nil && slices.Contains(steps.Readings(), key) {
			names = append(names, r.Name)
		}
	}
	return names
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

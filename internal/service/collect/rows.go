package collect

import (
	"maps"
	"slices"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
)

// mostCalled is the longest name that a device may give a row, in bytes.
const mostCalled = 500

// Row is a row of a table that makes a part, with what is known of it.
type Row struct {
	derive.Row
	// Called is what the device calls it; Name tells it from others of the kind,
	// plain is its name without what does.
	Called, Name string
	plain        string
	Note, Marks  string
	Told         string  // attributes and tags; see domain.Part
	Speed        float64 // bit/s, 0 when not known
	Living       bool
}

// Reader picks the rows of a table that make parts of a kind, and remembers what it
// read of each: tables hardly change. It is for one device.
type Reader struct {
	src     kit.Source
	def     kit.Parts
	columns []int // that a part follows from
	read    map[string]remembered
}

// remembered is what was read of a row while its columns had these values.
type remembered struct {
	values []derive.Value
	keeps  bool
	row    Row
}

// NewReader returns a reader that remembers nothing yet.
func NewReader(src kit.Source, def kit.Parts) *Reader {
	names := slices.Concat(def.Key, def.Name, []string{def.Note, def.Speed}, def.Marks)
	names = slices.AppendSeq(append(names, def.Filter.Columns()...), maps.Keys(def.Living))
	names = slices.AppendSeq(append(names, def.Tags...), maps.Values(def.Attributes))
	r := &Reader{src: src, def: def, read: map[string]remembered{}}
	for _, name := range names {
		if i := src.Column(name); i >= 0 && !slices.Contains(r.columns, i) {
			r.columns = append(r.columns, i)
		}
	}
	return r
}

// Rows picks the rows that make parts, and reads what the device says of each. left
// are those that their parts have left; see Known.
func (r *Reader) Rows(rows []derive.Row, left map[string]string) []Row {
	if len(r.read) > 2*len(rows) {
		clear(r.read) // rows that are gone are forgotten
	}
	out := make([]Row, 0, len(rows))
	for _, row := range rows {
		if known := r.one(row); known.keeps {
			known.row.Row = row
			out = append(out, known.row)
		}
	}
	tellApart(r.src, r.def, out, left)
	return out
}

func (r *Reader) one(row derive.Row) remembered {
	known, ok := r.read[row.Index]
	if ok && r.same(known.values, row.Values) {
		return known
	}
	known = remembered{values: make([]derive.Value, len(r.columns)), keeps: r.def.Filter.Keeps(r.src, row)}
	for i, c := range r.columns {
		if c < len(row.Values) {
			known.values[i] = row.Values[c]
		}
	}
	if known.keeps {
		known.row = rowOf(r.src, r.def, row)
		known.row.Row = derive.Row{} // else the whole answer would be kept
	}
	r.read[row.Index] = known
	return known
}

func (r *Reader) same(known, values []derive.Value) bool {
	for i, c := range r.columns {
		var now derive.Value
		if c < len(values) {
			now = values[c]
		}
		if now != known[i] {
			return false
		}
	}
	return true
}

func rowOf(src kit.Source, def kit.Parts, row derive.Row) Row {
	r := Row{
		Row:    row,
		Called: text.Brief(firstOf(src, row, def.Key), mostCalled),
		Name:   text.Brief(firstOf(src, row, def.Name), mostCalled),
		Note:   text.Brief(firstOf(src, row, []string{def.Note}), mostCalled),
		Marks:  marksOf(src, def, row),
		Told:   toldOf(src, def, row),
		Speed:  speedOf(src, def, row),
		Living: kit.Filter{Only: def.Living}.Keeps(src, row),
	}
	if r.Name == "" {
		r.Name = r.Called
	}
	if r.Name == "" {
		r.Name = "row " + row.Index
	}
	r.plain = r.Name
	return r
}

// RowName is what a row of a table is called.
func RowName(src kit.Source, def kit.Parts, row derive.Row) string { return rowOf(src, def, row).Name }

// marksOf joins what only the same thing has; empty unless all of it is known.
func marksOf(src kit.Source, def kit.Parts, row derive.Row) string {
	var marks []string
	for _, name := range def.Marks {
		text := derive.CleanText(cell(src, row, name))
		if strings.Trim(text, "0:") == "" { // an address of zeros is none
			return ""
		}
		marks = append(marks, text)
	}
	return strings.Join(marks, " ")
}

// maxSpeed is more than any interface has, in bit/s.
const maxSpeed = 1e15

func speedOf(src kit.Source, def kit.Parts, row derive.Row) float64 {
	i := src.Column(def.Speed)
	if i < 0 || i >= len(row.Values) {
		return 0
	}
	speed, ok := row.Values[i].Number()
	if speed *= def.SpeedScale; !ok || speed < 0 || speed > maxSpeed {
		return 0
	}
	return speed
}

// tellApart adds to the names that several rows have what differs between
// them: the first column that does, else their place in the table. Rows that
// were left need no name of their own.
func tellApart(src kit.Source, def kit.Parts, rows []Row, left map[string]string) {
	byName := make(map[string][]int, len(rows))
	for i, r := range rows {
		if !r.isLeft(left) {
			byName[r.plain] = append(byName[r.plain], i)
		}
		rows[i].Name = r.plain
	}
	if len(byName) == len(rows) {
		return
	}
	for _, same := range byName {
		if len(same) == 1 {
			continue
		}
		differing := difference(src, def, rows, same)
		for n, i := range same {
			rows[i].Name += " (" + differing[n] + ")"
		}
	}
}

// isLeft tells whether a row is one of those that were left, and still is dead.
func (r Row) isLeft(left map[string]string) bool {
	name, ok := left[r.Index]
	return ok && name == r.Called && !r.Living
}

func difference(src kit.Source, def kit.Parts, rows []Row, same []int) []string {
	for _, column := range def.Apart {
		var texts []string
		seen := map[string]bool{}
		for _, i := range same {
			text := derive.CleanText(cell(src, rows[i].Row, column))
			if text == "" || seen[text] || text == rows[i].Name {
				break
			}
			seen[text] = true
			texts = append(texts, text)
		}
		if len(texts) == len(same) {
			return texts
		}
	}
	places := make([]string, len(same))
	for n, i := range same {
		places[n] = "row " + rows[i].Index
	}
	return places
}

func cell(src kit.Source, row derive.Row, name string) string {
	if i := src.Column(name); name != "" && i >= 0 && i < len(row.Values) {
		return strings.TrimSpace(row.Values[i].String())
	}
	return ""
}

func firstOf(src kit.Source, row derive.Row, columns []string) string {
	for _, name := range columns {
		if text := cell(src, row, name); text != "" {
			return text
		}
	}
	return ""
}

func partRows(parts []domain.Part) []identity.Row {
	out := make([]identity.Row, len(parts))
	for i, p := range parts {
		out[i] = identity.Row{Called: p.Called, Index: p.Index, Marks: p.Marks, Gone: !p.GoneAt.IsZero()}
	}
	return out
}

func seenRows(rows []Row) []identity.Row {
	out := make([]identity.Row, len(rows))
	for i, r := range rows {
		out[i] = identity.Row{Called: r.Called, Index: r.Index, Marks: r.Marks, Living: r.Living}
	}
	return out
}

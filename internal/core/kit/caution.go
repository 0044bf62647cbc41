package kit

import (
	"fmt"
	"reflect"
	"slices"
	"strings"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Caution is something of a kit that does not fit together, though it can be read.
type Caution struct {
	Of   string `json:"of"` // source, reading or rule
	Key  string `json:"key"`
	Text string `json:"text"`
}

// Cautions point out what people forget: what is asked and never read, readings that say the same, and rules
// that no value can reach.
func (k *Kit) Cautions() (out []Caution) {
	for _, src := range k.Sources {
		out = append(out, k.unread(src)...)
	}
	alike := map[string][]Reading{} // only those of one source and column are looked at one by one
	for _, r := range k.Readings {
		key := r.Source + "/" + strings.Join(r.Value, "/")
		if i := slices.IndexFunc(alike[key], func(before Reading) bool { return sameAs(before, r) }); i >= 0 {
			out = append(out, Caution{"reading", r.Key, fmt.Sprintf("“%s” says the same as “%s”.", r.Name, alike[key][i].Name)})
			continue
		}
		alike[key] = append(alike[key], r)
	}
	for _, r := range k.Rules {
		out = append(out, k.unreached(r)...)
	}
	return out
}

// unread finds what a source fetches and nothing reads.
func (k *Kit) unread(src Source) []Caution {
	read := map[string]bool{}
	any := false
	for _, r := range k.Readings {
		if r.Source != src.Key {
			continue
		}
		any = true
		for _, name := range slices.Concat(r.columnsOf(), r.columns(), src.steps[r.Key].Columns()) {
			read[name] = true
		}
	}
	for _, p := range k.Parts {
		if p.Source == src.Key {
			for _, name := range p.columns() {
				read[name] = true
			}
		}
	}
	if !any {
		return []Caution{{"source", src.Key, fmt.Sprintf("Nothing reads the source “%s”: it is asked in vain.", src.Key)}}
	}
	var names []string
	for _, c := range src.columns {
		if !read[c.As] {
			names = append(names, c.As)
		}
	}
	if len(names) == 0 || k.brings(src) {
		return nil
	}
	return []Caution{{"source", src.Key, fmt.Sprintf("Of “%s” nothing reads %s.", src.Key, strings.Join(names, ", "))}}
}

// brings tells whether a way brings the columns of a source by itself: then none costs anything.
func (k *Kit) brings(src Source) bool {
	w, ok := k.ways.Of(src.Way)
	return ok && w.Columns != nil && w.Columns(k.filled(w, src, k.shown(nil))) != nil
}

// columns are those that a row discovery looks at.
func (p Parts) columns() []string {
	out := slices.Concat(p.Key, p.Name, p.Marks, p.Apart, p.Filter.Columns(), p.Tags, []string{p.Note, p.Speed, p.Since})
	for _, name := range p.Attributes {
		out = append(out, name)
	}
	for name := range p.Living {
		out = append(out, name)
	}
	return out
}

// sameAs tells whether two readings take the same value on the same way.
func sameAs(a, b Reading) bool {
	return a.Source == b.Source && a.Of == b.Of && a.Over == b.Over && a.Text == b.Text && slices.Equal(a.Value, b.Value) &&
		slices.Equal(a.Steps, b.Steps) && reflect.DeepEqual(a.Filter, b.Filter) && reflect.DeepEqual(a.FirstOf, b.FirstOf) &&
		reflect.DeepEqual(a.Codes, b.Codes) && reflect.DeepEqual(a.Instead, b.Instead)
}

// unreached finds levels of a rule that no value of its reading can reach.
func (k *Kit) unreached(r rule.Rule) (out []Caution) {
	ladder, ok := r.Condition.(rule.Ladder)
	reading, known := k.Reading(r.Reading)
	if !ok || !known {
		return nil
	}
	can := reading.Can()
	values := []float64{can.Low, can.High}
	within := "its values lie between " + units.Format(can.Low, reading.Unit) + " and " + units.Format(can.High, reading.Unit)
	if len(reading.Codes) > 0 {
		values, within = nil, "none of its words is of that level"
		for code := range reading.Codes {
			values = append(values, float64(code))
		}
	}
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		reached := func(v float64) bool { return ladder.Bad(l, v) }
		if ladder.Has(l) && !slices.ContainsFunc(values, reached) {
			out = append(out, Caution{"rule", r.Key, fmt.Sprintf("The rule “%s” can never be %s: %s.", r.Name, l, within)})
		}
	}
	return out
}

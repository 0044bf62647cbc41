package kit

import (
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/core/why"
)

// Why explains how a reading comes about: what is asked, how often, and what
// is made of the answer, with the counters of the last two looks where st
// has them.
func (k *Kit) Why(r Reading, src Source, st derive.State) why.Trace {
	t := why.Trace{Question: "Where does “" + r.Name + "” come from?", Answer: k.Title + ", version " + fmt.Sprint(k.Version)}
	t.Because(k.asked(src, r), "every "+units.Span(src.Every), nil)
	for i, b := range r.FirstOf {
		t.Because([]string{"It counts", "Where that is not told"}[min(i, 1)], b.Says, nil)
	}
	if len(r.Value) > 1 {
		t.Because("Of several objects the first that the device has is used", strings.Join(r.Value, ", then "), nil)
	}
	for _, w := range r.Steps {
		trace, seen := st.Why()
		switch said := r.saidOf(w); {
		case !counts(w):
			t.Because(said, "", nil)
		case seen:
			t.Include(said, trace)
		default:
			t.Because(said, "no counter was seen since the application started", nil)
		}
	}
	for _, step := range r.steps() {
		t.Because(step, "", nil)
	}
	if r.Caution != "" {
		t.Because("Mind", r.Caution, nil)
	}
	return t
}

func (k *Kit) asked(src Source, r Reading) string {
	w, ok := k.ways.Of(src.Way)
	if !ok {
		return "It is asked by the way “" + src.Way + "”, which is not known here"
	}
	var columns []way.Column
	for _, name := range r.columns() {
		if c := src.Column(name); c >= 0 {
			columns = append(columns, src.columns[c])
		}
	}
	return w.Words(k.filled(w, src, k.shown(nil)), columns)
}

// columns are those that the reading is made of, each once.
func (r Reading) columns() (out []string) {
	for _, b := range r.FirstOf {
		for _, name := range b.columns() {
			if !slices.Contains(out, name) {
				out = append(out, name)
			}
		}
	}
	return append(out, r.Value...)
}

// steps are what happens to the value beside its steps, in words.
func (r Reading) steps() (out []string) {
	if r.Text {
		return []string{"The text is kept as it is, without spaces around it, with since when it stands"}
	}
	if len(r.Codes) > 0 {
		out = append(out, "The number stands for a word")
	}
	for _, i := range r.Instead {
		word := r.Codes[int(i.Value)]
		if word == "" {
			word = units.Format(i.Value, r.Unit)
		}
		out = append(out, "Where "+i.Column+" says "+strings.Join(i.Says, " or ")+", it is “"+word+"” whatever else is told")
	}
	if r.Heartbeat > 0 {
		out = append(out, "A value that does not change is stored once in "+units.Span(r.Heartbeat)+"; rules see each")
	}
	switch r.Over {
	case derive.OverAvg:
		out = append(out, "The mean of all rows is taken")
	case derive.OverSum:
		out = append(out, "The sum of all rows is taken")
	case derive.OverMax:
		out = append(out, "The highest of all rows is taken")
	}
	return out
}

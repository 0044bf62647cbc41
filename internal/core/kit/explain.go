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
	if trace, ok := st.Why(); ok && r.Rate {
		t.Include("A counter becomes a rate a second", trace)
	} else if r.Rate {
		t.Because("A counter becomes a rate a second", "no counter was seen since the application started", nil)
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
	return w.Words(k.filled(w, src, nil), columns)
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

// steps are what happens to the value after it was fetched, in words.
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
	if r.Times != "" {
		out = append(out, "It is multiplied by "+r.Times)
	}
	if r.Rest != "" {
		out = append(out, "It is expressed as a share of itself and "+r.Rest+" together")
	}
	if r.Percent != "" {
		out = append(out, "It is expressed as a share of "+r.Percent)
	}
	if r.Scale != 0 && r.Scale != 1 {
		out = append(out, fmt.Sprintf("It is multiplied by %g to give %s", r.Scale, r.Unit))
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

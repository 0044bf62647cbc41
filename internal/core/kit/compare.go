package kit

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
)

// How one thing of a kit differs from what it was.
const (
	Added   = "new"
	Gone    = "gone"
	Changed = "changed"
)

// Difference is one thing of a kit that a version has, has not any more, or has otherwise.
type Difference struct {
	What string `json:"what"` // reading, source, rows, rule, chart, parameter, kit inside or kit
	Key  string `json:"key"`
	Name string `json:"name"`
	How  string `json:"how"` // new, gone or changed
	// Says is what is otherwise, each as “unit: s → ms”; empty for what is new or gone.
	Says []string `json:"says"`
}

// facet is one side of a thing, in words.
type facet struct{ name, value string }

// thing is what can be compared: what names it, and its sides.
type thing struct {
	key, name string
	facets    []facet
}

// Compare tells what one version of a kit has otherwise than another, which may be nil for a kit
// that is new. Things are the same by their keys, wherever they stand.
func Compare(before, after *Kit) (out []Difference) {
	if before == nil {
		before = &Kit{}
	}
	whole := func(k *Kit) []thing {
		return []thing{{"", k.Title, []facet{{"title", k.Title}, {"about", k.About},
			{"folder", k.Folder}, {"needs", strings.Join(k.Needs, ", ")},
			{"on request", yes(k.OnRequest)}, {"prepare", k.Prepare}, {"by hand", k.ByHand.words()},
			{"parked", parkedWords(k.Parked)}}}}
	}
	for _, sort := range []struct {
		what string
		of   func(*Kit) []thing
	}{
		{"kit", whole},
		{"parameter", parameterThings},
		{"source", sourceThings},
		{"rows", partThings},
		{"reading", readingThings},
		{"rule", ruleThings},
		{"chart", chartThings},
		{"kit inside", insideThings},
	} {
		if sort.what == "kit" && before.Name == "" {
			continue
		}
		out = append(out, differences(sort.what, sort.of(before), sort.of(after))...)
	}
	return out
}

func differences(what string, before, after []thing) (out []Difference) {
	find := func(all []thing, key string) int {
		return slices.IndexFunc(all, func(x thing) bool { return x.key == key })
	}
	for _, now := range after {
		i := find(before, now.key)
		if i < 0 {
			out = append(out, Difference{what, now.key, now.name, Added, []string{}})
		} else if says := says(before[i].facets, now.facets); len(says) > 0 {
			out = append(out, Difference{what, now.key, now.name, Changed, says})
		}
	}
	for _, was := range before {
		if find(after, was.key) < 0 {
			out = append(out, Difference{what, was.key, was.name, Gone, []string{}})
		}
	}
	return out
}

func says(before, after []facet) (out []string) {
	for i, now := range after {
		if was := before[i].value; was != now.value {
			out = append(out, fmt.Sprintf("%s: %s → %s", now.name, orNothing(was), orNothing(now.value)))
		}
	}
	return out
}

func orNothing(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

func parameterThings(k *Kit) (out []thing) {
	for _, p := range k.Parameters {
		out = append(out, thing{p.Name, p.Label, []facet{{"label", p.Label}, {"about", p.Help}, {"kind", string(p.Kind)},
			{"default", p.Default}, {"choices", strings.Join(p.Choices, ", ")}, {"bounds", fmt.Sprint(p.Low, " to ", p.High)},
			{"must be set", yes(p.Required)}, {"not asked for", yes(p.Hidden)}}})
	}
	return out
}

// sourceThings are the sources; one that stands several times is told apart by when it is used.
func sourceThings(k *Kit) (out []thing) {
	for _, s := range k.Sources {
		when := settings(s.When)
		key, columns := s.Key, make([]string, len(s.columns))
		if when != "" {
			key += " (" + when + ")"
		}
		for i, c := range s.columns {
			columns[i] = strings.TrimSpace(c.As + " " + c.Of + " " + string(c.Is))
		}
		out = append(out, thing{key, key, []facet{{"way", s.Way}, {"every", s.Every.String()}, {"asks", settings(s.Ask)},
			{"columns", strings.Join(columns, ", ")}, {"optional", yes(s.Optional)}}})
	}
	return out
}

func partThings(k *Kit) (out []thing) {
	for _, p := range k.Parts {
		where := ""
		if p.Filter.Where != nil {
			where = p.Filter.Where.Text()
		}
		out = append(out, thing{p.Kind, p.Title, []facet{
			{"title", p.Title}, {"source", p.Source}, {"the same by", strings.Join(p.Key, ", ")}, {"called by", strings.Join(p.Name, ", ")},
			{"only", lists(p.Filter.Only)}, {"left out", lists(p.Filter.LeaveOut)}, {"where", where}, {"living", lists(p.Living)},
			{"note", p.Note}, {"tags", strings.Join(p.Tags, ", ")}, {"attributes", settings(p.Attributes)},
			{"speed", fmt.Sprint(p.Speed, " × ", p.SpeedScale)}, {"marks", strings.Join(p.Marks, ", ")},
			{"told apart by", strings.Join(p.Apart, ", ")}, {"since", p.Since}, {"purpose", string(p.Purpose)}}})
	}
	return out
}

func readingThings(k *Kit) (out []thing) {
	for _, r := range k.Readings {
		out = append(out, thing{r.Key, r.Name, []facet{
			{"name", r.Name}, {"about", r.About}, {"unit", r.Unit}, {"of", r.Of}, {"source", r.Source},
			{"value", strings.Join(r.Value, ", ")}, {"steps", steps(r.Steps)}, {"only", lists(r.Filter.Only)},
			{"left out", lists(r.Filter.LeaveOut)}, {"over rows", string(r.Over)}, {"words", words(r.Codes)}, {"text", yes(r.Text)},
			{"instead", deep(r.Instead)}, {"first of", deep(r.FirstOf)}, {"heartbeat", span(r.Heartbeat)}, {"lowest", number(r.Low)},
			{"highest", number(r.High)}, {"optional", yes(r.Optional)}, {"purpose", string(r.Purpose)},
			{"tags", strings.Join(r.Tags, ", ")}, {"because", r.Because}, {"caution", r.Caution}, {"always", yes(r.Always)}}})
	}
	return out
}

func ruleThings(k *Kit) (out []thing) {
	for _, r := range k.Rules {
		out = append(out, thing{r.Key, r.Name, []facet{{"name", r.Name}, {"reading", r.Reading}, {"condition", r.Words()},
			{"title", r.Title}, {"what to do", r.Runbook}, {"on", yes(r.Enabled)}, {"tags", strings.Join(r.Tags, ", ")}}})
	}
	return out
}

func chartThings(k *Kit) (out []thing) {
	for _, c := range k.Charts {
		out = append(out, thing{c.Title, c.Title, []facet{{"readings", strings.Join(c.Readings, ", ")}}})
	}
	return out
}

func insideThings(k *Kit) (out []thing) {
	for _, in := range k.Inside {
		out = append(out, thing{in.Kit, in.Kit, []facet{{"sets", settings(in.Set)}}})
	}
	return out
}

func steps(all []derive.Written) string {
	out := make([]string, len(all))
	for i, w := range all {
		out[i] = w.String()
	}
	return strings.Join(out, ", ")
}

func yes(is bool) string {
	if is {
		return "yes"
	}
	return "no"
}

func span(d time.Duration) string {
	if d == 0 {
		return ""
	}
	return d.String()
}

func number(n *float64) string {
	if n == nil {
		return ""
	}
	return fmt.Sprint(*n)
}

// deep writes a list of small records; an empty one is nothing.
func deep(list any) string {
	v := reflect.ValueOf(list)
	if v.Len() == 0 {
		return ""
	}
	return strings.Trim(fmt.Sprintf("%+v", list), "[]")
}

func settings[M ~map[string]string](m M) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(m)) {
		out = append(out, name+" "+m[name])
	}
	return strings.Join(out, ", ")
}

func lists(m map[string][]string) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(m)) {
		out = append(out, name+" "+strings.Join(m[name], " or "))
	}
	return strings.Join(out, ", ")
}

func words(codes map[int]string) string {
	var out []string
	for _, n := range slices.Sorted(maps.Keys(codes)) {
		out = append(out, fmt.Sprintf("%d %s", n, codes[n]))
	}
	return strings.Join(out, ", ")
}

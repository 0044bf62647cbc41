package kit

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plausible"
	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// A kit that uses most of what a file can say.
const whole = `kit: ports
title: Ports
version: 3
needs: [shows:ports, shows:names]
parameters: [{name: depth, about: How far to look}, {name: form, label: The form, choices: [get, walk], default: walk}]
sources:
  - {key: table, way: named, every: 30s, ask: {form: "{form}"},
     columns: [{as: name, of: 1.1}, {as: kind, of: 1.2}, {as: octets, of: 1.3}, {as: size, of: 1.4}, {as: used, of: 1.5}]}
  - {key: door, way: own, every: 2m}
parts:
  - {kind: port, title: Port, purpose: interface, source: table, key: [name], name: [name],
     speed: size, speed_scale: 1000000, only: {kind: ["6", "7"]}}
readings:
  - {key: in, name: Traffic in, unit: bit/s, of: port, value: [octets], rate: true, scale: 8, purpose: traffic}
  - {key: fill, name: Filling, unit: "%", of: port, value: [used, octets], times: size, percent_of: size,
     over: avg, leave_out: {kind: ["24"]}}
  - {key: mode, name: Mode, source: table, value: [kind], codes: {1: up, 2: down}, over: max}
  - {key: word, name: Word, source: door, value: [a], text: true}
  - {key: total, name: Total, source: door, value: [extra], over: sum, always: true}
rules:
  - {key: full, name: Full, reading: fill, enabled: false, limit: {levels: {warning: {at: 80}}}}
  - {key: down, name: Down, reading: mode, cause: link, state: {levels: {critical: [down]}}}
charts: [{title: All, readings: [in, fill]}]
`

func wholeKit(t *testing.T) *Kit {
	t.Helper()
	k, err := parse(whole)
	require.NoError(t, err)
	return k
}

func TestAWholeFile(t *testing.T) {
	k := wholeKit(t)
	assert.Equal(t, []field.Field{
		{Name: "depth", Label: "Depth", Help: "How far to look"},
		{Name: "form", Label: "The form", Kind: field.Choice, Choices: []string{"get", "walk"}, Default: "walk"},
	}, k.Parameters)
	src, ok := k.Source("table")
	require.True(t, ok)
	assert.Equal(t, 30*time.Second, src.Every)
	assert.Equal(t, 2, src.Column("octets"))
	assert.Equal(t, -1, src.Column("noise"))
	assert.Len(t, src.Columns(), 5)
	_, ok = k.Source("nowhere")
	assert.False(t, ok)
	port, ok := k.PartsOf("port")
	require.True(t, ok)
	assert.Equal(t, "table", port.Source)
	assert.Equal(t, 1e6, port.SpeedScale)
	_, ok = k.PartsOf("")
	assert.False(t, ok, "the device itself is no kind of part")
	in, _ := k.Reading("in")
	assert.Equal(t, "table", in.Source, "that of its parts")
	assert.Equal(t, []derive.Written{{Do: "rate"}, {Do: "scale", With: "8"}}, in.Steps)
	total, _ := k.Reading("total")
	assert.Empty(t, total.Steps)
	assert.True(t, total.Always)
	assert.Equal(t, "full", k.Rules[0].Cause, "its key, where none is said")
	assert.False(t, k.Rules[0].Enabled)
	assert.Equal(t, "link", k.Rules[1].Cause)
	assert.True(t, k.Rules[1].Enabled, "unless the file says no")
	assert.Equal(t, "%", k.Rules[0].Unit)
}

func TestKindsOfReadings(t *testing.T) {
	k := wholeKit(t)
	for key, want := range map[string]domain.SeriesKind{"in": domain.KindNumber, "mode": domain.KindState, "word": domain.KindText} {
		r, ok := k.Reading(key)
		require.True(t, ok)
		assert.Equal(t, want, r.Kind(), key)
		assert.Equal(t, want, r.Subject().Kind, key)
	}
	_, ok := k.Reading("none")
	assert.False(t, ok)
}

func TestFormulasKnowTheirColumns(t *testing.T) {
	k := wholeKit(t)
	src, _ := k.Source("table")
	in, _ := k.Reading("in")
	f := k.Formula(in, src)
	assert.Equal(t, []int{2}, f.Columns)
	assert.Equal(t, -1, f.Since)
	assert.Equal(t, 30*time.Second, f.Every)
	assert.Equal(t, plausible.Of("bit/s"), f.Can)
	assert.Equal(t, "bit/s", f.Unit)
	assert.True(t, f.Steps.Counts())
	mode, _ := k.Reading("mode")
	assert.True(t, k.Formula(mode, src).State, "its numbers are those of an enumeration")
	fill, _ := k.Reading("fill")
	f = k.Formula(fill, src)
	assert.Equal(t, []int{4, 2}, f.Columns)
	assert.Equal(t, []string{"size"}, f.Steps.Columns())
	row := derive.Row{Values: make([]derive.Value, 5)}
	row.Values[4], row.Values[3] = derive.Value{Kind: derive.Gauge, Num: 2}, derive.Value{Kind: derive.Gauge, Num: 10}
	got := f.Apply(&derive.Look{Row: row})
	assert.Equal(t, 200.0, got.Value, "2 × 10 as a share of 10, which its columns say it is")
}

func TestFiltersKeepRows(t *testing.T) {
	src, _ := wholeKit(t).Source("table")
	row := func(kind string) derive.Row {
		return derive.Row{Values: []derive.Value{{Kind: derive.Text, Text: "eth0"}, {Kind: derive.Text, Text: kind}}}
	}
	only := Filter{Only: map[string][]string{"kind": {"6", "7"}}}
	assert.True(t, only.Keeps(src, row("7")))
	assert.False(t, only.Keeps(src, row("24")))
	assert.False(t, only.Keeps(src, derive.Row{}), "a row without the column")
	but := Filter{LeaveOut: map[string][]string{"kind": {"24"}}}
	assert.True(t, but.Keeps(src, row("6")))
	assert.False(t, but.Keeps(src, row("24")))
	assert.True(t, but.Keeps(src, derive.Row{}))
	assert.False(t, Filter{Only: map[string][]string{"noise": {"1"}}}.Keeps(src, row("6")), "a column that the source does not have")
	assert.False(t, Filter{LeaveOut: map[string][]string{"octets": {""}}}.Keeps(src, row("6")), "a column that the row does not reach")
}

// 48 ports: the table is asked every 30 s and feeds 48 × 2 + 1 series; the door
// every 2 minutes, 2 series with 3 requests.
func TestWhatAKitCosts(t *testing.T) {
	k := wholeKit(t)
	cost := k.Estimate(ByPurpose(map[string]int{"interface": 48, "volume": 7}), 4)
	assert.Equal(t, 99, cost.Series, "97 + 2")
	assert.InDelta(t, 97*2880+2*720, cost.SamplesPerDay, 1e-6)
	assert.InDelta(t, 48*2+3*0.5, cost.RequestsPerMinute, 1e-6, "the named way of the tests sends a request a row")
	assert.InDelta(t, (97*2880+2*720)*30*4, cost.BytesPerMonth, 1e-3)
	assert.Equal(t, Cost{101, 2, 3, 4}, Cost{1, 1, 1, 1}.Add(Cost{100, 1, 2, 3}))
	none := k.Estimate(ByPurpose(nil), 4)
	assert.Equal(t, 3, none.Series, "a device without ports")
	assert.InDelta(t, 2+1.5, none.RequestsPerMinute, 1e-6, "it is asked nevertheless")
}

func TestWhereAKitFits(t *testing.T) {
	k := wholeKit(t)
	fits, trace := k.Fits([]string{"shows:ports", "shows:names", "shows:more"})
	assert.True(t, fits)
	assert.Equal(t, "yes", trace.Answer)
	assert.Len(t, trace.Facts, 2)
	fits, trace = k.Fits([]string{"shows:names"})
	assert.False(t, fits)
	assert.Equal(t, "no", trace.Answer)
	assert.Contains(t, trace.Facts[0].Text, "does not show “shows:ports”")
	assert.Contains(t, trace.Facts[1].Text, "The device shows “shows:names”")
}

func TestParametersOfASource(t *testing.T) {
	k := wholeKit(t)
	src, _ := k.Source("table")
	ask := func(parameters map[string]string) way.Settings {
		q, ok := k.Question(src, domain.Device{ID: 4}, parameters, Talk{})
		require.True(t, ok)
		assert.Equal(t, "ports/table", q.Key)
		return q.Ask
	}
	assert.Equal(t, "walk", ask(nil)["form"], "its default")
	assert.Equal(t, "get", ask(map[string]string{"form": "get"})["form"])
	_, ok := k.Question(Source{Way: "pigeon"}, domain.Device{}, nil, Talk{})
	assert.False(t, ok)
	_, errs := k.Check(map[string]string{"form": "shout"})
	assert.Contains(t, errs, "form")
	_, errs = k.Check(map[string]string{"wobble": "1"})
	assert.Contains(t, errs, "wobble")
	values, errs := k.Check(nil)
	assert.NoError(t, errs.OrNil())
	assert.Equal(t, "walk", values["form"])
}

func TestWhereAReadingComesFrom(t *testing.T) {
	k := wholeKit(t)
	said := func(key string, st derive.State) (out []string) {
		r, _ := k.Reading(key)
		src, _ := k.Source(r.Source)
		trace := k.Why(r, src, st)
		assert.Equal(t, "Ports, version 3", trace.Answer)
		for _, f := range trace.Facts {
			out = append(out, f.Text)
		}
		return out
	}
	assert.Equal(
		t,
		[]string{"asks for 1.3", "A counter becomes a rate a second", "It is multiplied by 8 to give bit/s"},
		said("in", derive.State{}),
	)
	var st derive.State
	st.Resume(rate.Reading{Count: 7, Bits: 64})
	assert.Equal(t, []string{"asks for 1.3", "A counter becomes a rate a second", "It is multiplied by 8 to give bit/s"}, said("in", st))
	r, _ := k.Reading("in")
	src, _ := k.Source("table")
	assert.Contains(t, k.Why(r, src, derive.State{}).Facts[1].Detail, "no counter was seen")
	assert.NotContains(t, k.Why(r, src, st).Facts[1].Detail, "no counter was seen")
	assert.Equal(t, []string{"asks for 1.5", "Of several objects the first that the device has is used", "It is multiplied by size",
		"It is expressed as a share of size",
		"The mean of all rows is taken"}, said("fill", st), "a look at a counter is nothing to a gauge")
	assert.Equal(
		t,
		[]string{"asks for 1.2", "The number stands for a word", "The highest of all rows is taken"},
		said("mode", derive.State{}),
	)
	assert.Equal(
		t,
		[]string{"opens it", "The text is kept as it is, without spaces around it, with since when it stands"},
		said("word", derive.State{}),
	)
	assert.Equal(t, []string{"opens it", "The sum of all rows is taken"}, said("total", derive.State{}))
	lost := k.Why(r, Source{Way: "pigeon"}, derive.State{})
	assert.Contains(t, lost.Facts[0].Text, "“pigeon”, which is not known here")
}

// Each line is refused for one reason only; without it the file is good.
func TestEachReasonToRefuse(t *testing.T) {
	const texts = base + "readings: [{key: r, source: s, value: [a], text: true%s}]"
	const parts = "parts: [{kind: p, title: P, source: s, key: [a], name: [a]}]\n"
	for name, wrong := range map[string]string{
		"no name":                       strings.Replace(base, "kit: x\n", "", 1),
		"no title":                      strings.Replace(base, "title: X\n", "", 1),
		"no version":                    strings.Replace(base, "version: 1\n", "", 1),
		"a version below 1":             strings.Replace(base, "version: 1", "version: -1", 1),
		"a source without key":          strings.Replace(base, "key: s, ", "", 1),
		"a column without name":         strings.Replace(base, "as: a, ", "", 1),
		"more often than each second":   strings.Replace(base, "60s", "999ms", 1),
		"parts without source":          base + strings.Replace(parts, "source: s, ", "", 1),
		"parts without key":             base + strings.Replace(parts, "key: [a], ", "", 1),
		"parts without name":            base + strings.Replace(parts, ", name: [a]", "", 1),
		"parts with an unknown key":     base + strings.Replace(parts, "key: [a]", "key: [z]", 1),
		"parts with unknown tags":       base + strings.Replace(parts, "name: [a]", "name: [a], tags: [z]", 1),
		"unknown attributes":            base + strings.Replace(parts, "name: [a]", "name: [a], attributes: {x: z}", 1),
		"attributes of a wrong name":    base + strings.Replace(parts, "name: [a]", "name: [a], attributes: {'a=b': a}", 1),
		"parts with an unknown speed":   base + strings.Replace(parts, "name: [a]", "name: [a], speed: z", 1),
		"a reading of unknown parts":    base + "readings: [{key: r, of: p, source: s, value: [a]}]",
		"a reading without value":       base + "readings: [{key: r, source: s}]",
		"a share of an unknown column":  base + "readings: [{key: r, source: s, value: [a], percent_of: z}]",
		"times an unknown column":       base + "readings: [{key: r, source: s, value: [a], times: z}]",
		"a text that is a rate":         fmt.Sprintf(texts, ", rate: true"),
		"a text times a column":         fmt.Sprintf(texts, ", times: a"),
		"a text as a share":             fmt.Sprintf(texts, ", percent_of: a"),
		"a text that is scaled":         fmt.Sprintf(texts, ", scale: 2"),
		"a text that is computed":       fmt.Sprintf(texts, ", steps: [{compute: value * 2}]"),
		"a text with a heartbeat":       fmt.Sprintf(texts, ", heartbeat: 1h"),
		"steps written twice":           base + "readings: [{key: r, source: s, value: [a], scale: 2, steps: [{rate: true}]}]",
		"a step of two things":          base + "readings: [{key: r, source: s, value: [a], steps: [{rate: true, scale: 2}]}]",
		"a step that is none":           base + "readings: [{key: r, source: s, value: [a], steps: [{wobble: 2}]}]",
		"a step with an unknown column": base + "readings: [{key: r, source: s, value: [a], steps: [{times: z}]}]",
		"a heartbeat of a second":       base + "readings: [{key: r, source: s, value: [a], heartbeat: 1s}]",
		"a formula over what follows": base + `readings:
  - {key: r, source: s, value: [a], steps: [{compute: 'reading["q"]'}]}
  - {key: q, source: s, value: [a]}`,
		"a formula over itself":         base + `readings: [{key: r, source: s, value: [a], steps: [{compute: 'reading["r"]'}]}]`,
		"a text with a unit":            fmt.Sprintf(texts, ", unit: B"),
		"a text that stands for a word": fmt.Sprintf(texts, ", codes: {1: up}"),
		"the mean of texts":             fmt.Sprintf(texts, ", over: avg"),
		"a rate over many rows":         base + "readings: [{key: r, source: s, value: [a], rate: true, over: sum}]",
		"a filter on no column":         base + "readings: [{key: r, source: s, value: [a], only: {z: [1]}}]",
		"limits the wrong way round":    base + "readings: [{key: r, source: s, value: [a], low: 2, high: 1}]",
		"parts with unknown marks":      base + strings.Replace(parts, "name: [a]", "name: [a], marks: [z]", 1),
		"parts with an unknown life":    base + strings.Replace(parts, "name: [a]", "name: [a], living: {z: [1]}", 1),
		"parts told apart by nothing":   base + strings.Replace(parts, "name: [a]", "name: [a], apart: [z]", 1),
		"parts since nobody knows":      base + strings.Replace(parts, "name: [a]", "name: [a], since: z", 1),
		"a rule without key": base + "readings: [{key: r, source: s, value: [a]}]\nrules: [{name: q, reading: r, " +
			"limit: {levels: {warning: {at: 1}}}}]",
		"a rule without name": base + "readings: [{key: r, source: s, value: [a]}]\nrules: [{key: q, reading: r, " +
			"limit: {levels: {warning: {at: 1}}}}]",
		"a rule with two conditions": base + "readings: [{key: r, source: s, value: [a]}]\nrules: [{key: q, name: q, " +
			"reading: r, limit: {}, state: {}}]",
		"a chart of nothing":             base + "charts: [{title: c, readings: [r]}]",
		"an unknown parameter":           strings.Replace(base, "every: 60s", "every: 60s, ask: {form: \"{form}\"}", 1),
		"a setting that no choice makes": strings.Replace(base, "every: 60s", "every: 60s, ask: {form: \"{form} \"}", 1),
		"half a parameter":               strings.Replace(base, "every: 60s", "every: 60s, ask: {form: \"{form\"}", 1),
	} {
		_, err := parse(wrong)
		assert.Error(t, err, name)
	}
	for name, good := range map[string]string{
		"the least":         base,
		"each second":       strings.Replace(base, "60s", "1s", 1),
		"parts":             base + parts,
		"a text":            fmt.Sprintf(texts, ""),
		"limits of its own": base + "readings: [{key: r, source: s, value: [a], low: -1, high: 800}]",
		"the first of many": fmt.Sprintf(texts, ", over: first"),
		"a parameter":       strings.Replace(base, "every: 60s", "every: 60s, ask: {form: \"{form}\"}", 1) + "parameters: [{name: form}]\n",
	} {
		_, err := parse(good)
		assert.NoError(t, err, name)
	}
}

package kits_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

var book = draft.NewBook(testkit.Ways.Described(), kinds.All)

func drafted(t *testing.T, name string) (*draft.Draft, string) {
	t.Helper()
	data, err := kits.Files.ReadFile(name)
	require.NoError(t, err)
	d, err := book.Read(string(data))
	require.NoError(t, err)
	return d, string(data)
}

// places are all things of a draft.
func places(d *draft.Draft) (out []draft.Place) {
	out = append(out, draft.Place{})
	for _, o := range d.Outline() {
		for _, l := range o.Things {
			out = append(out, l.Place)
			for _, fed := range l.Fed {
				out = append(out, fed.Place)
			}
		}
	}
	return out
}

// values are what a form with all fields of a thing would send.
func values(entries []draft.Entry) map[string]string {
	out := map[string]string{}
	for _, e := range entries {
		if len(e.Rows) == 0 {
			out[e.Name] = e.Value
		}
		for _, row := range e.Rows {
			for _, cell := range row {
				out[cell.Name] = cell.Value
			}
		}
	}
	return out
}

// Opening each thing of each shipped kit and sending its form as it came changes not a character.
func TestFormsThatNobodyTouchedChangeNothing(t *testing.T) {
	files, err := kits.Files.ReadDir(".")
	require.NoError(t, err)
	things := 0
	for _, f := range files {
		d, text := drafted(t, f.Name())
		for _, p := range places(d) {
			errs, err := d.Set(p, values(d.Entries(p)))
			require.NoError(t, err, "%s %s", f.Name(), p)
			require.Empty(t, errs, "%s %s", f.Name(), p)
			require.Equal(t, text, d.Text(), "%s %s", f.Name(), p)
			things++
		}
	}
	assert.Greater(t, things, 200)
}

// lines that differ, old and new.
func lines(before, after string) (gone, come []string) {
	count := map[string]int{}
	for _, l := range strings.Split(before, "\n") {
		count[l]++
	}
	for _, l := range strings.Split(after, "\n") {
		if count[l]--; count[l] < 0 {
			come = append(come, l)
		}
	}
	for _, l := range strings.Split(before, "\n") {
		if count[l] > 0 {
			count[l]--
			gone = append(gone, l)
		}
	}
	return gone, come
}

func at(t *testing.T, d *draft.Draft, section, name string) draft.Place {
	t.Helper()
	p, ok := d.Find(section, name)
	require.True(t, ok, name)
	return p
}

func fill(t *testing.T, d *draft.Draft, section, name string, values map[string]string) {
	t.Helper()
	errs, err := d.Set(at(t, d, section, name), values)
	require.NoError(t, err)
	require.Empty(t, errs)
}

func TestOnlyWhatIsChangedIsWrittenAnew(t *testing.T) {
	for name, c := range map[string]struct {
		section, thing string
		values         map[string]string
		gone, come     []string
	}{
		"a unit": {"readings", "battery_voltage", map[string]string{"unit": "mV"}, []string{"    unit: V"}, []string{"    unit: mV"}},
		"a step in short stays in short": {"readings", "battery_voltage",
			map[string]string{"steps.0.do": "scale", "steps.0.with": "100"}, []string{"    scale: 0.1"}, []string{"    scale: 100"}},
		"two steps that cannot be in short": {"readings", "battery_voltage",
			map[string]string{"steps.0.do": "clamp", "steps.0.with": "0..900", "steps.1.do": "scale", "steps.1.with": "0.1"},
			[]string{"    scale: 0.1"}, []string{"    steps: [{clamp: 0..900}, {scale: \"0.1\"}]"}},
		"a flag is left out": {"readings", "charge", map[string]string{"optional": ""},
			[]string{"    optional: true"}, nil},
		"a new setting stands where it belongs": {"readings", "charge", map[string]string{"high": "100"}, nil, []string{"    high: 100"}},
		"what a source asks": {"sources", "inputs", map[string]string{"ask.form": "get", "every": "120s"},
			[]string{"    every: 60s", "    ask: {form: walk}"}, []string{"    every: 120s", "    ask: {form: get}"}},
		"a further column": {"sources", "inputs", map[string]string{
			"columns.0.as": "line", "columns.0.of": "index",
			"columns.1.as": "frequency", "columns.1.of": "1.3.6.1.2.1.33.1.3.3.1.2",
			"columns.2.as": "voltage", "columns.2.of": "1.3.6.1.2.1.33.1.3.3.1.3",
			"columns.3.as": "current", "columns.3.of": "1.3.6.1.2.1.33.1.3.3.1.4"},
			nil, []string{"      - {as: current, of: 1.3.6.1.2.1.33.1.3.3.1.4}"}},
		"the kit itself": {"", "", map[string]string{"title": "Power"},
			[]string{"title: Uninterruptible power supply"}, []string{"title: Power"}},
		"words": {"readings", "battery", map[string]string{"codes": "1: unknown\n2: normal"},
			[]string{"    codes: {1: unknown, 2: normal, 3: low, 4: depleted}"},
			[]string{"    codes:", "      1: unknown", "      2: normal"}},
	} {
		t.Run(name, func(t *testing.T) {
			d, before := drafted(t, "ups.yaml")
			p := draft.Place{}
			if c.section != "" {
				p = at(t, d, c.section, c.thing)
			}
			errs, err := d.Set(p, c.values)
			require.NoError(t, err)
			require.Empty(t, errs)
			gone, come := lines(before, d.Text())
			assert.Equal(t, c.gone, gone)
			assert.Equal(t, c.come, come)
			_, err = book.Read(d.Text())
			require.NoError(t, err)
		})
	}
}

func TestALimitOfARuleIsChangedByItsFields(t *testing.T) {
	d, _ := drafted(t, "ups.yaml")
	fill(t, d, "rules", "load", map[string]string{"condition.raise_warning": "92", "condition.recover_warning": "85", "name": "Heavy load"})
	k := read(t, d.Text())
	i := len(k.Rules) - 1
	assert.Equal(t, "Heavy load", k.Rules[i].Name)
	assert.Contains(t, k.Rules[i].Words(), "warning above 92")
	errs, err := d.Set(at(t, d, "rules", "load"), map[string]string{"condition.raise_warning": "much"})
	require.NoError(t, err)
	assert.Contains(t, errs, "condition.raise_warning")
	assert.Contains(t, d.Text(), "at: 92", "nothing was changed")
}

func TestWhatRefersToAThingFollowsItsName(t *testing.T) {
	d, before := drafted(t, "ups.yaml")
	fill(t, d, "sources", "outputs", map[string]string{"key": "lines_out"})
	fill(t, d, "parts", "output", map[string]string{"kind": "line_out"})
	fill(t, d, "readings", "load", map[string]string{"key": "share"})
	k := read(t, d.Text())
	assert.Equal(t, "lines_out", k.Parts[1].Source)
	r, ok := k.Reading("share")
	require.True(t, ok)
	assert.Equal(t, "line_out", r.Of)
	assert.Equal(t, "share", k.Rules[3].Reading)
	assert.Equal(t, []string{"share"}, k.Charts[1].Readings)
	gone, come := lines(before, d.Text())
	assert.Len(t, gone, len(come), "no line more or less")
}

func TestThingsComeGoAndMove(t *testing.T) {
	d, before := drafted(t, "ups.yaml")
	p, err := d.Add("readings", "whole")
	require.NoError(t, err)
	fill(t, d, "readings", "reading", map[string]string{"key": "minutes", "name": "Minutes", "value": "minutes"})
	k := read(t, d.Text())
	r, ok := k.Reading("minutes")
	require.True(t, ok)
	assert.Equal(t, "whole", r.Source)
	up, err := d.Move(p, true)
	require.NoError(t, err)
	assert.Equal(t, p.At-1, up.At)
	_, err = d.Move(up, false)
	require.NoError(t, err)
	require.NoError(t, d.Remove(p))
	assert.Equal(t, before, d.Text(), "as if nothing had been")

	q, err := d.Add("parameters", "")
	require.NoError(t, err)
	assert.True(t, d.Has(q))
	require.NoError(t, d.Remove(q))
	assert.Equal(t, before, d.Text())
	require.ErrorIs(t, d.Remove(draft.Place{Section: "readings", At: 900}), draft.ErrGone)
	_, err = d.Add("weather", "")
	require.ErrorIs(t, err, draft.ErrGone)
}

func TestWhatIsParkedIsKeptAndNotCollected(t *testing.T) {
	d, before := drafted(t, "ups.yaml")
	fill(t, d, "sources", "outputs", map[string]string{"parked": "true", "every": ""})
	k := read(t, d.Text())
	assert.Len(t, k.Sources, 2)
	assert.Len(t, k.Parts, 1)
	_, there := k.Reading("output_power")
	assert.False(t, there)
	// The source, its rows, its four readings and the rule on one of them.
	assert.Len(t, k.Parked, 7)
	assert.Equal(t, "reading Load, with the rows output", k.Parked[5].Words())
	assert.Equal(t, "rule Power supply is overloaded, with the reading load", k.Parked[6].Words())
	differences := kit.Compare(read(t, before), k)
	assert.Contains(t, differences[0].Says[0], "parked: nothing → source outputs")
	fill(t, d, "sources", "outputs", map[string]string{"parked": "", "every": "60s"})
	assert.Empty(t, kit.Compare(read(t, before), read(t, d.Text())))
}

func TestAReadingComesFromAnotherKitWithWhatItIsMadeOf(t *testing.T) {
	d, _ := drafted(t, "ups.yaml")
	other, _ := drafted(t, "interfaces.yaml")
	p, err := d.Take(other, "in")
	require.NoError(t, err)
	assert.Equal(t, "in", d.Name(p))
	k := read(t, d.Text())
	r, ok := k.Reading("in")
	require.True(t, ok)
	assert.Equal(t, "interface", r.Of)
	again, err := d.Take(other, "in")
	require.NoError(t, err)
	assert.Equal(t, "in_2", d.Name(again))
	assert.Len(t, read(t, d.Text()).Parts, 3, "its rows are here already")

	// A reading of the same source in another file: only the column that lacks is added.
	plain, text := drafted(t, "ups.yaml")
	small, err := book.Read(`kit: small
title: Small
version: 1
sources:
  - key: all
    way: snmp
    every: 60s
    ask: {form: get}
    columns:
      - {as: charge, of: 1.3.6.1.2.1.33.1.2.4.0}
      - {as: contact, of: 1.3.6.1.2.1.1.4.0}
      - {as: nobody, of: 1.3.6.1.2.1.1.5.0}
readings:
  - key: contact
    name: Contact
    source: all
    value: [contact]
    text: true
`)
	require.NoError(t, err)
	_, err = plain.Take(small, "contact")
	require.NoError(t, err)
	gone, come := lines(text, plain.Text())
	assert.Empty(t, gone)
	assert.Equal(t, "      - {as: contact, of: 1.3.6.1.2.1.1.4.0}", come[0])
	assert.Len(t, come, 1+5, "the column, and the reading")
	r, _ = read(t, plain.Text()).Reading("contact")
	assert.Equal(t, "whole", r.Source)
	_, err = plain.Take(small, "gone")
	require.ErrorIs(t, err, draft.ErrGone)
}

// Readings of two tables stay in two walks, those of one are walked together; a column may be called with a space.
func TestTablesAreNotMixed(t *testing.T) {
	d, _ := drafted(t, "ups.yaml")
	tables, err := book.Read(`kit: tables
title: Tables
version: 1
sources:
  - {key: table, way: snmp, every: 1m0s, ask: {form: walk}, columns: [{as: name, of: 1.3.6.1.2.1.31.1.1.1.1},
     {as: reading state, of: 1.3.6.1.2.1.2.2.1.8}, {as: reading mtu, of: 1.3.6.1.2.1.2.2.1.4}]}
  - {key: other, way: snmp, every: 60s, ask: {form: walk}, columns: [{as: name, of: 1.3.6.1.2.1.25.2.3.1.3},
     {as: used, of: 1.3.6.1.2.1.25.2.3.1.6}, {as: unit, of: 1.3.6.1.2.1.25.2.3.1.4}]}
parts:
  - {kind: port, title: Ports, source: table, key: [name], name: [name]}
  - {kind: disk, title: Disks, source: other, key: [name], name: [name]}
readings:
  - {key: state, name: State, of: port, source: table, value: [reading state]}
  - {key: mtu, name: Longest, of: port, source: table, value: [reading mtu]}
  - {key: used, name: Used, of: disk, source: other, value: [used], steps: [{compute: "value * column.unit"}]}
`)
	require.NoError(t, err)
	for _, key := range []string{"state", "used", "mtu"} {
		_, err := d.Take(tables, key)
		require.NoError(t, err)
	}
	k := read(t, strings.Replace(d.Text(), "column.unit", "2", 1))
	assert.Len(t, k.Sources, 3+2)
	assert.Len(t, k.Parts, 2+2)
	ports, _ := k.Source("table")
	assert.Len(t, ports.Columns(), 3)
	disks, _ := k.Source("other")
	assert.Len(t, disks.Columns(), 3, "what a formula names comes along")
	assert.Contains(t, d.Text(), "      - {as: reading mtu, of: 1.3.6.1.2.1.2.2.1.4}\n")
}

func TestCommentsStay(t *testing.T) {
	text := `kit: notes
title: Notes # on the quay
version: 1
sources:
  # The first.
  - key: whole # one fetch
    way: snmp
    every: 60s
    ask: {form: get}
    columns:
      - {as: a, of: 1.3.6.1.2.1.1.3.0} # ticks

# What is stored.
readings:
  - key: a
    name: A
    source: whole
    value: [a]
    # Hundredths.
    scale: 0.01

  # The last.
  - key: b
    name: B
    source: whole
    value: [a]
# Nothing more.
`
	d, err := book.Read(text)
	require.NoError(t, err)
	fill(t, d, "readings", "a", map[string]string{"name": "Ticks"})
	assert.Equal(t, strings.Replace(text, "name: A\n", "name: Ticks\n", 1), d.Text())
	p, err := d.Move(at(t, d, "readings", "b"), true)
	require.NoError(t, err)
	assert.Contains(t, d.Text(), "readings:\n  # The last.\n  - key: b\n", "what is said of a thing goes with it")
	require.NoError(t, d.Remove(p))
	assert.NotContains(t, d.Text(), "# The last.")
	assert.Contains(t, d.Text(), "# Nothing more.\n")
	fill(t, d, "sources", "whole", map[string]string{"every": "30s"})
	for _, comment := range []string{"# on the quay", "# The first.", "# one fetch", "# ticks", "# What is stored.", "# Hundredths."} {
		assert.Contains(t, d.Text(), comment)
	}
}

// Whatever stands in a file, its text says the same as what was meant, and nothing panics.
func FuzzDraft(f *testing.F) {
	data, err := kits.Files.ReadFile("ups.yaml")
	require.NoError(f, err)
	f.Add(string(data), "readings.3", "name", "Other")
	f.Add("kit: x\nreadings: [{key: a}, {key: b}]\n", "readings.1", "unit", "s")
	f.Add("kit: x\nsources:\n- key: a\n  ask: {form: get}\n", "sources.0", "ask.form", "walk")
	f.Add("{kit: x, rules: [{key: a, limit: {}}]}", "rules.0", "condition.raise_warning", "5")
	f.Fuzz(func(t *testing.T, text, place, field, value string) {
		d, err := book.Read(text)
		if err != nil {
			return
		}
		d.Outline()
		p := draft.PlaceOf(place)
		d.Entries(p)
		if errs, err := d.Set(p, map[string]string{field: value}); err != nil || len(errs) > 0 {
			return
		}
		if _, err := book.Read(d.Text()); err != nil {
			t.Fatalf("what was written cannot be read again: %v", err)
		}
	})
}

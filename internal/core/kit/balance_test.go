package kit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
)

const balanced = `kit: memory
title: Memory
version: 1
sources: [{key: s, way: named, every: 60s, columns: [{as: descr, of: 1.1}, {as: size, of: 1.2}, {as: used, of: 1.3}]}]
readings:
  - key: share
    name: Memory
    unit: "%"
    source: s
    caution: It is young
    first_of:
      - says: what is not available
        add: [{column: size, only: {descr: [ram]}}]
        less: [{column: size, only: {descr: [available]}}]
        per: [{column: size, only: {descr: [ram]}}]
      - says: what is used but for the cache
        add: [{column: used, only: {descr: [ram]}}]
        less: [{column: used, only: {descr: [cached]}}, {column: used, only: {descr: [buffers]}, optional: true}]
        per: [{column: size, only: {descr: [ram]}}]
  - key: sum
    name: All
    unit: B
    source: s
    first_of: [{says: everything, add: [{column: used}], scale: 1024}]
  - key: free
    name: Free
    unit: B
    source: s
    first_of: [{says: what is left, add: [{column: size}], less: [{column: used}], scale: 1024}]
`

func TestTheFirstBalanceThatCanBeMadeCounts(t *testing.T) {
	k, err := parse(balanced)
	require.NoError(t, err)
	src, _ := k.Source("s")
	share, _ := k.Reading("share")
	row := func(name string, size, used float64) derive.Row {
		return derive.Row{
			Values: []derive.Value{{Kind: derive.Text, Text: name}, {Kind: derive.Gauge, Num: size}, {Kind: derive.Gauge, Num: used}},
		}
	}
	ram := row("ram", 1000, 520)
	for name, c := range map[string]struct {
		rows []derive.Row
		want derive.Taken
		says string
	}{
		// (1000 − 920) ÷ 1000
		"available is told": {
			[]derive.Row{ram, row("available", 920, 0), row("cached", 440, 440)}, derive.Taken{Value: 8, OK: true},
			"what is not available",
		},
		// (520 − 400 − 40) ÷ 1000
		"the cache is told": {
			[]derive.Row{ram, row("cached", 400, 400), row("buffers", 1000, 40)}, derive.Taken{Value: 8, OK: true},
			"what is used but for the cache",
		},
		"no buffers": {[]derive.Row{ram, row("cached", 400, 400)}, derive.Taken{Value: 12, OK: true}, "what is used but for the cache"},
		"neither": {
			[]derive.Row{ram},
			derive.Taken{Problem: "the device does not give size of “available”, nor used of “cached”", Absent: true}, "",
		},
		"nothing": {nil, derive.Taken{Problem: "the device does not give size of “ram”, nor used of “ram”", Absent: true}, ""},
		"no size": {
			[]derive.Row{row("ram", 0, 5), row("available", 0, 0)}, derive.Taken{Problem: "the total is zero"},
			"what is not available",
		},
		"more than everything": {
			[]derive.Row{ram, row("available", 3000, 0)},
			derive.Taken{Value: -200, Problem: "-200\u00a0% cannot be: a share lies between 0 and 100 %", Implausible: true},
			"what is not available",
		},
	} {
		got, says := share.Balanced(src, c.rows)
		assert.Equal(t, c.want, got, name)
		assert.Equal(t, c.says, says, name)
	}
	sum, _ := k.Reading("sum")
	got, _ := sum.Balanced(src, []derive.Row{ram, row("cached", 1, 400)})
	assert.Equal(t, 920.0*1024, got.Value, "without per it is a sum, scaled")

	free, _ := k.Reading("free")
	got, _ = free.Balanced(src, []derive.Row{ram})
	assert.Equal(t, 480.0*1024, got.Value)
	got, _ = free.Balanced(src, []derive.Row{{Values: ram.Values[:2]}})
	assert.True(t, got.Absent, "a row that does not reach the column does not have it")

	trace := k.Why(share, src, derive.State{})
	var facts []string
	for _, f := range trace.Facts {
		facts = append(facts, f.Text+": "+f.Detail)
	}
	assert.Equal(
		t,
		[]string{
			"asks for 1.2: every 1\u00a0min",
			"It counts: what is not available",
			"Where that is not told: what is used but for the cache",
			"Mind: It is young",
		},
		facts,
	)
}

func TestBalancesThatCannotBeMade(t *testing.T) {
	for name, wrong := range map[string]string{
		"with a value":      "value: [a], first_of: [{says: x, add: [{column: a}]}]",
		"with a scale":      "scale: 2, first_of: [{says: x, add: [{column: a}]}]",
		"as a rate":         "rate: true, first_of: [{says: x, add: [{column: a}]}]",
		"as a text":         "text: true, first_of: [{says: x, add: [{column: a}]}]",
		"as a share":        "percent_of: a, first_of: [{says: x, add: [{column: a}]}]",
		"times":             "times: a, first_of: [{says: x, add: [{column: a}]}]",
		"as a state":        "codes: {1: up}, first_of: [{says: x, add: [{column: a}]}]",
		"without words":     "first_of: [{add: [{column: a}]}]",
		"of nothing":        "first_of: [{says: x, less: [{column: a}]}]",
		"of no column":      "first_of: [{says: x, add: [{column: z}]}]",
		"less no column":    "first_of: [{says: x, add: [{column: a}], less: [{column: z}]}]",
		"per no column":     "first_of: [{says: x, add: [{column: a}], per: [{column: z}]}]",
		"filtered by none":  "first_of: [{says: x, add: [{column: a, only: {z: [1]}}]}]",
		"of a kind of part": "of: p, first_of: [{says: x, add: [{column: a}]}]",
	} {
		_, err := parse(
			base + "parts: [{kind: p, title: P, source: s, key: [a], name: [a]}]\nreadings: [{key: r, source: s, " + wrong + "}]",
		)
		assert.Error(t, err, name)
	}
	_, err := parse(base + "readings: [{key: r, source: s, first_of: [{says: x, add: [{column: a}]}]}]")
	assert.NoError(t, err)
}

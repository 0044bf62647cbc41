package kits_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

func read(t *testing.T, document string) *kit.Kit {
	t.Helper()
	k, err := kit.Parse([]byte(document), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	return k
}

func TestWhatAVersionHasOtherwise(t *testing.T) {
	data, err := kits.Files.ReadFile("ups.yaml")
	require.NoError(t, err)
	before := read(t, string(data))
	assert.Empty(t, kit.Compare(before, before))
	fresh := kit.Compare(nil, before)
	assert.Len(t, fresh, len(before.Sources)+len(before.Parts)+len(before.Readings)+len(before.Rules)+len(before.Charts))
	for _, d := range fresh {
		assert.Equal(t, kit.Added, d.How)
	}

	text := string(data)
	for _, change := range [][2]string{
		{"    name: Charge\n", "    name: State of charge\n"},
		{"    unit: V\n    source: whole\n    value: [voltage]\n    scale: 0.1\n",
			"    unit: mV\n    source: whole\n    value: [voltage]\n    scale: 100\n"},
		{"        notice: {at: 80, recover: 75}\n", ""},
		{"  - title: Battery\n    readings: [charge]\n", ""},
		{"  - key: inputs\n    every: 60s\n", "  - key: inputs\n    every: 120s\n"},
		{"  - key: alarms\n    name: Alarms\n    about: How many things are wrong, as it says itself\n    source: whole\n" +
			"    value: [alarms]\n    optional: true\n", ""},
	} {
		require.Contains(t, text, change[0])
		text = strings.Replace(text, change[0], change[1], 1)
	}
	said := map[string]string{}
	for _, d := range kit.Compare(before, read(t, text)) {
		said[d.What+" "+d.Key] = d.How + " " + strings.Join(d.Says, "; ")
	}
	assert.Equal(t, map[string]string{
		"source inputs":           "changed every: 1m0s → 2m0s",
		"reading charge":          "changed name: Charge → State of charge",
		"reading battery_voltage": "changed unit: V → mV; steps: scale 0.1 → scale 100",
		"reading alarms":          "gone ",
		"rule load":               said["rule load"],
		"chart Battery":           "gone ",
	}, said)
	assert.Contains(t, said["rule load"], "notice above 80")
}

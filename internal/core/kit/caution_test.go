package kit_test

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

const careless = `kit: careless
title: Careless
version: 1
sources:
  - {key: whole, way: snmp, every: 60s, ask: {form: get}, columns: [{as: load, of: 1.3.6.1.4.1.1.0}, {as: spare, of: 1.3.6.1.4.1.2.0}]}
  - {key: idle, way: snmp, every: 60s, ask: {form: get}, columns: [{as: x, of: 1.3.6.1.4.1.3.0}]}
readings:
  - {key: load, name: Load, unit: "%", source: whole, value: [load]}
  - {key: again, name: Load again, unit: "%", source: whole, value: [load]}
  - {key: state, name: State, source: whole, value: [load], codes: {1: good, 2: bad}}
rules:
  - key: never
    name: Overload
    title: "{device} is overloaded"
    reading: load
    limit:
      side: above
      levels: {warning: {at: 90, recover: 80}, critical: {at: 150, recover: 140}}
      for: 1 value
      recover_for: 1 value
`

func TestWhatPeopleForgetIsPointedOut(t *testing.T) {
	k, err := kit.Parse([]byte(careless), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	var said []string
	for _, c := range k.Cautions() {
		said = append(said, c.Of+" "+c.Key+": "+strings.ReplaceAll(c.Text, "\u00a0", " "))
	}
	assert.Equal(t, []string{
		"source whole: Of “whole” nothing reads spare.",
		"source idle: Nothing reads the source “idle”: it is asked in vain.",
		"reading again: “Load again” says the same as “Load”.",
		"rule never: The rule “Overload” can never be critical: its values lie between -1 % and 101 %.",
	}, said)
}

func TestShippedKitsNeedNoCautions(t *testing.T) {
	all, err := kits.Files.ReadDir(".")
	require.NoError(t, err)
	for _, f := range all {
		data, err := kits.Files.ReadFile(f.Name())
		require.NoError(t, err)
		k, err := kit.Parse(data, testkit.Ways.Described(), kinds.All)
		require.NoError(t, err, f.Name())
		assert.Empty(t, k.Cautions(), f.Name())
	}
}

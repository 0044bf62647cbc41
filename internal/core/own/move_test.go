package own_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule/kinds"
)

// pickedSet has an uptime, its double, and a column of a table.
func pickedSet(t *testing.T) own.Set {
	t.Helper()
	set, errs := own.Set{}.With(propose(t, "sysUpTime", mib.Value{Type: mib.TimeTicks}))
	require.Empty(t, errs)
	double := propose(t, "sysUpTime", mib.Value{Type: mib.TimeTicks})
	double.Name, double.Steps = "Doubled", []derive.Written{{Do: "compute", With: `reading["` + set.Readings[0].Key + `"] * 2.0`}}
	set, errs = set.With(double)
	require.Empty(t, errs)
	set, errs = set.With(propose(t, "ifInErrors", mib.Value{Type: mib.Counter32}))
	require.Empty(t, errs)
	return set
}

const target = `# What we know of the quays.
kit: quays
title: Quays
version: 4
sources:
  - key: values-1m0s # a key that is taken
    way: snmp
    every: 30s
    ask: {form: get}
    columns: [{as: name, of: 1.3.6.1.2.1.1.5.0}]
readings:
  - {key: name, name: Name, source: values-1m0s, value: [name], text: true}
`

func TestReadingsMoveIntoAKit(t *testing.T) {
	set := pickedSet(t)
	var keys []string
	for _, r := range set.Readings {
		keys = append(keys, r.Key)
	}
	m, err := set.Move([]byte(target))
	require.NoError(t, err)
	k, err := kit.Parse(m.Document, ways, kinds.All)
	require.NoError(t, err, string(m.Document))
	assert.Equal(t, "quays", k.Name)
	assert.Equal(t, 5, k.Version)
	assert.Len(t, k.Readings, 4)
	assert.Len(t, k.Sources, 3)
	assert.Contains(t, string(m.Document), "# What we know of the quays.", "what stood there stays as it was written")
	assert.Contains(t, string(m.Document), "# a key that is taken")
	first, err := kit.Parse([]byte(target), ways, kinds.All)
	require.NoError(t, err)
	for _, d := range kit.Compare(first, k) {
		assert.Equal(t, kit.Added, d.How, d)
	}
	for _, key := range keys {
		_, ok := k.Reading(m.Readings[key])
		assert.True(t, ok, key)
	}
	src, ok := k.Source("values-1m0s-2")
	require.True(t, ok)
	assert.Equal(t, time.Minute, src.Every)

	again, err := set.Move(m.Document)
	require.ErrorContains(t, err, "has a reading of this key already", "its formula names another one")
	assert.Empty(t, again.Document)
	again, err = set.Only(keys[2:]).Move(m.Document)
	require.NoError(t, err)
	assert.Equal(t, keys[2]+"-2", again.Readings[keys[2]])
	_, err = kit.Parse(again.Document, ways, kinds.All)
	require.NoError(t, err)
}

func TestFormulasMoveWithWhatTheyNeed(t *testing.T) {
	set := pickedSet(t)
	_, err := set.Only([]string{set.Readings[1].Key}).Move([]byte(target))
	require.ErrorContains(t, err, "move that, too")
	assert.Len(t, set.WithTables([]string{set.Readings[2].Key}), 1)
}

func TestRulesMoveAlong(t *testing.T) {
	rule := map[string]any{"key": "a", "name": "A", "reading": "name", "state": map[string]any{"x": 1}}
	out, err := own.AddRules([]byte(target), []map[string]any{rule})
	require.NoError(t, err)
	assert.Contains(t, string(out), "rules:\n    - key: a\n      name: A\n      reading: name\n      state:\n")
	assert.Equal(t, map[string]bool{"a": true}, own.RuleKeys(out))
}

// No file makes it fail otherwise than with an error.
func FuzzMove(f *testing.F) {
	f.Add([]byte(target))
	f.Add([]byte("kit: [\n"))
	f.Add([]byte("a: &a [*a]\nsources: {x: 1}\nversion: x\n"))
	f.Fuzz(func(t *testing.T, file []byte) {
		set, _ := own.Set{}.With(own.Draft{Reading: own.Reading{Name: "n", Object: "o", OID: "1.3.6.1.2.1.1.3.0", Treat: own.Number,
			Every: time.Minute}})
		if m, err := set.Move(file); err == nil && len(m.Document) == 0 {
			t.Error("neither a file nor an error")
		}
	})
}

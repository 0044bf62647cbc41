package kit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const shippedBefore = `kit: tide
title: Tide
version: 1
readings:
  - {key: level, name: Level, unit: m}
  - {key: flow, name: Flow}
  - {key: salt, name: Salt}
rules:
  - {key: high, name: High, reading: level, limit: {levels: {warning: {at: 5}}}}
`

// Here the level got another name, the limit another value, the salt went, and a temperature came.
const changedHere = `kit: tide
title: Tide
version: 1
readings:
  - {key: level, name: Water level, unit: m} # the harbour master calls it so
  - {key: flow, name: Flow}
  - {key: temperature, name: Temperature}
rules:
  - {key: high, name: High, reading: level, limit: {levels: {warning: {at: 7}}}}
`

// The release has the flow in another unit, the limit otherwise, too, and the wind.
const shippedNow = `kit: tide
title: Tide
version: 2
readings:
  - {key: level, name: Level, unit: m}
  - {key: wind, name: Wind}
  - {key: flow, name: Flow, unit: m3/s}
  - {key: salt, name: Salt}
rules:
  - {key: high, name: High, reading: level, limit: {levels: {warning: {at: 6}}}}
`

func TestWhatOneSideChangedIsTakenFromIt(t *testing.T) {
	m, err := Merge([]byte(shippedBefore), []byte(changedHere), []byte(shippedNow))
	require.NoError(t, err)
	how := map[string]string{}
	for _, x := range m.Things {
		how[x.ID()] = x.How
	}
	assert.Equal(t, map[string]string{
		"version":              TheirsOnly,
		"readings/level":       OursOnly,
		"readings/wind":        TheirsOnly,
		"readings/flow":        TheirsOnly,
		"readings/salt":        OursOnly,
		"readings/temperature": OursOnly,
		"rules/high":           Conflict,
	}, how)

	_, undecided, err := m.Document(nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"rules/high"}, undecided)
	text, undecided, err := m.Document(map[string]string{"rules/high": Ours})
	require.NoError(t, err)
	assert.Empty(t, undecided)
	assert.Equal(t, `kit: tide
title: Tide
version: 2
readings:
  - {key: level, name: Water level, unit: m} # the harbour master calls it so
  - {key: wind, name: Wind}
  - {key: flow, name: Flow, unit: m3/s}
  - {key: temperature, name: Temperature}
rules:
  - {key: high, name: High, reading: level, limit: {levels: {warning: {at: 7}}}}
`, string(text))
	text, _, err = m.Document(map[string]string{"rules/high": Theirs})
	require.NoError(t, err)
	assert.Contains(t, string(text), "at: 6")
}

// What was changed alike, or only laid out otherwise, is no matter for anybody; a section that is new here comes along.
func TestWhatIsAlikeIsNoConflict(t *testing.T) {
	ours := "kit: tide\ntitle: \"Tides\" # more of them\nversion: 1\ncharts: [{title: Level, readings: [level]}]\n"
	theirs := "kit: tide\ntitle: Tides\nversion: 2\n"
	m, err := Merge([]byte("kit: tide\ntitle: Tide\nversion: 1\n"), []byte(ours), []byte(theirs))
	require.NoError(t, err)
	text, undecided, err := m.Document(nil)
	require.NoError(t, err)
	assert.Empty(t, undecided)
	assert.Equal(t, "kit: tide\ntitle: Tides\nversion: 2\ncharts:\n  - {title: Level, readings: [level]}\n", string(text))
	_, err = Merge([]byte("["), nil, nil)
	assert.Error(t, err)
	_, err = Merge([]byte("a"), []byte("b"), []byte("c"))
	assert.ErrorContains(t, err, "no mapping")
}

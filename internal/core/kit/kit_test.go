package kit

import (
	"errors"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Two ways for tests: one whose sources name their columns, one that brings its own.
var testWays = way.List{
	{
		Name:     "named",
		Endpoint: []field.Field{field.Port("Port", "9")},
		Ask:      []field.Field{{Name: "form", Kind: field.Choice, Choices: []string{"get", "walk"}, Default: "get"}},
		CheckColumn: func(of string) error {
			if !strings.HasPrefix(of, "1.") {
				return errors.New("no valid object")
			}
			return nil
		},
		Requests: func(_ way.Settings, rows int) float64 { return float64(rows) },
		Words:    func(_ way.Settings, columns []way.Column) string { return "asks for " + columns[0].Of },
	},
	{Name: "own", Ask: []field.Field{{Name: "port", Kind: field.Whole, Low: 1, High: 65535}, {Name: "say", Kind: field.Text}},
		Columns:  func(way.Settings) []way.Column { return []way.Column{{As: "a"}, {As: "extra"}} },
		Requests: func(way.Settings, int) float64 { return 3 },
		Words:    func(way.Settings, []way.Column) string { return "opens it" }},
}

const base = "kit: x\ntitle: X\nversion: 1\nsources: [{key: s, way: named, every: 60s, columns: [{as: a, of: 1.3.6}]}]\n"

func parse(text string) (*Kit, error) { return Parse([]byte(text), testWays, kinds.All) }

func TestParseTellsWhatIsWrong(t *testing.T) {
	number, text := base+"readings: [{key: r, source: s, value: [a]}]\n", base+"readings: [{key: r, source: s, value: [a], text: true}]\n"
	for want, wrong := range map[string]string{
		"field wobble not found":        base + "wobble: 1",
		"no column \"b\"":               base + "readings: [{key: r, source: s, value: [b]}]",
		"its source, part":              base + "readings: [{key: r, source: nowhere, value: [a]}]",
		"there is no reading":           base + "rules: [{key: q, name: q, reading: z, limit: {levels: {warning: {at: 1}}}}]",
		"is not a level":                number + "rules: [{key: q, name: q, reading: r, limit: {levels: {awful: {at: 1}}}}]",
		"not a duration":                strings.Replace(base, "60s", "often", 1),
		"no valid object":               strings.Replace(base, "1.3.6", "iso.org", 1),
		"must be set":                   "kit: x",
		"chart \"c\": there is no":      base + "charts: [{title: c, readings: [z]}]",
		"a text has no unit":            base + "readings: [{key: r, source: s, value: [a], text: true, unit: B}]",
		"cannot be computed with":       base + "readings: [{key: r, source: s, value: [a], text: true, rate: true}]",
		"limit cannot judge the values": text + "rules: [{key: q, name: q, reading: r, limit: {levels: {warning: {at: 1}}}}]",
		"state cannot judge the values": number + "rules: [{key: q, name: q, reading: r, state: {levels: {warning: [down]}}}]",
		"no kind of rule \"smell\"":     number + "rules: [{key: q, name: q, reading: r, smell: {}}]",
		"it has 0":                      number + "rules: [{key: q, name: q, reading: r}]",
		"a key of its own": number + "rules: [{key: q, name: q, reading: r, limit: {levels: {warning: {at: " +
			"1}}}}, {key: q, name: p, reading: r, limit: {levels: {warning: {at: 1}}}}]",
		"that has numbers": text + "charts: [{title: c, readings: [r]}]",
		"good side": number + "rules: [{key: q, name: q, reading: r, limit: {levels: {warning: {at: 1, " +
			"recover: 2}}}}]",
		"no way \"pigeon\"":                strings.Replace(base, "way: named", "way: pigeon", 1),
		"form: Choose one of get, walk":    strings.Replace(base, "every: 60s", "every: 60s, ask: {form: shout}", 1),
		"no parameter port":                strings.Replace(base, "every: 60s", "every: 60s, ask: {form: \"{port}\"}", 1),
		"There is no such setting":         strings.Replace(base, "every: 60s", "every: 60s, ask: {volume: loud}", 1),
		"there is no parameter \"method\"": strings.Replace(base, "every: 60s", "every: 60s, when: {method: udp}", 1),
		"fetches nothing":                  strings.Replace(base, ", columns: [{as: a, of: 1.3.6}]", "", 1),
		"there is no purpose":              base + "readings: [{key: r, source: s, value: [a], purpose: fun}]",
		"“asleep” is not one of awake, away": base + "readings: [{key: r, source: s, value: [a], codes: {1: awake, 2: " +
			"away}}]\nrules: [{key: q, name: q, reading: r, state: {levels: {warning: [asleep]}}}]",
	} {
		_, err := parse(wrong)
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), want)
	}
}

// A source may stand several times, for other values of a parameter.
func TestVariantsOfASource(t *testing.T) {
	const two = `kit: x
title: X
version: 1
parameters: [{name: how, default: asked, choices: [asked, opened]}, {name: port, kind: whole number, low: 1, high: 9}]
sources:
  - {key: s, way: named, when: {how: asked}, every: 60s, columns: [{as: z, of: 1.1}, {as: a, of: 1.2}]}
  - {key: s, way: own, when: {how: opened}, every: 60s, ask: {port: "{port}"}}
readings: [{key: r, source: s, value: [a]}]
`
	k, err := parse(two)
	require.NoError(t, err)
	d := domain.Device{ID: 7, Address: netip.MustParseAddr("192.0.2.7")}
	q := k.Questions(d, nil, nil)
	require.Len(t, q, 1)
	assert.Equal(t, "named", q[0].Way)
	assert.Equal(t, "9", q[0].Endpoint["port"])
	assert.Equal(t, d.Address, q[0].Address)
	other := netip.MustParseAddr("198.51.100.7")
	q = k.Questions(
		d,
		map[string]string{"how": "opened", "port": "5"},
		map[string]Talk{"own": {Address: other, Credential: way.Opened{Secrets: domain.Secrets{"k": "v"}}}, "named": {}},
	)
	require.Len(t, q, 1)
	assert.Equal(t, "own", q[0].Way)
	assert.Equal(t, "5", q[0].Ask["port"])
	assert.Equal(t, other, q[0].Address)
	assert.Equal(t, domain.Secret("v"), q[0].Credential.Secrets["k"])
	assert.Empty(t, k.Questions(d, map[string]string{"how": "opened"}, nil)[0].Ask["port"], "an empty parameter leaves it to the endpoint")
	r, _ := k.Reading("r")
	srcs := k.SourcesFor(map[string]string{"how": "asked"})
	assert.Equal(t, []int{1}, k.Formula(r, srcs[0]).Columns)
	assert.Equal(
		t,
		[]int{0},
		k.Formula(r, k.SourcesFor(map[string]string{"how": "opened"})[0]).Columns,
		"the same reading, in another column",
	)
	_, err = parse(strings.Replace(two, "value: [a]", "value: [z]", 1))
	assert.ErrorContains(t, err, "no column \"z\"", "every variant must bring what readings need")
}

func TestCatalogue(t *testing.T) {
	one, err := parse(base + "readings: [{key: r, source: s, value: [a], purpose: filling}, {key: q, source: s, value: [a]}]")
	require.NoError(t, err)
	c := NewCatalogue([]*Kit{one}, nil)
	assert.Equal(t, []Ref{{"x", "r"}}, c.For(Filling))
	assert.Empty(t, c.For(Reach))
	_, ok := c.Reading("x", "q")
	assert.True(t, ok)
	_, ok = c.Reading("y", "q")
	assert.False(t, ok)
	_, err = c.Kit("y")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// Whatever is brought in as a kit is refused in words, or is one.
func FuzzParse(f *testing.F) {
	f.Add("kit: x\nsources: [{key: s, way: snmp, every: 60s, columns: [{as: a, of: 1.3.6.1}]}]\n")
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 1<<16 {
			return
		}
		k, err := parse(text)
		if (k == nil) == (err == nil) {
			t.Fatalf("%v, %v", k, err)
		}
	})
}

package recognise

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/recognition"
)

func answer(objectID, description string, services int) identity.Answer {
	return identity.Answer{Responder: identity.Responder{ObjectID: objectID}, Description: description, Services: services}
}

func TestTheFirstRuleThatSaysSomethingDecidesThat(t *testing.T) {
	rules, err := Parse([]byte(`
rules:
  - {when: 'object_id == "1.3.6.1.4.1.32473.9.1"', model: LS-8}
  - {when: 'object_id.startsWith("1.3.6.1.4.1.32473.9.")', vendor: Lantern Works, kind: lamp}
  - {when: 'interfaces > 8', kind: switch}
`))
	require.NoError(t, err)
	a := answer(".1.3.6.1.4.1.32473.9.1", "a lamp", 0)
	a.Parts = map[string]int{"interface": 9}
	known, trace := rules.Of(a, "")
	assert.Equal(t, Known{"Lantern Works", "LS-8", "lamp"}, known)
	assert.Equal(t, "Lantern Works, LS-8, lamp", trace.Answer)
	assert.Equal(t, "Rule 1 says LS-8", trace.Facts[0].Text)
	assert.Contains(t, trace.Facts[1].Text, "Rule 2 says Lantern Works, lamp")
	assert.Contains(t, trace.Facts[1].Detail, "object_id is “1.3.6.1.4.1.32473.9.1”")
	assert.Len(t, trace.Facts, 2, "all is known then")
	a.ObjectID, a.Maker, a.Model = "1.3.6.1.4.1.32473.8", "Beacon", "B-1"
	known, trace = rules.Of(a, "Beacon and Sons")
	assert.Equal(t, Known{"Beacon", "B-1", "switch"}, known, "what it says itself goes before the registry")
	assert.Contains(t, trace.Facts[1].Text, "It calls its maker Beacon")
	a.Maker, a.Model, a.Parts = "", "", nil
	known, _ = rules.Of(a, "Beacon and Sons")
	assert.Equal(t, Known{Vendor: "Beacon and Sons", Kind: Unknown}, known)
	known, _ = rules.Of(a, "")
	assert.Equal(t, "enterprise 32473", known.Vendor)
	known, _ = rules.Of(answer("1.3.6.1.2.1", "", 0), "")
	assert.Equal(t, Known{Kind: Unknown}, known)
}

// sysServices (RFC 3418): 2 is a bridge, 4 a router, 6 both, 72 a host, 76 a host that routes, too.
func TestTheShippedRulesGuessKinds(t *testing.T) {
	rules, err := Parse(recognition.Rules)
	require.NoError(t, err)
	for _, c := range []struct {
		description string
		services    int
		facts       []string
		kind        string
	}{
		{"", 2, nil, "switch"}, {"", 4, nil, "router"}, {"", 6, nil, "router"}, {"", 72, nil, "server"}, {"", 76, nil, "server"},
		{"", 0, nil, Unknown}, {"Brackwater BR-240 Router", 78, nil, "router"}, {"Ethernet Switch", 0, nil, "switch"},
		{"kswitchd 1", 72, nil, "server"}, {"Linux harbour 6.1", 72, nil, "server"}, {"Wireless Access Point", 2, nil, "access point"},
		{"Halyard UPS 3000", 72, nil, "UPS"}, {"groups of things", 0, nil, Unknown}, {"", 72, []string{"answers:snmp", "mib:ups"}, "UPS"},
		{"", 72, []string{"mib:printer"}, "printer"}, {"Next-generation firewall", 4, nil, "firewall"},
	} {
		a := answer("", c.description, c.services)
		a.Facts = c.facts
		known, _ := rules.Of(a, "")
		assert.Equal(t, c.kind, known.Kind, c)
	}
}

func TestRulesThatCannotBeReadAreTold(t *testing.T) {
	for text, want := range map[string]string{
		"rules:\n  - {when: 'x == 1', kind: a}":          "line 2: when: character 1: there is no column “x”",
		"rules:\n  - {kind: a}":                          "line 2: a rule needs when",
		"rules:\n  - {when: 'layer2 == 1'}":              "line 2: a rule needs when, and at least one",
		"rules:\n  - {when: 'layer2 == 1', colour: red}": "line 2: a rule has no “colour”",
		"rules:\n  - when: 'layer2 == 1'\n    kind: [a]": "line 3: a rule has no “kind”",
		"rules:\n  - lamp":                               "line 2: a rule has when",
		"rules:\n  - when: layer2\n    kind: a":          "line 2: when: character 1: it must come out as true or false",
		"lamps: []":                                      "line 1: field lamps not found",
		"rules: [":                                       "line 1: ",
		"rules:\n\t- x":                                  "line 2: ",
		"rules: [{when: 'layer2==1', kind: " + strings.Repeat("k", 61) + "}]":  "at most 60 characters",
		strings.Repeat("#", MostBytes+1):                                       "at most 256 KiB",
		"rules:\n" + strings.Repeat("  - {when: 'layer2==1', kind: a}\n", 501): "line 502: at most 500 rules",
	} {
		_, err := Parse([]byte(text))
		require.Error(t, err, text[:min(80, len(text))])
		assert.Contains(t, err.Error(), want)
		assert.ErrorAs(t, err, new(Wrong))
	}
	rules, err := Parse(nil)
	require.NoError(t, err)
	assert.Empty(t, rules, "nothing is no rules")
}

// A rule that cannot decide, since it fails on a value, leaves it to the next.
func TestARuleThatFailsIsPassedOver(t *testing.T) {
	rules, err := Parse([]byte(`rules:
  - {when: '10 / (interfaces - 3) > 1', kind: odd}
  - {when: 'interfaces == 3', kind: three}`))
	require.NoError(t, err)
	known, _ := rules.Of(identity.Answer{Parts: map[string]int{"interface": 3}}, "")
	assert.Equal(t, "three", known.Kind)
}

const list = `PRIVATE ENTERPRISE NUMBERS

(last updated 2026-11-25)

Decimal
| Organization
| | Contact
0
  Reserved
    Nobody
      nobody&example.com
32473
  Example Enterprise Number for Documentation Use
    ---none---
      nobody&example.com
99998
  ---none---
    ---none---
99999
	Lantern Works, Skerry
    12 Keepers
`

func TestTheRegistryIsRead(t *testing.T) {
	makers, err := ReadRegistry(strings.NewReader(list))
	require.NoError(t, err)
	assert.Equal(t, map[int64]string{0: "Reserved", 32473: "Example Enterprise Number for Documentation Use",
		99999: "Lantern Works, Skerry"}, makers)
	for text, want := range map[string]string{
		"":                                    "line 1: there is no enterprise number",
		"PK\x03\x04 not a list\n":             "there is no enterprise number",
		"7\n" + strings.Repeat("x", 5000):     "line 2: longer than 4096",
		"99999999999999999999\n  Too large\n": "there is no enterprise number",
	} {
		_, err := ReadRegistry(strings.NewReader(text))
		assert.ErrorContains(t, err, want)
	}
	n, ok := Enterprise(".1.3.6.1.4.1.9999.1.2")
	assert.True(t, ok)
	assert.Equal(t, int64(9999), n)
	for _, other := range []string{"", "1.3.6.1.4.1", "1.3.6.1.4.1.x", "1.3.6.1.2.1.1", "1.3.6.1.4.1.4294967296"} {
		_, ok := Enterprise(other)
		assert.False(t, ok, other)
	}
}

func FuzzParse(f *testing.F) {
	f.Add("rules:\n  - {when: 'layer2 == 1', kind: a}")
	f.Fuzz(func(t *testing.T, text string) {
		rules, err := Parse([]byte(text))
		if err == nil {
			rules.Of(answer("1.3.6.1.4.1.9", text, 4), "")
		}
	})
}

package kit

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

const guarded = `kit: guarded
title: Guarded
version: 1
parameters:
  - {name: token, label: Token, kind: secret, required: true}
sources:
  - key: door
    way: own
    every: 60s
    ask: {port: "7", say: 'AUTH {token}\n'}
readings:
  - {key: time, name: Time, unit: s, source: door, value: [a]}
`

func TestASecretIsOpenedForTheQuestionAlone(t *testing.T) {
	k, err := parse(guarded)
	require.NoError(t, err)
	src, _ := k.Source("door")
	d := domain.Device{ID: 4, Address: netip.MustParseAddr("192.0.2.7")}
	values := map[string]string{"token": "credential:12"}
	var asked []string
	keeper := func(value string, to netip.Addr) (string, string) {
		asked = append(asked, value+" to "+to.String())
		return "open sesame", ""
	}
	q, ok := k.Question(src, d, values, Talk{Secret: keeper})
	require.True(t, ok)
	assert.Equal(t, `AUTH open sesame\n`, q.Ask["say"])
	assert.Equal(t, []string{"open sesame"}, q.Hide)
	assert.Equal(t, []string{"credential:12 to 192.0.2.7"}, asked)
	assert.Empty(t, q.Withheld)

	refusing := func(string, netip.Addr) (string, string) { return "", "it is not bound to there" }
	q, _ = k.Question(src, d, values, Talk{Secret: refusing, Address: netip.MustParseAddr("203.0.113.1")})
	assert.Equal(t, "it is not bound to there", q.Withheld)
	assert.NotContains(t, q.Ask["say"], "sesame")
	q, _ = k.Question(src, d, values, Talk{})
	assert.Equal(t, "nothing was asked: “Token” cannot be opened here", q.Withheld)

	_, missing := k.Check(nil)
	assert.Empty(t, missing)
	assert.Len(t, k.Missing(nil), 1, "it must be set before anything is asked")
}

func TestASecretIsNeverInAKit(t *testing.T) {
	k, err := parse(guarded)
	require.NoError(t, err)
	_, errs := k.Check(map[string]string{"token": "open sesame"})
	assert.Contains(t, errs["token"], "Choose a secret that is stored")
	_, errs = k.Check(map[string]string{"token": "credential:12"})
	assert.Empty(t, errs)
	outer := &Kit{Parameters: []field.Field{{Name: "key", Kind: field.Secret}, {Name: "mode", Kind: field.Text}}}
	for value, problem := range map[string]string{
		"":              "",
		"{key}":         "",
		"credential:12": "A secret is never in a kit: it is set where the kit is fitted, or on places.",
		"{mode}":        "A secret is fed by a secret, and anything else by what is none.",
	} {
		assert.Equal(t, problem, outer.CheckInside(k, map[string]string{"token": value})["token"], value)
	}
	assert.NotEmpty(t, k.CheckInside(outer, map[string]string{"mode": "{token}"}), "nor does a secret become what is none")
	for text, problem := range map[string]string{
		"kind: secret, default: x":      "never in the kit",
		"kind: secret, choices: [x, y]": "never in the kit",
		"kind: secret, low: 1, high: 2": "never in the kit",
	} {
		_, err := parse(strings.Replace(guarded, "kind: secret", text, 1))
		assert.ErrorContains(t, err, problem, text)
	}
	_, err = parse(strings.Replace(guarded, "    every: 60s", "    every: 60s\n    when: {token: x}", 1))
	assert.ErrorContains(t, err, "cannot hang on the secret")
}

// What fills a whole setting of a source is held to what may stand there.
func TestParametersSuitWhatTheyFill(t *testing.T) {
	_, err := parse(strings.Replace(guarded, `port: "7"`, `port: "{port}"`, 1))
	require.ErrorContains(t, err, "there is no parameter port")
	k, err := parse(strings.Replace(strings.Replace(guarded, `port: "7"`, `port: "{port}"`, 1), "parameters:\n",
		"parameters:\n  - {name: port, label: Port}\n", 1))
	require.NoError(t, err)
	_, errs := k.Check(map[string]string{"port": "70000", "token": "credential:3"})
	assert.Equal(t, "Must be a whole number from 1 to 65535.", errs["port"])
	assert.Empty(t, errs["token"])
	clean, errs := k.Check(map[string]string{"port": "70"})
	assert.Empty(t, errs)
	assert.Equal(t, "70", clean["port"])
}

func TestAReadingIsExplainedByATextOfTheSameRows(t *testing.T) {
	const more = "  - {key: says, name: Says, source: door, value: [extra], text: true}\n"
	with := func(because, others string) error {
		_, err := parse(strings.Replace(guarded, "value: [a]}\n", "value: [a], because: "+because+"}\n"+others, 1))
		return err
	}
	require.NoError(t, with("says", more))
	for because, others := range map[string]string{"time": more, "nothing": more, "says": strings.Replace(more, ", text: true", "", 1)} {
		assert.ErrorContains(t, with(because, others), "which is no text of the same source and rows", because)
	}
}

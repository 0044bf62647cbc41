package browse

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

const quays = `kit: quays
title: Quays
version: 1
sources:
  - key: power
    way: snmp
    every: 60s
    ask: {form: get}
    columns:
      - {as: voltage, of: 1.3.6.1.2.1.33.1.2.5.0}
      - {as: source, of: 1.3.6.1.2.1.33.1.4.1.0}
  - key: ports
    way: snmp
    every: 60s
    ask: {form: walk}
    columns:
      - {as: name, of: 1.3.6.1.2.1.31.1.1.1.1}
      - {as: octets, of: 1.3.6.1.2.1.31.1.1.1.6}
parts:
  - {kind: port, title: Ports, source: ports, key: [name], name: [name], leave_out: {name: [lo]}}
readings:
  - {key: voltage, name: Battery voltage, unit: V, source: power, value: [voltage], scale: 0.1}
  - {key: source, name: Power comes from, source: power, value: [source], codes: {3: mains, 5: battery}}
  - {key: in, name: In, unit: bit/s, of: port, value: [octets], rate: true, scale: 8}
  - {key: all, name: All in, unit: bit/s, source: ports, value: [octets], over: first}
`

func number(n float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: n} }

func counter(n uint64) derive.Value { return derive.Value{Kind: derive.Counter64, Count: n} }

// answers are what the device says: 552 tenths of a volt and mains; then two looks at two ports, 10 s apart, in
// which the first counts 1,000 octets: 1,000 × 8 ÷ 10 s = 800 bit/s.
func answers() []derive.Fetched {
	began := time.Now().Add(-time.Minute)
	ports := func(at time.Time, octets uint64) derive.Fetched {
		return derive.Fetched{At: at, Took: 14 * time.Millisecond, Rows: []derive.Row{
			{Index: "1", Values: []derive.Value{{Kind: derive.Text, Text: "port1"}, counter(octets)}},
			{Index: "2", Values: []derive.Value{{Kind: derive.Text, Text: "lo"}, counter(5)}},
		}}
	}
	return []derive.Fetched{
		{At: began, Rows: []derive.Row{{Values: []derive.Value{number(552), number(3)}}}},
		ports(began, 1000),
		ports(began.Add(10*time.Second), 2000),
	}
}

func TestAKitIsTriedOnADevice(t *testing.T) {
	p := newPier(t)
	p.device.answers = answers()
	got, err := p.TryOn(t.Context(), testkit.Anyone, p.id, quays, "")
	require.NoError(t, err)
	require.Len(t, got.Sources, 2)
	power, ports := got.Sources[0], got.Sources[1]
	require.Len(t, power.Readings, 2)
	voltage := power.Readings[0]
	assert.Equal(t, "55.2\u00a0V", voltage.Value)
	assert.Equal(t, "552", voltage.Raw)
	assert.Equal(t, []StepSeen{{Value: "55.2"}}, voltage.Steps)
	assert.Equal(t, "mains", power.Readings[1].Value)

	require.Len(t, ports.Parts, 1)
	assert.Equal(t, 1, ports.Parts[0].Kept)
	assert.Equal(t, TriedRow{Name: "lo", Why: "name is lo"}, ports.Parts[0].Rows[0], "what is left out comes first")
	in := ports.Readings[0]
	assert.Equal(t, "800\u00a0bit/s", in.Value)
	assert.Equal(t, "port1", in.Row)
	assert.Equal(t, 1, in.Stored)
	assert.Equal(t, 4, got.Cost.Series, "two of the device, one of its port, one of the first row")
	series, err := p.store.Series.Of(t.Context(), p.id)
	require.NoError(t, err)
	assert.Empty(t, series, "nothing is stored")
}

func TestWhatFailsWhenAKitIsTriedIsTold(t *testing.T) {
	p := newPier(t)
	p.device.answers = []derive.Fetched{{Error: "no answer from 127.0.0.9"}}
	got, err := p.TryOn(t.Context(), testkit.Anyone, p.id, quays, "power")
	require.NoError(t, err)
	require.Len(t, got.Sources, 1)
	assert.Equal(t, "no answer from 127.0.0.9", got.Sources[0].Problem)
	_, err = p.TryOn(t.Context(), testkit.Anyone, p.id, quays, "nothing")
	require.ErrorContains(t, err, "no such source")
	_, err = p.TryOn(t.Context(), testkit.Anyone, p.id, "kit: [", "")
	require.ErrorContains(t, err, "kit file")

	p.device.answers, p.device.asked = []derive.Fetched{{Rows: []derive.Row{{Values: []derive.Value{{}, number(9)}}}}}, nil
	got, err = p.TryOn(t.Context(), testkit.Anyone, p.id, quays, "power")
	require.NoError(t, err)
	assert.Equal(t, "the device does not give this value", got.Sources[0].Readings[0].Value)
	assert.Equal(t, 1, got.Sources[0].Readings[0].Failed)
	assert.Equal(t, "9", got.Sources[0].Readings[1].Value, "a number without a word is told as it is")
}

func TestWhatIsForgottenIsPointedOutAndRulesAreForetold(t *testing.T) {
	p := newPier(t)
	p.device.answers = answers()[:1]
	rules := "rules:\n  - {key: battery, name: Runs on battery, reading: source, state: {levels: {warning: [battery]}}}\n"
	told, err := p.TryOn(t.Context(), testkit.Anyone, p.id, quays+rules, "power")
	require.NoError(t, err)
	require.Len(t, told.Judged, 1)
	assert.Equal(t, "fine: mains", told.Judged[0].Why.Answer)

	p.device.answers = answers()[:1]
	document := strings.Replace(quays, ", codes: {3: mains, 5: battery}", "", 1) +
		"rules:\n  - {key: low, name: Low, reading: voltage, limit: {side: below, levels: {warning: {at: 56}}}}\n"
	got, err := p.TryOn(t.Context(), testkit.Anyone, p.id, document, "power")
	require.NoError(t, err)
	assert.Contains(t, got.Sources[0].Readings[1].Caution, "It is a state without words: of upsOutputSource, 1 other, 2 none, 3 normal")
	assert.Empty(t, got.Sources[0].Readings[0].Caution)
	require.Len(t, got.Judged, 1)
	assert.Equal(t, domain.LevelWarning, got.Judged[0].Level)
	assert.Equal(t, "warning: 55.2\u00a0V", got.Judged[0].Why.Answer)
	assert.Zero(t, got.Before, "there is no such kit yet")
}

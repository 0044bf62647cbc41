package kit

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
	"tirelessowl/kits"
)

func shipped(t *testing.T, name string) *Kit {
	t.Helper()
	data, err := kits.Files.ReadFile(name + ".yaml")
	require.NoError(t, err)
	k, err := Parse(data)
	require.NoError(t, err)
	return k
}

func TestShippedKitsAreValid(t *testing.T) {
	entries, err := kits.Files.ReadDir(".")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(entries), 3)
	for _, e := range entries {
		k := shipped(t, strings.TrimSuffix(e.Name(), ".yaml"))
		assert.Equal(t, e.Name(), k.Name+".yaml")
		for _, r := range k.Rules {
			assert.NotContains(t, r.Words(), "nothing", r.Name)
		}
	}
}

func TestParseTellsWhatIsWrong(t *testing.T) {
	base := "kit: x\ntitle: X\nversion: 1\nsources: [{key: s, every: 60s, get: [{as: a, oid: 1.3.6}]}]\n"
	for want, text := range map[string]string{
		"field wobble not found":   base + "wobble: 1",
		"no column \"b\"":          base + "readings: [{key: r, source: s, value: [b]}]",
		"its source, part":         base + "readings: [{key: r, source: nowhere, value: [a]}]",
		"there is no reading":      base + "rules: [{key: q, name: q, reading: z, above: {warning: {at: 1}}}]",
		"is not a level":           base + "readings: [{key: r, source: s, value: [a]}]\nrules: [{key: q, name: q, reading: r, above: {awful: {at: 1}}}]",
		"not a duration":           strings.Replace(base, "60s", "often", 1),
		"no valid object":          strings.Replace(base, "1.3.6", "iso.org", 1),
		"must be set":              "kit: x",
		"chart \"c\": there is no": base + "charts: [{title: c, readings: [z]}]",
		"a text has no unit":       base + "readings: [{key: r, source: s, value: [a], text: true, unit: B}]",
		"cannot be computed with":  base + "readings: [{key: r, source: s, value: [a], text: true, rate: true}]",
		"a limit needs numbers":    base + "readings: [{key: r, source: s, value: [a], text: true}]\nrules: [{key: q, name: q, reading: r, above: {warning: {at: 1}}}]",
		"that has numbers":         base + "readings: [{key: r, source: s, value: [a], text: true}]\ncharts: [{title: c, readings: [r]}]",
		"good side":                base + "readings: [{key: r, source: s, value: [a]}]\nrules: [{key: q, name: q, reading: r, above: {warning: {at: 1, recover: 2}}}]",
	} {
		_, err := Parse([]byte(text))
		require.Error(t, err, want)
		assert.Contains(t, err.Error(), want)
	}
}

func TestReadingsKnowWhatTheirValuesAre(t *testing.T) {
	kindOf := func(kit, reading string) domain.SeriesKind {
		r, ok := shipped(t, kit).Reading(reading)
		require.True(t, ok)
		return r.Kind()
	}
	assert.Equal(t, domain.KindText, kindOf("system", "description"))
	assert.Equal(t, domain.KindState, kindOf("interfaces", "state"))
	assert.Equal(t, domain.KindNumber, kindOf("system", "uptime"))
	assert.True(t, domain.KindState.Stands() && domain.KindText.Stands() && !domain.KindNumber.Stands())
}

func TestEstimate(t *testing.T) {
	// Interfaces on 24 ports: 5 readings × 24 = 120 series, each 1440 a day.
	cost := shipped(t, "interfaces").Estimate(map[string]int{"interface": 24}, 4)
	assert.Equal(t, 120, cost.Series)
	assert.Equal(t, 172_800.0, cost.SamplesPerDay)
	// 24 rows at 8 an answer: 3 answers, and one that finds the end; each minute.
	assert.Equal(t, 4.0, cost.RequestsPerMinute)
	assert.Equal(t, 172_800.0*30*4, cost.BytesPerMonth)
	// Reachability: 2 series every 15 s = 11520 samples a day, 3 requests 4 times a minute.
	reach := shipped(t, "reachability").Estimate(nil, 4)
	assert.Equal(t, Cost{Series: 2, RequestsPerMinute: 12, SamplesPerDay: 11520, BytesPerMonth: 11520 * 30 * 4}, reach)
	assert.Equal(t, 122, cost.Add(reach).Series)
}

func TestParametersAreChecked(t *testing.T) {
	k := shipped(t, "reachability")
	assert.Empty(t, k.Check(map[string]string{"method": "tcp", "port": "443"}))
	assert.Empty(t, k.Check(map[string]string{"method": "", "port": ""}))
	errs := k.Check(map[string]string{"method": "smoke", "port": "70000", "wobble": "1"})
	assert.Len(t, errs, 3)
	assert.Contains(t, errs["method"], "udp, tcp")
}

func TestFits(t *testing.T) {
	fits, trace := shipped(t, "interfaces").Fits([]string{"answers:snmp"})
	assert.False(t, fits)
	assert.Equal(t, "no", trace.Answer)
	assert.Contains(t, trace.Facts[1].Text, "IF-MIB")
	fits, _ = shipped(t, "interfaces").Fits([]string{"mib:interfaces", "answers:snmp"})
	assert.True(t, fits)
}

func TestFilterAndFormula(t *testing.T) {
	k := shipped(t, "host-resources")
	src, _ := k.Source("storage")
	text := func(s string) derive.Value { return derive.Value{Kind: derive.Text, Text: s} }
	num := func(f float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: f} }
	disk := derive.Row{Values: []derive.Value{text("1.3.6.1.2.1.25.2.1.4"), text("/data"), num(4096), num(1000), num(910)}}
	ram := derive.Row{Values: []derive.Value{text("1.3.6.1.2.1.25.2.1.2"), text("RAM"), num(1024), num(1000), num(500)}}
	volumes, _ := k.PartsOf("volume")
	assert.True(t, volumes.Filter.Keeps(src, disk))
	assert.False(t, volumes.Filter.Keeps(src, ram))
	share, _ := k.Reading("volume_share")
	value, ok, _ := k.Formula(share).Apply(derive.Fetched{}, disk, nil, 0)
	assert.True(t, ok)
	assert.Equal(t, 91.0, value)
	space, _ := k.Reading("volume_bytes")
	value, _, _ = k.Formula(space).Apply(derive.Fetched{At: time.Now()}, disk, nil, 0)
	assert.Equal(t, 910.0*4096, value)
}

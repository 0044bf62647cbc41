package kits_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

func shipped(t *testing.T, name string) *kit.Kit {
	t.Helper()
	data, err := kits.Files.ReadFile(name + ".yaml")
	require.NoError(t, err)
	k, err := kit.Parse(data, testkit.Ways.Described(), kinds.All)
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
	cost := shipped(t, "interfaces").Estimate(kit.ByPurpose(map[string]int{"interface": 24}), 4)
	assert.Equal(t, 120, cost.Series)
	assert.Equal(t, 172_800.0, cost.SamplesPerDay)
	// 24 rows at 8 an answer: 3 answers, and one that finds the end; each minute.
	assert.Equal(t, 4.0, cost.RequestsPerMinute)
	assert.Equal(t, 172_800.0*30*4, cost.BytesPerMonth)
	// Reachability: 2 series every 15 s = 11520 samples a day, 3 requests 4 times a minute.
	reach := shipped(t, "reachability").Estimate(kit.ByPurpose(nil), 4)
	assert.Equal(t, kit.Cost{Series: 2, RequestsPerMinute: 12, SamplesPerDay: 11520, BytesPerMonth: 11520 * 30 * 4}, reach)
	assert.Equal(t, 122, cost.Add(reach).Series)
}

func TestParametersAreChecked(t *testing.T) {
	k := shipped(t, "reachability")
	_, errs := k.Check(map[string]string{"method": "tcp", "port": "443"})
	assert.Empty(t, errs)
	values, errs := k.Check(map[string]string{"method": "", "port": ""})
	assert.Empty(t, errs)
	assert.Equal(t, map[string]string{"method": "udp"}, values, "what is empty takes its default")
	_, errs = k.Check(map[string]string{"method": "smoke", "port": "70000", "wobble": "1"})
	assert.Len(t, errs, 3)
	assert.Contains(t, errs["method"], "udp, echo, tcp")
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
	got := k.Formula(share, src).Apply(&derive.Look{Row: disk})
	assert.True(t, got.OK)
	assert.Equal(t, 91.0, got.Value)
	space, _ := k.Reading("volume_bytes")
	got = k.Formula(space, src).Apply(&derive.Look{Row: disk})
	assert.Equal(t, 910.0*4096, got.Value)
}

func texts(t why.Trace) (out []string) {
	for _, f := range t.Facts {
		out = append(out, f.Text)
	}
	return out
}

func TestWhyTellsEachStepOfAReading(t *testing.T) {
	for name, c := range map[string]struct {
		kit, reading string
		want         []string
	}{
		"a rate": {"interfaces", "in", []string{"SNMP walk of hc_in (1.3.6.1.2.1.31.1.1.1.6), in " +
			"(1.3.6.1.2.1.2.2.1.10)", "Of several objects the first that the device has is used",
			"A counter becomes a rate a second", "It is multiplied by 8 to give bit/s"}},
		"a share": {"host-resources", "volume_share", []string{"It is expressed as a share of size"}},
		"a mean":  {"host-resources", "cpu", []string{"SNMP walk of load (1.3.6.1.2.1.25.3.3.1.2)", "The mean of all rows is taken"}},
		"a probe": {
			"reachability", "loss",
			[]string{"A probe of 3 requests for the uptime by SNMP measures the answer time and the share that is lost"},
		},
	} {
		k := shipped(t, c.kit)
		r, ok := k.Reading(c.reading)
		assert.True(t, ok, name)
		src, _ := k.Source(r.Source)
		got := texts(k.Why(r, src, derive.State{}))
		for _, want := range c.want {
			assert.Contains(t, got, want, name)
		}
	}
}

// The example of docs/kits.md is one that can be used.
func TestTheDocumentedExampleIsValid(t *testing.T) {
	data, err := os.ReadFile("../docs/kits.md")
	require.NoError(t, err)
	_, rest, found := strings.Cut(string(data), "```yaml\n")
	require.True(t, found)
	example, _, found := strings.Cut(rest, "```")
	require.True(t, found)
	k, err := kit.Parse([]byte(example), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	assert.Equal(t, "battery", k.Name)
	require.Len(t, k.Rules, 2)
	assert.Contains(t, k.Rules[1].Words(), "battery for 1\u00a0min")
}

func TestFreeSpaceIsForAgentsThatTellOfIt(t *testing.T) {
	k := shipped(t, "free-space")
	fits, _ := k.Fits([]string{"answers:snmp", "mib:host"})
	assert.False(t, fits, "not every agent lists its disks")
	fits, _ = k.Fits([]string{"answers:snmp", "table:disks"})
	assert.True(t, fits)
	r, ok := k.Reading("gone")
	require.True(t, ok)
	assert.Equal(t, "%", r.Unit)
	assert.Equal(t, []derive.Written{{Do: "share_with", With: "available"}}, r.Steps)
}

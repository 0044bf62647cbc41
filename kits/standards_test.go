package kits_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

// looked is what a kit makes of a row, by its columns as the device says them.
func looked(t *testing.T, k *kit.Kit, reading string, row map[string]derive.Value, state *derive.State, at time.Time) derive.Taken {
	t.Helper()
	r, ok := k.Reading(reading)
	require.True(t, ok, reading)
	src, ok := k.Source(r.Source)
	require.True(t, ok, r.Source)
	values := make([]derive.Value, len(src.Columns()))
	for name, v := range row {
		require.GreaterOrEqual(t, src.Column(name), 0, name)
		values[src.Column(name)] = v
	}
	return k.Formula(r, src).Apply(&derive.Look{Row: derive.Row{Values: values}, State: state, Got: derive.Fetched{At: at}})
}

func number(n float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: n} }

// EntitySensorValue (RFC 3433): the value times ten to the power of the scale, with the point moved by
// the precision. A MIB of the enumeration: milli(8), units(9), kilo(10), exa(14), peta(15).
func TestSensorsAreMeasuredInTheirUnits(t *testing.T) {
	k := shipped(t, "environment")
	for _, c := range []struct {
		reading                    string
		measured, scale, precision float64
		want                       float64
	}{
		{"temperature", 415, 9, 1, 41.5}, // 415 · 10⁰ · 10⁻¹
		{"temperature", -40, 9, 0, -40},  // below zero
		{"voltage", 12050, 8, 0, 12.05},  // 12050 mV
		{"voltage", 330, 9, 2, 3.3},      // two digits behind the point
		{"fan", 52, 10, 1, 5200},         // 5.2 thousand
		{"power", 7, 9, -2, 700},         // a negative precision: digits that mean nothing
		{"current", 1500000, 7, 0, 1.5},  // micro
		{"frequency", 3, 14, 16, 300},    // exa: 3 · 10¹⁸ · 10⁻¹⁶
		{"frequency", 3, 15, 13, 300},    // peta: 3 · 10¹⁵ · 10⁻¹³
		{"humidity", 4512, 9, 2, 45.12},  //
		{"airflow", 1250, 8, 0, 1.25},    //
		{"temperature", 1, 6, 0, 1e-9},   // nano
		{"temperature", 29315, 9, 3, 29.315},
	} {
		got := looked(t, k, c.reading, map[string]derive.Value{
			"measured": number(c.measured), "scale": number(c.scale), "precision": number(c.precision)}, nil, time.Time{})
		require.True(t, got.OK, got.Problem)
		assert.InEpsilon(t, c.want, got.Value, 1e-9, "%s %v", c.reading, c)
	}
	kinds := map[string]bool{}
	for _, p := range k.Parts {
		row := derive.Row{Values: make([]derive.Value, 8)}
		src, _ := k.Source(p.Source)
		row.Values[src.Column("type")] = number(8)
		kinds[p.Kind] = p.Filter.Keeps(src, row)
	}
	assert.True(t, kinds["temperature"])
	delete(kinds, "temperature")
	for kind, keeps := range kinds {
		assert.False(t, keeps, "a sensor of temperature is none of %s", kind)
	}
}

// UPS-MIB (RFC 1628): minutes, tenths of a volt, of an ampere and of a hertz.
func TestAPowerSupplyIsReadInItsUnits(t *testing.T) {
	k := shipped(t, "ups")
	for reading, c := range map[string]struct {
		column string
		raw    float64
		want   float64
	}{
		"remaining":       {"minutes", 42, 2520}, // s
		"battery_voltage": {"voltage", 546, 54.6},
		"frequency":       {"frequency", 499, 49.9},
		"output_current":  {"current", 27, 2.7},
		"input_frequency": {"frequency", 500, 50},
		"load":            {"load", 130, 130}, // more than it can give
		"charge":          {"charge", 100, 100},
	} {
		got := looked(t, k, reading, map[string]derive.Value{c.column: number(c.raw)}, nil, time.Time{})
		require.True(t, got.OK, "%s: %s", reading, got.Problem)
		assert.InDelta(t, c.want, got.Value, 1e-9, reading)
	}
	assert.True(t, looked(t, k, "charge", map[string]derive.Value{"charge": number(102)}, nil, time.Time{}).Implausible)
}

// Printer-MIB (RFC 3805): −3 says that some is left, −2 that it is not known; neither is a share.
func TestSuppliesTellHowMuchIsLeft(t *testing.T) {
	k := shipped(t, "printer")
	src, _ := k.Source("supplies")
	row := func(class, most, level float64) derive.Row {
		r := derive.Row{Values: make([]derive.Value, len(src.Columns()))}
		r.Values[src.Column("class")] = number(class)
		r.Values[src.Column("most")], r.Values[src.Column("level")] = number(most), number(level)
		return r
	}
	supply, _ := k.PartsOf("supply")
	waste, _ := k.PartsOf("waste")
	assert.True(t, supply.Filter.Keeps(src, row(3, 8000, 1200)))
	assert.False(t, supply.Filter.Keeps(src, row(3, 8000, -3)))
	assert.False(t, supply.Filter.Keeps(src, row(3, -2, 1200)))
	assert.False(t, supply.Filter.Keeps(src, row(4, 8000, 1200)), "a receptacle is filled, and no supply")
	assert.True(t, waste.Filter.Keeps(src, row(4, 8000, 1200)))
	got := looked(t, k, "left", map[string]derive.Value{"level": number(1200), "most": number(8000)}, nil, time.Time{})
	assert.InDelta(t, 15, got.Value, 1e-9)
}

// The uptime of a session that is switched off (bgpPeerAdminStatus 1) says nothing: it is a state of its own.
func TestSessionsThatAreSwitchedOff(t *testing.T) {
	k := shipped(t, "bgp")
	at := func(state, admin float64) float64 {
		got := looked(t, k, "state", map[string]derive.Value{"state": number(state), "admin": number(admin)}, nil, time.Time{})
		require.True(t, got.OK, got.Problem)
		return got.Value
	}
	assert.Equal(t, 6.0, at(6, 2))
	assert.Equal(t, 7.0, at(1, 1))
	assert.Equal(t, 1.0, at(1, 2))
}

func TestSwapThatIsNoneIsNotUsed(t *testing.T) {
	k := shipped(t, "unix-host")
	for _, c := range [][3]float64{{8000, 2000, 75}, {8000, 8000, 0}, {0, 0, 0}} {
		got := looked(t, k, "swap", map[string]derive.Value{"swap": number(c[0]), "swap_free": number(c[1])}, nil, time.Time{})
		require.True(t, got.OK, got.Problem)
		assert.InDelta(t, c[2], got.Value, 1e-9)
	}
}

// A disk of 64-bit counters: 6,000,000 bytes in a minute are 100,000 B/s.
func TestDisksAreReadByTheirLongCounters(t *testing.T) {
	k := shipped(t, "disk-io")
	counter := func(n uint64) derive.Value { return derive.Value{Kind: derive.Counter64, Count: n} }
	var state derive.State
	row := map[string]derive.Value{"hc_read": counter(1 << 40), "read": {Kind: derive.Counter32, Count: 7}}
	began := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	looked(t, k, "read", row, &state, began)
	row["hc_read"] = counter(1<<40 + 6_000_000)
	got := looked(t, k, "read", row, &state, began.Add(time.Minute))
	require.True(t, got.OK, got.Problem)
	assert.InDelta(t, 100_000, got.Value, 1e-6)
	src, _ := k.Source("disks")
	disk, _ := k.PartsOf("disk")
	for name, want := range map[string]bool{"sda": true, "nvme0n1": true, "loop7": false, "ram0": false, "sr0": false, "md127": true} {
		r := derive.Row{Values: make([]derive.Value, len(src.Columns()))}
		r.Values[src.Column("device")] = derive.Value{Kind: derive.Text, Text: name}
		assert.Equal(t, want, disk.Filter.Keeps(src, r), name)
	}
}

// BRIDGE-MIB (RFC 4188): a port whose part in the spanning tree is switched off (dot1dStpPortEnable 2)
// is disabled, whatever its state was; times are in hundredths of a second.
func TestABridgeIsReadAsItsStandardSays(t *testing.T) {
	k := shipped(t, "bridge")
	for enable, want := range map[float64]float64{1: 5, 2: 1} {
		got := looked(t, k, "state", map[string]derive.Value{"state": number(5), "enable": number(enable)}, nil, time.Time{})
		require.True(t, got.OK, got.Problem)
		assert.Equal(t, want, got.Value)
	}
	got := looked(t, k, "since", map[string]derive.Value{"since": number(360000)}, nil, time.Time{})
	assert.InDelta(t, 3600, got.Value, 1e-9)
	var state derive.State
	began := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	changes := map[string]derive.Value{"changes": {Kind: derive.Counter32, Count: 4294967295}}
	looked(t, k, "changes", changes, &state, began)
	changes["changes"] = derive.Value{Kind: derive.Counter32, Count: 2} // 4294967295 → 0 → 1 → 2
	got = looked(t, k, "changes", changes, &state, began.Add(time.Minute))
	require.True(t, got.OK, got.Problem)
	assert.InDelta(t, 3, got.Value, 1e-9)
}

// Discards: 120 packets in two minutes are one a second; the words of duplex are those of RFC 3635.
func TestErrorsOfInterfacesAreRates(t *testing.T) {
	k := shipped(t, "interface-errors")
	var state derive.State
	began := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	row := map[string]derive.Value{"out_discards": {Kind: derive.Counter32, Count: 1000}}
	looked(t, k, "out_discards", row, &state, began)
	row["out_discards"] = derive.Value{Kind: derive.Counter32, Count: 1120}
	got := looked(t, k, "out_discards", row, &state, began.Add(2*time.Minute))
	require.True(t, got.OK, got.Problem)
	assert.InDelta(t, 1, got.Value, 1e-9)
	r, _ := k.Reading("duplex")
	assert.Equal(t, map[int]string{1: "unknown", 2: "half", 3: "full"}, r.Codes)
	ospf, _ := shipped(t, "ospf").Reading("state")
	assert.Equal(t, "full", ospf.Codes[8])
	assert.Equal(t, "two-way", ospf.Codes[4])
}

func TestWhatKitsNeedIsSaidInWords(t *testing.T) {
	entries, err := kits.Files.ReadDir(".")
	require.NoError(t, err)
	for _, e := range entries {
		for _, fact := range shipped(t, strings.TrimSuffix(e.Name(), ".yaml")).Needs {
			assert.NotContains(t, testkit.Ways.Described().Fact(fact), "“", "%s: no sweep tells of %s", e.Name(), fact)
		}
	}
}

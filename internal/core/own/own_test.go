package own_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/way"
	"tirelessowl/objects"
)

var ways = way.List{{
	Name:        "snmp",
	Ask:         []field.Field{{Name: "form", Kind: field.Text}, {Name: "index", Kind: field.Text}},
	CheckColumn: func(string) error { return nil },
	Requests:    func(way.Settings, int) float64 { return 1 },
}}

func tree(t testing.TB) *mib.Tree {
	t.Helper()
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	return mib.NewTree(all)
}

func propose(t testing.TB, name string, value mib.Value) own.Draft {
	t.Helper()
	tr := tree(t)
	o, ok := tr.Named(name)
	require.True(t, ok, name)
	return own.Propose(tr, o, mib.OID{0}, value)
}

// The units are those of the modules: RFC 2863, 1628, 2790, 4022.
func TestObjectsBecomeReadings(t *testing.T) {
	for _, c := range []struct {
		object      string
		value       mib.Value
		name        string
		treat       own.Treatment
		unit        string
		steps       string
		table, oids string
	}{
		{"ifHCInOctets", mib.Value{Type: mib.Counter64}, "HC in octets", own.Number, "bit/s", "rate, scale 8", "ifXEntry",
			"1.3.6.1.2.1.31.1.1.1.6"},
		{"ifInErrors", mib.Value{Type: mib.Counter32}, "In errors", own.Number, "1/s", "rate", "ifEntry", "1.3.6.1.2.1.2.2.1.14"},
		{"ifOperStatus", mib.Value{Type: mib.Integer, Int: 1}, "Oper status", own.State, "", "", "ifEntry", "1.3.6.1.2.1.2.2.1.8"},
		{"ifHighSpeed", mib.Value{Type: mib.Unsigned}, "High speed", own.Number, "bit/s", "scale 1e+06", "ifXEntry",
			"1.3.6.1.2.1.31.1.1.1.15"},
		{"sysUpTime", mib.Value{Type: mib.TimeTicks}, "Up time", own.Number, "s", "scale 0.01", "", "1.3.6.1.2.1.1.3.0"},
		{"sysDescr", mib.Value{Type: mib.Octets}, "Descr", own.Words, "", "", "", "1.3.6.1.2.1.1.1.0"},
		{"upsBatteryVoltage", mib.Value{Type: mib.Integer}, "Battery voltage", own.Number, "V", "scale 0.1", "", "1.3.6.1.2.1.33.1.2.5.0"},
		{"upsEstimatedMinutesRemaining", mib.Value{Type: mib.Integer}, "Estimated minutes remaining", own.Number, "s", "scale 60", "",
			"1.3.6.1.2.1.33.1.2.3.0"},
		{"upsBatteryTemperature", mib.Value{Type: mib.Integer}, "Battery temperature", own.Number, "Cel", "", "", "1.3.6.1.2.1.33.1.2.7.0"},
		{"hrMemorySize", mib.Value{Type: mib.Integer}, "Memory size", own.Number, "B", "scale 1024", "", "1.3.6.1.2.1.25.2.2.0"},
		{"hrProcessorLoad", mib.Value{Type: mib.Integer}, "Processor load", own.Number, "%", "", "hrProcessorEntry",
			"1.3.6.1.2.1.25.3.3.1.2"},
		{"hrSWRunPerfCPU", mib.Value{Type: mib.Integer}, "SW run perf CPU", own.Number, "s", "scale 0.01", "hrSWRunPerfEntry",
			"1.3.6.1.2.1.25.5.1.1.1"},
		{"bgpPeerState", mib.Value{Type: mib.Integer, Int: 6}, "Peer state", own.State, "", "", "bgpPeerEntry", "1.3.6.1.2.1.15.3.1.2"},
		{"dot1dBaseBridgeAddress", mib.Value{Type: mib.Octets}, "Base bridge address", own.Words, "", "", "", "1.3.6.1.2.1.17.1.1.0"},
		{"ifInErrors", mib.Value{}, "In errors", own.Number, "1/s", "rate", "ifEntry", "1.3.6.1.2.1.2.2.1.14"}, // no value yet
	} {
		d := propose(t, c.object, c.value)
		assert.Equal(t, c.treat, d.Treat, c.object)
		assert.Equal(t, c.unit, d.Unit, c.object)
		assert.Equal(t, c.steps, strings.ReplaceAll(own.Lines(d.Steps), "\n", ", "), c.object)
		assert.Equal(t, c.table, d.Table, c.object)
		assert.Equal(t, c.oids, d.OID, c.object)
		assert.Equal(t, c.name, d.Name, c.object)
		assert.Empty(t, d.Check(), c.object)
	}
}

// Storage is told in units of a size that each row tells (RFC 2790): 1000 units of 4096 bytes are
// 4,096,000 bytes, and 1000 of 4000 are 25 %.
func TestColumnsMayBeMultipliedAndShared(t *testing.T) {
	used := propose(t, "hrStorageUsed", mib.Value{Type: mib.Integer})
	assert.Equal(t, "times hrStorageAllocationUnits", own.Lines(used.Steps))
	assert.Equal(t, "B", used.Unit)
	share := propose(t, "hrStorageUsed", mib.Value{Type: mib.Integer})
	share.Name, share.Unit, share.Steps = "Share used", "%", []derive.Written{{Do: "percent_of", With: "hrStorageSize"}}
	s, errs := own.Set{}.With(used)
	require.Empty(t, errs)
	s, errs = s.With(share)
	require.Empty(t, errs)
	text, err := s.Document(7, 1)
	require.NoError(t, err)
	k, err := kit.Parse(text, ways, nil)
	require.NoError(t, err, string(text))
	src, _ := k.Source("hrStorageEntry")
	row := derive.Row{Values: make([]derive.Value, len(src.Columns()))}
	for i, c := range src.Columns() {
		switch c.As {
		case "hrStorageAllocationUnits":
			row.Values[i] = derive.Value{Kind: derive.Gauge, Num: 4096}
		case "hrStorageSize":
			row.Values[i] = derive.Value{Kind: derive.Gauge, Num: 4000}
		case "reading hrstorageused", "reading hrstorageused-2":
			row.Values[i] = derive.Value{Kind: derive.Gauge, Num: 1000}
		}
	}
	for i, want := range []float64{4_096_000, 25} {
		got := k.Formula(k.Readings[i], src).Apply(&derive.Look{Row: row})
		assert.True(t, got.OK, got.Problem)
		assert.Equal(t, want, got.Value)
	}
}

// A value that nobody described is read by its type on the wire.
func TestUnknownObjectsBecomeReadings(t *testing.T) {
	tr := tree(t)
	o, rest, ok := tr.Over(mib.OID{1, 3, 6, 1, 4, 1, 99999, 7, 0})
	require.True(t, ok)
	d := own.Propose(tr, o, rest, mib.Value{Type: mib.Counter32, Count: 5})
	assert.Equal(t, "Object 1.3.6.1.4.1.99999.7.0", d.Name)
	assert.Equal(t, "1.3.6.1.4.1.99999.7.0", d.OID)
	assert.Equal(t, "1.3.6.1.4.1.99999.7.0", d.Object)
	assert.Equal(t, "rate", own.Lines(d.Steps))
	hinted := mib.Object{Name: "acVoltage", OID: mib.OID{1, 3}, Kind: mib.Scalar, Syntax: mib.Integer, Hint: "d-2", Unit: "Volts"}
	d = own.Propose(tr, hinted, mib.OID{0}, mib.Value{Type: mib.Integer, Int: 23012})
	assert.Equal(t, "V", d.Unit)
	assert.Equal(t, "scale 0.01", own.Lines(d.Steps), "as its display hint says")
}

// Rows are named by the best column of all tables with the same index.
func TestRowsAreNamedAndToldApart(t *testing.T) {
	for object, want := range map[string][]string{
		"ifInErrors":         {"ifName", "index"}, // not ifDescr, which is in its own table
		"hrStorageUsed":      {"hrStorageDescr", "index"},
		"hrProcessorLoad":    {"hrDeviceDescr", "index"},
		"entPhySensorValue":  {"entPhysicalName", "index"},
		"bgpPeerInUpdates":   {"index"},
		"lldpRemSysDesc":     {"lldpRemSysName", "index"},
		"hrFSStorageIndex":   {"index"}, // hrFSMountPoint ends otherwise
		"upsOutputVoltage":   {"index"},
		"dot1dTpFdbPort":     {"index"},
		"prtInputMediaName":  {"prtInputMediaName", "index"},
		"tcpConnectionState": {"index"},
	} {
		d := propose(t, object, mib.Value{})
		if object == "hrFSStorageIndex" {
			want = []string{"hrFSMountPoint", "index"}
		}
		assert.Equal(t, want, d.Rows.Name, object)
		for _, name := range d.Rows.Name {
			assert.Contains(t, names(d.Rows), name, object)
		}
	}
	assert.Equal(t, "number", propose(t, "ifInErrors", mib.Value{}).Rows.Index)
	lldp := propose(t, "lldpRemSysDesc", mib.Value{}).Rows
	assert.Equal(t, "number number number", lldp.Index)
	assert.Contains(t, names(lldp), "lldpRemLocalPortNum", "a part of the index may be asked for")
	assert.Equal(t, "number inet number number inet number", propose(t, "tcpConnectionState", mib.Value{}).Rows.Index)
	assert.Equal(t, "octets:6", propose(t, "dot1dTpFdbPort", mib.Value{}).Rows.Index)
}

func names(t own.Table) (out []string) {
	for _, c := range t.Columns {
		out = append(out, c.As)
	}
	return out
}

// What the kit of a set says is what a kit file says, and fetches no column that nothing needs.
func TestASetIsAKit(t *testing.T) {
	errors, state := propose(t, "ifInErrors", mib.Value{}), propose(t, "ifOperStatus", mib.Value{})
	up := propose(t, "sysUpTime", mib.Value{})
	errors.Rows.Where = "ifType != 24 && ifAdminStatus == 1"
	var s own.Set
	for _, d := range []own.Draft{errors, up} {
		var errs map[string]string
		s, errs = s.With(d)
		require.Empty(t, errs)
	}
	state.Rows = s.Tables[0]
	s, errs := s.With(state)
	require.Empty(t, errs)

	text, err := s.Document(7, 3)
	require.NoError(t, err)
	k, err := kit.Parse(text, ways, nil)
	require.NoError(t, err, string(text))
	assert.Equal(t, "own-7", k.Name)
	assert.Equal(t, 3, k.Version)
	require.Len(t, k.Sources, 2)
	single, _ := k.Source("values-1m0s")
	assert.Equal(t, time.Minute, single.Every)
	assert.True(t, single.Optional, "what is not there is no failure of the device")
	table, ok := k.Source("ifEntry")
	require.True(t, ok)
	var columns []string
	for _, c := range table.Columns() {
		columns = append(columns, c.Of)
	}
	assert.ElementsMatch(t, []string{"index", "1.3.6.1.2.1.2.2.1.3", "1.3.6.1.2.1.2.2.1.7", "1.3.6.1.2.1.31.1.1.1.1",
		"1.3.6.1.2.1.2.2.1.14", "1.3.6.1.2.1.2.2.1.8"}, columns)
	r, ok := k.Reading("ifoperstatus")
	require.True(t, ok)
	assert.Equal(t, "lowerLayerDown", r.Codes[7])
	assert.Equal(t, "ifEntry", r.Of)

	row := func(kind, admin float64) derive.Row {
		values := make([]derive.Value, len(columns))
		for i, c := range table.Columns() {
			switch c.As {
			case "ifType":
				values[i] = derive.Value{Kind: derive.Gauge, Num: kind}
			case "ifAdminStatus":
				values[i] = derive.Value{Kind: derive.Gauge, Num: admin}
			}
		}
		return derive.Row{Values: values}
	}
	def, _ := k.PartsOf("ifEntry")
	for _, c := range []struct {
		row  derive.Row
		want bool
		why  string
	}{
		{row(6, 1), true, "ifType is 6, ifAdminStatus is 1"},
		{row(24, 1), false, "ifType is 24, ifAdminStatus is 1"},
		{row(6, 2), false, "ifType is 6, ifAdminStatus is 2"},
		{derive.Row{Values: make([]derive.Value, len(columns))}, false, "has no value"},
		{row(6.5, 1), false, "ifType has no value"}, // no whole number
	} {
		keeps, because := def.Filter.Decide(table, c.row)
		assert.Equal(t, c.want, keeps)
		assert.Contains(t, because, c.why)
	}
}

func TestSetsChange(t *testing.T) {
	a, b := propose(t, "ifInErrors", mib.Value{}), propose(t, "ifInErrors", mib.Value{})
	s, _ := own.Set{}.With(a)
	assert.Equal(t, "ifinerrors", s.Readings[0].Key)
	_, errs := s.With(b)
	assert.Contains(t, errs["name"], "has this name")
	assert.Equal(t, "In errors 2", s.FreeName("In errors", "ifEntry"))
	assert.Equal(t, "In errors", s.FreeName("In errors", ""))
	b.Name = "Errors once more"
	b.Rows.Every = 5 * time.Minute
	s, errs = s.With(b)
	require.Empty(t, errs)
	assert.Equal(t, "ifinerrors-2", s.Readings[1].Key)
	require.Len(t, s.Tables, 1)
	assert.Equal(t, 5*time.Minute, s.Tables[0].Every, "a table is collected at one interval")

	d, ok := s.Reading("ifinerrors")
	require.True(t, ok)
	assert.Equal(t, 5*time.Minute, d.Rows.Every)
	d.Name, d.Unit = "Renamed", "1/s"
	changed, errs := s.With(d)
	require.Empty(t, errs)
	assert.Equal(t, "Renamed", changed.Readings[0].Name)
	assert.Len(t, changed.Readings, 2)
	assert.Equal(t, "In errors", s.Readings[0].Name, "what was there is left alone")

	one, ok := changed.Without("ifinerrors")
	assert.True(t, ok)
	assert.Len(t, one.Tables, 1)
	none, ok := one.Without("ifinerrors-2")
	assert.True(t, ok)
	assert.Empty(t, none.Tables, "nor is a table left of which nothing is read")
	_, ok = none.Without("ifinerrors")
	assert.False(t, ok)
	_, ok = none.Reading("ifinerrors")
	assert.False(t, ok)
}

func TestDraftsAreChecked(t *testing.T) {
	for want, change := range map[string]func(*own.Draft){
		"name/needs a name":      func(d *own.Draft) { d.Name = "  " },
		"name/At most 80":        func(d *own.Draft) { d.Name = strings.Repeat("ä", 81) },
		"name/cannot be shown":   func(d *own.Draft) { d.Name = "a\x1bb" },
		"unit/without spaces":    func(d *own.Draft) { d.Unit = "per cent" },
		"unit/A symbol":          func(d *own.Draft) { d.Unit = "<b>" },
		"treat/what becomes":     func(d *own.Draft) { d.Treat = "colour" },
		"steps/Step 1: a number": func(d *own.Draft) { d.Steps = []derive.Written{{Do: "scale", With: "0"}} },
		"steps/Step 2: there is": func(d *own.Draft) { d.Steps = []derive.Written{{Do: "rate"}, {Do: "times", With: "colour"}} },
		"heartbeat/From 1m":      func(d *own.Draft) { d.Heartbeat = time.Second },
		"heartbeat/at least":     func(d *own.Draft) { d.Rows.Every, d.Heartbeat = time.Hour, 90*time.Minute },
		"heartbeat/Of a text":    func(d *own.Draft) { d.Treat, d.Unit, d.Heartbeat = own.Words, "", time.Hour },
		"every/From 10s":         func(d *own.Draft) { d.Rows.Every = time.Second },
		"every/From 10s to 24h":  func(d *own.Draft) { d.Rows.Every = 25 * time.Hour },
		"unit/have no unit":      func(d *own.Draft) { d.Treat = own.Words },
		"where/Character 1":      func(d *own.Draft) { d.Rows.Where = "colour == 1" },
		"row/no column nowhere":  func(d *own.Draft) { d.Rows.Name = []string{"nowhere", "index"} },
		"same/no column nowhere": func(d *own.Draft) { d.Rows.Same = []string{"nowhere"} },
		"where/comes out as int": func(d *own.Draft) { d.Rows.Where = "ifType + 1" },
	} {
		d := propose(t, "ifInErrors", mib.Value{})
		change(&d)
		at, text, _ := strings.Cut(want, "/")
		assert.Contains(t, d.Check()[at], text)
	}
	var full own.Set
	for range 200 {
		full.Readings = append(full.Readings, own.Reading{Key: "k"})
	}
	_, errs := full.With(propose(t, "sysUpTime", mib.Value{}))
	assert.Contains(t, errs["name"], "at most 200")
}

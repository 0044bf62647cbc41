package mib_test

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/mib"
	"tirelessowl/objects"
)

func shipped(t testing.TB) *mib.Tree {
	t.Helper()
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	return mib.NewTree(all)
}

func oid(t testing.TB, text string) mib.OID {
	t.Helper()
	o, err := mib.ParseOID(text)
	require.NoError(t, err)
	return o
}

func TestObjectIdentifiers(t *testing.T) {
	for _, text := range []string{"1", "1.3.6.1", ".1.3.6.1.4294967295", "0.0"} {
		o, err := mib.ParseOID(text)
		require.NoError(t, err, text)
		assert.Equal(t, text[len(text)-len(o.String()):], o.String())
	}
	for _, text := range []string{"", ".", "1..3", "1.3.", "1.03", "1.x", "1.-3", "1.4294967296", "..1"} {
		_, err := mib.ParseOID(text)
		assert.Error(t, err, text)
	}
	assert.True(t, oid(t, "1.3.6.1").Within(oid(t, "1.3.6")))
	assert.True(t, oid(t, "1.3.6").Within(oid(t, "1.3.6")))
	assert.False(t, oid(t, "1.3.61").Within(oid(t, "1.3.6")))
	assert.Negative(t, oid(t, "1.3.6.9").Compare(oid(t, "1.3.6.10")), "numbers, not texts")
}

// The numbers are those of the standards: RFC 2863, 3418, 2790, 1628, 6933 and 4293.
func TestShippedDescriptionsHaveTheirNumbers(t *testing.T) {
	tree := shipped(t)
	assert.Greater(t, tree.Len(), 400)
	for name, number := range map[string]string{
		"sysDescr":             "1.3.6.1.2.1.1.1",
		"ifOperStatus":         "1.3.6.1.2.1.2.2.1.8",
		"ifHCInOctets":         "1.3.6.1.2.1.31.1.1.1.6",
		"hrProcessorLoad":      "1.3.6.1.2.1.25.3.3.1.2",
		"hrStorageFixedDisk":   "1.3.6.1.2.1.25.2.1.4",
		"upsBatteryStatus":     "1.3.6.1.2.1.33.1.2.1",
		"entPhysicalSerialNum": "1.3.6.1.2.1.47.1.1.1.1.11",
		"entPhySensorValue":    "1.3.6.1.2.1.99.1.1.1.4",
		"ipAddressIfIndex":     "1.3.6.1.2.1.4.34.1.3",
		"snmpEngineID":         "1.3.6.1.6.3.10.2.1.1",
		"lldpRemSysName":       "1.0.8802.1.1.2.1.4.1.1.9",
		"dot1dTpFdbPort":       "1.3.6.1.2.1.17.4.3.1.2",
		"bgpPeerState":         "1.3.6.1.2.1.15.3.1.2",
		"ospfNbrState":         "1.3.6.1.2.1.14.10.1.6",
		"prtMarkerLifeCount":   "1.3.6.1.2.1.43.10.2.1.4",
	} {
		o, ok := tree.Named(name)
		require.True(t, ok, name)
		assert.Equal(t, number, o.OID.String(), name)
	}
}

// Whatever an index is made of is described, every value says what it is, and nothing stands
// twice.
func TestShippedDescriptionsAreWhole(t *testing.T) {
	all, err := mib.ReadAll(objects.Files)
	require.NoError(t, err)
	tree := mib.NewTree(all)
	assert.Equal(t, len(all), tree.Len(), "no two have one identifier")
	names := map[string]bool{}
	for _, o := range all {
		assert.False(t, names[o.Name], "%s stands twice", o.Name)
		names[o.Name] = true
		if o.Kind == mib.Row {
			assert.NotEmpty(t, o.Index, o.Name)
			assert.NotEmpty(t, tree.Columns(o), o.Name)
		}
		for _, name := range o.Index {
			_, ok := tree.Named(name)
			assert.True(t, ok, "%s, of the index of %s", name, o.Name)
		}
		if o.Valued() {
			assert.NotEmpty(t, o.About, o.Name)
			assert.NotEmpty(t, o.Syntax, o.Name)
		}
	}
}

func TestBrokenDescriptionsAreToldWithTheirFile(t *testing.T) {
	for want, text := range map[string]string{
		"a.yaml":                       "module: [",
		`field colour not found`:       "module: A\ncolour: red",
		`"1 x" is no value`:            "module: A\nscalars: {iso: [1 x]}",
		`there is no syntax "Colour"`:  "module: A\nscalars: {iso: [1 x Colour; A.]}",
		`"up" is no number`:            "module: A\nscalars: {iso: ['1 x Integer32(up); A.']}",
		`"?" is no node`:               "module: A\nnodes: ['?']",
		"under something that is not ": "module: A\nnodes: [a b.1, b a.1]",
	} {
		_, err := mib.ReadAll(fstest.MapFS{"a.yaml": {Data: []byte(text)}})
		assert.ErrorContains(t, err, want)
	}
}

func TestFindingTheWayInTheTree(t *testing.T) {
	tree := shipped(t)
	o, rest, ok := tree.Over(oid(t, "1.3.6.1.2.1.2.2.1.8.17"))
	require.True(t, ok)
	assert.Equal(t, "ifOperStatus", o.Name)
	assert.Equal(t, "17", rest.String())
	o, rest, _ = tree.Over(oid(t, "1.3.6.1.4.1.99999.1.2.0"))
	assert.Equal(t, "enterprises", o.Name, "what is not described belongs to the nearest above")
	assert.Equal(t, "99999.1.2.0", rest.String())
	_, _, ok = tree.Over(oid(t, "2.16"))
	assert.False(t, ok)

	var path []string
	for _, o := range tree.Path(oid(t, "1.3.6.1.2.1.2.2.1.8")) {
		path = append(path, o.Name)
	}
	assert.Equal(t, []string{"org", "dod", "internet", "mgmt", "mib-2", "interfaces", "ifTable", "ifEntry", "ifOperStatus"}, path)

	var below []string
	for _, o := range tree.Below(oid(t, "1.3.6.1.2.1.2")) {
		below = append(below, o.Name)
	}
	assert.Equal(t, []string{"ifNumber", "ifTable"}, below)
	top := tree.Below(nil)
	assert.Equal(t, "std", top[0].Name, "1.0 goes before 1.3")
	assert.Equal(t, "org", top[1].Name)

	column, _ := tree.Named("ifHCInOctets")
	row, ok := tree.RowOf(column)
	require.True(t, ok)
	assert.Equal(t, "ifXEntry", row.Name)
	assert.Len(t, tree.Columns(row), 19)
	scalar, _ := tree.Named("sysDescr")
	_, ok = tree.RowOf(scalar)
	assert.False(t, ok)
}

func TestSearchingObjects(t *testing.T) {
	tree := shipped(t)
	first := func(text string) string {
		found := tree.Search(text, 5)
		if len(found) == 0 {
			return ""
		}
		return found[0].Name
	}
	assert.Equal(t, "ifName", first("ifname"))
	assert.Equal(t, "sysUpTime", first("uptime"), "the shortest of those that have it in their name")
	assert.Equal(t, "ifSpeed", first("1.3.6.1.2.1.2.2.1.5"))
	assert.Equal(t, "upsEstimatedChargeRemaining", first("how full battery"), "words of what it says")
	assert.Empty(t, first("nothing of the kind"))
	assert.Empty(t, first("  "))
	assert.Len(t, tree.Search("if", 5), 5)
}

// A later description of an object takes the place of an earlier one.
func TestLaterDescriptionsCount(t *testing.T) {
	at := oid(t, "1.3.6.1.2.1.1.1")
	ours, theirs := mib.Object{Name: "sysDescr", OID: at, About: "ours"}, mib.Object{Name: "sysDescr", OID: at, About: "theirs"}
	tree := mib.NewTree([]mib.Object{ours}, []mib.Object{theirs})
	o, _ := tree.Named("sysDescr")
	assert.Equal(t, "theirs", o.About)
	assert.Equal(t, 1, tree.Len())
}

func TestIndexesOfRows(t *testing.T) {
	tree := shipped(t)
	for _, c := range []struct{ row, index, want string }{
		{"ifEntry", "17", "17"},
		{"ipAddrEntry", "192.0.2.9", "192.0.2.9"},                                  // four numbers are one address
		{"ipNetToMediaEntry", "3.192.0.2.9", "3 · 192.0.2.9"},                      // a number and an address
		{"ipAddressEntry", "1.4.192.0.2.9", "ipv4 · 192.0.2.9"},                    // its length goes before octets
		{"dot1dTpFdbEntry", "0.12.41.255.1.2", "00:0c:29:ff:01:02"},                // a fixed size has no length
		{"lldpRemEntry", "8640000.5.1", "8640000 · 5 · 1"},                         // its times are numbers there
		{"ifStackEntry", "0.17", "0 · 17"},                                         //
		{"ifEntry", "17.1", "17.1"},                                                // one number too many: as it stands
		{"ipAddressEntry", "1.4.192.0.2", "1.4.192.0.2"},                           // too short
		{"ipAddressEntry", "1.4294967295.1", "1.4294967295.1"},                     // a length that cannot be
		{"ipAddressEntry", "1.4.192.0.2.256", "ipv4 · 192.0.2.256"},                // no octet: its numbers
		{"udpEndpointEntry", "1.0.161.1.0.0.9", "ipv4 ·  · 161 · ipv4 ·  · 0 · 9"}, // empty addresses
	} {
		row, ok := tree.Named(c.row)
		require.True(t, ok, c.row)
		assert.Equal(t, c.want, tree.ShowIndex(row, oid(t, c.index)), c.row+" "+c.index)
	}
	row, _ := tree.Named("ifEntry")
	_, err := tree.Index(row, nil)
	assert.ErrorContains(t, err, "ifIndex: 1 numbers are needed, there are 0")
	_, err = tree.Index(row, oid(t, "1.2"))
	assert.ErrorContains(t, err, "1 numbers are left over")
	row.Index = []string{"nowhere"}
	_, err = tree.Index(row, oid(t, "1"))
	assert.ErrorContains(t, err, "nowhere")
}

// An implied last column has no length in front of it (RFC 2578, section 7.7).
func TestImpliedIndexes(t *testing.T) {
	name := mib.Object{Name: "userName", OID: oid(t, "1.9.1.1.1"), Kind: mib.Column, Syntax: mib.Octets, Hint: "255a"}
	row := mib.Object{Name: "userEntry", OID: oid(t, "1.9.1.1"), Kind: mib.Row, Index: []string{"userName"}, Implied: true}
	tree := mib.NewTree([]mib.Object{name, row})
	assert.Equal(t, "owl", tree.ShowIndex(row, oid(t, "111.119.108"))) // o w l
	row.Implied = false
	assert.Equal(t, "owl", tree.ShowIndex(row, oid(t, "3.111.119.108")))
}

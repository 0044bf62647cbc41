package fetch_test

import (
	"context"
	"net"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/fetch"
	"tirelessowl/internal/protocol/probe"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/sim"
)

const port = 16392

var first = netip.MustParseAddr("127.92.0.0")

// setup runs a small fleet and a fetcher that loses its patience quickly.
func setup(t *testing.T) (fetch.Fetcher, netip.Addr) {
	t.Helper()
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- sim.NewFleet(first, 2, 3).Serve(ctx, port, "c") }()
	client, err := snmp.NewClient()
	require.NoError(t, err)
	t.Cleanup(func() { client.Close(); stop(); <-done })
	f := fetch.Fetcher{SNMP: client, Timeout: 200 * time.Millisecond}
	device := sim.Offset(first, 0, 1)
	require.Eventually(t, func() bool {
		return probe.Prober{SNMP: client}.Hello(t.Context(), netip.AddrPortFrom(device, port), "c", 100*time.Millisecond)
	}, 5*time.Second, 10*time.Millisecond)
	return f, device
}

func request(at netip.Addr, src kit.Source) kit.Request {
	return kit.Request{Address: at, Port: port, Community: domain.Secret("c"), Source: src, ProbePort: port}
}

func TestWalkBringsRowsAndUptime(t *testing.T) {
	f, device := setup(t)
	got := f.Fetch(t.Context(), request(device, kit.Source{Walk: []kit.Column{{As: "name", OID: "1.3.6.1.2.1.31.1.1.1.1"}, {As: "in", OID: "1.3.6.1.2.1.31.1.1.1.6"}, {As: "none", OID: "1.3.6.1.2.1.99"}}}))
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 3)
	assert.Equal(t, "port2", got.Rows[1].Values[0].Text)
	assert.Equal(t, derive.Counter64, got.Rows[1].Values[1].Kind)
	assert.Equal(t, derive.Missing, got.Rows[1].Values[2].Kind)
	assert.True(t, got.UptimeKnown)
	assert.InDelta(t, 3600*100, float64(got.Uptime), 100*60, "the fleet booted an hour ago")
	assert.WithinDuration(t, time.Now(), got.At, time.Minute)
}

func TestGetBringsOneRow(t *testing.T) {
	f, device := setup(t)
	got := f.Fetch(t.Context(), request(device, kit.Source{Get: []kit.Column{{As: "name", OID: "1.3.6.1.2.1.1.5.0"}, {As: "nothing", OID: "1.3.6.1.2.1.1.99.0"}}}))
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 1)
	assert.Equal(t, "fleet-0", got.Rows[0].Values[0].Text)
	assert.Equal(t, derive.Missing, got.Rows[0].Values[1].Kind)
}

func TestProbeTellsLossAndTime(t *testing.T) {
	f, device := setup(t)
	probing := kit.Source{Probe: &kit.Probe{Count: 2, Timeout: 150 * time.Millisecond}}
	got := f.Fetch(t.Context(), request(device, probing))
	assert.Empty(t, got.Error)
	assert.Positive(t, got.Rows[0].Values[0].Num)
	assert.Equal(t, 0.0, got.Rows[0].Values[1].Num)
	silent := f.Fetch(t.Context(), request(netip.MustParseAddr("127.92.9.9"), probing))
	assert.True(t, silent.NoAnswer)
	assert.Equal(t, 100.0, silent.Rows[0].Values[1].Num)
	assert.Equal(t, derive.Missing, silent.Rows[0].Values[0].Kind, "what did not answer has no answer time")
	assert.Contains(t, silent.Error, "no answer")
}

func TestProbeOverTCP(t *testing.T) {
	f, _ := setup(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	r := request(netip.MustParseAddr("127.0.0.1"), kit.Source{Probe: &kit.Probe{Count: 1, Timeout: time.Second}})
	r.Method, r.ProbePort = "tcp", l.Addr().(*net.TCPAddr).Port
	assert.Equal(t, 0.0, f.Fetch(t.Context(), r).Rows[0].Values[1].Num)
	l.Close()
	got := f.Fetch(t.Context(), r)
	assert.Equal(t, 100.0, got.Rows[0].Values[1].Num)
	assert.Contains(t, got.Error, "refuses", "refused is told from silent")
}

func TestWrongCommunityIsSilence(t *testing.T) {
	f, device := setup(t)
	r := request(device, kit.Source{Get: []kit.Column{{As: "name", OID: "1.3.6.1.2.1.1.5.0"}}})
	r.Community = "wrong"
	got := f.Fetch(t.Context(), r)
	assert.True(t, got.NoAnswer)
	assert.NotContains(t, got.Error, "wrong", "the community is never shown")
}

func TestLearn(t *testing.T) {
	f, device := setup(t)
	a, err := probe.Prober{SNMP: f.SNMP}.Learn(t.Context(), netip.AddrPortFrom(device, port), "c")
	require.NoError(t, err)
	assert.Equal(t, "fleet-0", a.Name)
	assert.Equal(t, "1.3.6.1.4.1.32473.1.2", a.ObjectID)
	assert.Equal(t, 3, a.Interfaces)
	assert.Equal(t, []netip.Addr{device}, a.Own)
	assert.Contains(t, a.Facts, "mib:interfaces")
	assert.NotContains(t, a.Facts, "mib:host", "it has no storage table")
	assert.NotEmpty(t, a.EngineID)
}

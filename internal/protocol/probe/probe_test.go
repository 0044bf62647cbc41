package probe_test

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/probe"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/sim"
)

const port = 16394

func TestHelloAndLearn(t *testing.T) {
	first := netip.MustParseAddr("127.94.0.0")
	ctx, stop := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() { done <- sim.NewFleet(first, 2, 3).Serve(ctx, port, "c") }()
	c, err := snmp.NewClient()
	require.NoError(t, err)
	t.Cleanup(func() { c.Close(); stop(); <-done })
	p := probe.Prober{SNMP: c}
	device := sim.Offset(first, 0, 1)
	at := netip.AddrPortFrom(device, port)
	kind, secrets := p.Credential("c")
	assert.Equal(t, []string{"snmp", "snmp-v2c"}, []string{p.Way(), kind})
	opened := way.Opened{Kind: kind, Secrets: secrets}
	require.Eventually(
		t,
		func() bool { return p.Hello(t.Context(), at, opened, 100*time.Millisecond).Answers },
		5*time.Second,
		10*time.Millisecond,
	)
	wrong := way.Opened{Kind: kind, Secrets: domain.Secrets{"community": "wrong"}}
	heard := p.Hello(t.Context(), at, wrong, 100*time.Millisecond)
	assert.Equal(t, identity.Heard{}, heard, "who refuses the community says nothing")
	heard = p.Hello(t.Context(), netip.AddrPortFrom(device, port+1), opened, time.Second)
	assert.Equal(t, identity.Heard{Said: "the machine is up, and nothing listens on its port 16395"}, heard)

	a, err := p.Learn(t.Context(), at, opened)
	require.NoError(t, err)
	assert.Equal(t, "fleet-0", a.Name)
	assert.Equal(t, "1.3.6.1.4.1.32473.1.2", a.ObjectID)
	assert.Equal(t, map[string]int{"interface": 3}, a.Parts)
	assert.Equal(t, []netip.Addr{device}, a.Own)
	assert.Contains(t, a.Facts, "mib:interfaces")
	assert.NotContains(t, a.Facts, "mib:host", "it has no storage table")
	assert.NotEmpty(t, a.EngineID)
	soon, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	_, err = p.Learn(soon, netip.MustParseAddrPort("127.94.9.9:16394"), opened)
	assert.Error(t, err)
}

package snmp

import (
	"net"
	"net/netip"
	"sync"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// closedPort is an address of this machine where nothing listens.
func closedPort(t *testing.T, network, address string) netip.AddrPort {
	t.Helper()
	conn, err := net.ListenPacket(network, address)
	if err != nil {
		t.Skip("this machine has no " + network)
	}
	at := netip.MustParseAddrPort(conn.LocalAddr().String())
	require.NoError(t, conn.Close())
	return at
}

// A closed port is not silence: it is told at once, and what the machine is.
func TestAClosedPortIsToldFromSilence(t *testing.T) {
	for network, address := range map[string]string{"udp4": "127.0.0.1:0", "udp6": "[::1]:0"} {
		t.Run(network, func(t *testing.T) {
			at := closedPort(t, network, address)
			start := time.Now()
			_, err := client(
				t,
			).Get(t.Context(), Target{Address: at, Community: "c", Timeout: 20 * time.Second, Retries: 3}, []string{"1.1"})
			require.ErrorIs(t, err, ErrRefused)
			assert.NotErrorIs(t, err, ErrNoAnswer)
			assert.Contains(t, err.Error(), at.Addr().String())
			assert.Less(t, time.Since(start), 20*time.Second, "nobody waits for the time-out")
		})
	}
}

// All devices share sockets: the closed ports of some must not fail the requests
// to others, however many there are.
func TestClosedPortsOfSomeDoNotFailOthers(t *testing.T) {
	good := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte { return [][]byte{reply(req, integer(".1.1", 7))} })
	bad := closedPort(t, "udp4", "127.0.0.1:0")
	c := client(t)
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 200 {
				_, err := c.Get(t.Context(), Target{Address: bad, Community: "c", Timeout: 10 * time.Second}, []string{"1.1"})
				assert.ErrorIs(t, err, ErrRefused)
			}
		})
		all.Go(func() {
			for range 200 {
				got, err := c.Get(t.Context(), good, []string{"1.1"})
				if assert.NoError(t, err) {
					assert.Equal(t, 7.0, got[0].Num)
				}
			}
		})
	}
	all.Wait()
}

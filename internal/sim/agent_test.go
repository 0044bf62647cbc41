package sim

import (
	"context"
	"math/rand/v2"
	"net"
	"net/netip"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// fleetAt serves a small fleet on loopback and returns its first address and port.
func fleetAt(t *testing.T) (netip.Addr, int) {
	t.Helper()
	first := netip.MustParseAddr("127.96.0.0")
	free, err := net.ListenUDP("udp4", &net.UDPAddr{})
	require.NoError(t, err)
	port := free.LocalAddr().(*net.UDPAddr).Port
	free.Close()
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	f := NewFleet(first, 3, 4)
	go func() { ended <- f.Serve(ctx, port, "c") }()
	t.Cleanup(func() { cancel(); require.NoError(t, <-ended) })
	a := Offset(first, 0, 1)
	require.Eventually(t, func() bool {
		_, err := manager(t, a, port, "c").Get([]string{sysName})
		return err == nil
	}, 10*time.Second, 10*time.Millisecond, "it listens")
	return a, port
}

// manager is a client of the standard's other side.
func manager(t *testing.T, a netip.Addr, port int, community string) *gosnmp.GoSNMP {
	t.Helper()
	g := &gosnmp.GoSNMP{
		Target:    a.String(),
		Port:      uint16(port),
		Community: community,
		Version:   gosnmp.Version2c,
		Timeout:   300 * time.Millisecond,
		Retries:   3,
	}
	require.NoError(t, g.Connect())
	t.Cleanup(func() { g.Conn.Close() })
	return g
}

const (
	ifDescr1 = ".1.3.6.1.2.1.2.2.1.2.1"
	ifTable  = ".1.3.6.1.2.1.2.2"
	sysName  = ".1.3.6.1.2.1.1.5.0"
)

func TestAgentAnswersByTheStandard(t *testing.T) {
	a, port := fleetAt(t)
	g := manager(t, a, port, "c")
	got, err := g.Get([]string{sysName, ".1.3.6.1.99.0", ifDescr1})
	require.NoError(t, err)
	assert.Equal(t, []byte("fleet-0"), got.Variables[0].Value)
	assert.Equal(t, gosnmp.NoSuchObject, got.Variables[1].Type, "RFC 3416, 4.2.1")
	assert.Equal(t, gosnmp.NoError, got.Error)
	next, err := g.GetNext([]string{ifDescr1})
	require.NoError(t, err)
	assert.Equal(t, ".1.3.6.1.2.1.2.2.1.2.2", next.Variables[0].Name)
	end, err := g.GetNext([]string{".2.99"})
	require.NoError(t, err)
	assert.Equal(t, gosnmp.EndOfMibView, end.Variables[0].Type)
	bulk, err := g.GetBulk([]string{sysName, ifDescr1}, 1, 50)
	require.NoError(t, err)
	assert.Greater(t, len(bulk.Variables), 10, "one that does not repeat, and a column that does")
	rows, err := g.BulkWalkAll(ifTable)
	require.NoError(t, err)
	slow, err := g.WalkAll(ifTable)
	require.NoError(t, err)
	assert.Len(t, slow, len(rows), "both ways of walking see the same")
}

func TestAgentIsSilentToStrangers(t *testing.T) {
	a, port := fleetAt(t)
	g := manager(t, a, port, "wrong")
	g.Retries, g.Timeout = 0, 100*time.Millisecond
	_, err := g.Get([]string{sysName})
	assert.Error(t, err)
	nobody := manager(t, a.Next().Next().Next(), port, "c")
	nobody.Retries, nobody.Timeout = 0, 100*time.Millisecond
	_, err = nobody.Get([]string{sysName})
	assert.Error(t, err, "there is no device at this address")
}

// Whatever is sent to it, the agent goes on answering.
func TestAgentSurvivesRubbish(t *testing.T) {
	a, port := fleetAt(t)
	conn, err := net.Dial("udp", netip.AddrPortFrom(a, uint16(port)).String())
	require.NoError(t, err)
	defer conn.Close()
	p := gosnmp.SnmpPacket{
		Version:        gosnmp.Version2c,
		Community:      "c",
		PDUType:        gosnmp.GetBulkRequest,
		MaxRepetitions: 1 << 20,
		NonRepeaters:   200,
		RequestID:      5,
		Variables:      []gosnmp.SnmpPDU{{Name: ".1.3", Type: gosnmp.Null}},
	}
	whole, err := p.MarshalMsg()
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(1, 1))
	for range 2000 {
		data := append([]byte(nil), whole[:r.IntN(len(whole)+1)]...)
		for i := range data {
			if r.IntN(10) == 0 {
				data[i] = byte(r.Uint32())
			}
		}
		_, _ = conn.Write(data)
	}
	got, err := manager(t, a, port, "c").Get([]string{sysName})
	require.NoError(t, err)
	assert.Equal(t, []byte("fleet-0"), got.Variables[0].Value)
}

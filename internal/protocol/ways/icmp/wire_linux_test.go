package icmp

import (
	"net"
	"net/netip"
	"os"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/sys/unix"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	client "tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/ways"
)

// apart goes into a network of its own in which the kernel answers no echo. The thread is never used again.
func apart(t *testing.T) {
	t.Helper()
	runtime.LockOSThread()
	if err := unix.Unshare(unix.CLONE_NEWNET); err != nil {
		t.Skip("a network of one's own needs rights: ", err)
	}
	fd, err := unix.Socket(unix.AF_INET, unix.SOCK_DGRAM, 0)
	require.NoError(t, err)
	defer unix.Close(fd)
	lo, err := unix.NewIfreq("lo")
	require.NoError(t, err)
	lo.SetUint16(unix.IFF_UP)
	require.NoError(t, unix.IoctlIfreq(fd, unix.SIOCSIFFLAGS, lo))
	if err := os.WriteFile("/proc/sys/net/ipv4/icmp_echo_ignore_all", []byte("1"), 0o600); err != nil {
		t.Skip("the kernel's own answers stay on: ", err)
	}
}

// respond answers echo requests in the order in which they come, each after a while; below zero not at all.
func respond(t *testing.T, delays []time.Duration) {
	t.Helper()
	conn, err := icmp.ListenPacket("ip4:icmp", "127.0.0.1")
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	go func() {
		buf := make([]byte, 1500)
		for n := 0; ; {
			size, from, err := conn.ReadFrom(buf)
			if err != nil {
				return
			}
			m, err := icmp.ParseMessage(ipv4.ICMPTypeEcho.Protocol(), buf[:size])
			if err != nil || m.Type != ipv4.ICMPTypeEcho {
				continue // our own answer, which loops back
			}
			delay := delays[min(n, len(delays)-1)]
			if n++; delay >= 0 {
				m.Type = ipv4.ICMPTypeEchoReply
				answer, _ := m.Marshal(nil)
				time.AfterFunc(delay, func() { _, _ = conn.WriteTo(answer, from.(*net.IPAddr)) })
			}
		}
	}()
}

func TestAResponderThatLosesAndDelays(t *testing.T) {
	apart(t) // the thread ends with the test
	ms := time.Millisecond
	respond(t, []time.Duration{10 * ms, 60 * ms, -1, 30 * ms, 30 * ms, -1})
	c := client.NewClient()
	defer c.Close()
	q := way.Question{Way: "icmp", Address: netip.MustParseAddr("127.0.0.1"), Exchange: way.NewExchange(time.Now()),
		Ask: way.Settings{"count": "5", "pause": "150ms", "timeout": "2s"}}
	got := ways.List{Way(c)}.Ask(t.Context(), q)
	require.Empty(t, got.Error)
	v := got.Rows[0].Values
	assert.Equal(t, 20.0, v[1].Num, "one of five")
	assert.GreaterOrEqual(t, v[2].Num, 0.010)
	assert.GreaterOrEqual(t, v[3].Num, 0.060)
	assert.Greater(t, v[0].Num, v[2].Num)
	assert.Less(t, v[0].Num, v[3].Num)
	assert.Greater(t, v[4].Num, 0.005, "10 and 60 ms follow each other")
	assert.Len(t, q.Exchange.Lines, 10, "five requests, and what came of each")

	q.Ask["timeout"], q.Ask["count"] = "300ms", "2" // all that follow are lost
	got = ways.List{Way(c)}.Ask(t.Context(), q)
	assert.Equal(t, "no answer to 2 echo requests within 300ms", got.Error)
	assert.Equal(t, derive.Silent, got.Failure)
	assert.Equal(t, 100.0, got.Rows[0].Values[1].Num)

	q.Address = netip.MustParseAddr("198.51.100.1") // there is no route out of here
	got = ways.List{Way(c)}.Ask(t.Context(), q)
	assert.Equal(t, derive.NoWay, got.Failure, got.Error)
}

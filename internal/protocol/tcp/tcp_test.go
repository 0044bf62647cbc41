package tcp

import (
	"context"
	"net"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// peer serves every connection with f and returns where.
func peer(t *testing.T, f func(net.Conn)) netip.AddrPort {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go func() { defer conn.Close(); f(conn) }()
		}
	}()
	return netip.MustParseAddrPort(l.Addr().String())
}

// says answers a line with a text, in two segments.
func says(text string) func(net.Conn) {
	return func(conn net.Conn) {
		buf := make([]byte, 100)
		n, _ := conn.Read(buf)
		_ = conn.(*net.TCPConn).SetNoDelay(true)
		_, _ = conn.Write([]byte(text[:len(text)/2]))
		_, _ = conn.Write([]byte(text[len(text)/2:] + string(buf[:n])))
	}
}

func TestOpenAndRefused(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	to := netip.MustParseAddrPort(l.Addr().String())
	took, answer, err := Ask(t.Context(), to, time.Second, Talk{})
	require.NoError(t, err)
	assert.Positive(t, took)
	assert.Empty(t, answer)
	l.Close()
	_, _, err = Ask(t.Context(), to, time.Second, Talk{})
	assert.ErrorContains(t, err, "refuses")
}

func TestAnswers(t *testing.T) {
	to := peer(t, says("220 kittiwake ready "))
	_, answer, err := Ask(t.Context(), to, time.Second, Talk{Send: "HELO\r\n", Expect: "ready"})
	require.NoError(t, err)
	assert.Contains(t, answer, "220 kittiwake ready")
	_, answer, err = Ask(t.Context(), to, time.Second, Talk{Send: "HELO\r\n", Expect: "421"})
	assert.ErrorContains(t, err, `where "421" is expected`)
	assert.Contains(t, answer, "HELO", "what it said instead is told")
	_, answer, err = Ask(t.Context(), to, time.Second, Talk{Send: "HELO\r\n"})
	require.NoError(t, err)
	assert.NotEmpty(t, answer)
}

// A peer that floods is read to a bound, one that is silent waited for to the time-out.
func TestHostilePeers(t *testing.T) {
	flood := peer(t, func(conn net.Conn) {
		for i := 0; i < 1000; i++ {
			if _, err := conn.Write([]byte(strings.Repeat("x", 1<<16))); err != nil {
				return
			}
		}
	})
	_, answer, err := Ask(t.Context(), flood, time.Second, Talk{Expect: "ready"})
	assert.Error(t, err)
	assert.Len(t, answer, maxAnswer)
	assert.Less(t, len(err.Error()), 200)
	silent := peer(t, func(conn net.Conn) { _, _ = conn.Read(make([]byte, 1)); _, _ = conn.Read(make([]byte, 1)) })
	_, _, err = Ask(t.Context(), silent, 30*time.Millisecond, Talk{Expect: "ready"})
	assert.ErrorContains(t, err, "no answer")
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(20*time.Millisecond, cancel)
	start := time.Now()
	_, _, err = Ask(ctx, silent, time.Minute, Talk{Expect: "ready"})
	assert.Error(t, err)
	assert.Less(t, time.Since(start), 10*time.Second, "it ends when it is told to")
}

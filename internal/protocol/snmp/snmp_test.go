package snmp

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

// peer is an agent that follows a script: it gets each request and returns
// the raw datagrams to send.
func peer(t *testing.T, script func(n int, req *gosnmp.SnmpPacket) [][]byte) Target {
	t.Helper()
	conn, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	var count atomic.Int32
	go func() {
		buf := make([]byte, 65535)
		codec := &gosnmp.GoSNMP{Version: gosnmp.Version2c}
		for {
			n, from, err := conn.ReadFromUDP(buf)
			if err != nil {
				return
			}
			req, err := codec.SnmpDecodePacket(buf[:n])
			if err != nil {
				continue
			}
			for _, out := range script(int(count.Add(1)), req) {
				_, _ = conn.WriteToUDP(out, from)
			}
		}
	}()
	return Target{
		Address:   conn.LocalAddr().(*net.UDPAddr).AddrPort(),
		Community: domain.Secret("c"),
		Timeout:   150 * time.Millisecond,
		Retries:   1,
	}
}

func reply(req *gosnmp.SnmpPacket, vars ...gosnmp.SnmpPDU) []byte {
	p := gosnmp.SnmpPacket{
		Version:   gosnmp.Version2c,
		Community: "c",
		PDUType:   gosnmp.GetResponse,
		RequestID: req.RequestID,
		Variables: vars,
	}
	out, err := p.MarshalMsg()
	if err != nil {
		panic(err)
	}
	return out
}

func client(t *testing.T) *Client {
	t.Helper()
	c, err := NewClient()
	require.NoError(t, err)
	t.Cleanup(c.Close)
	return c
}

func integer(name string, n int) gosnmp.SnmpPDU {
	return gosnmp.SnmpPDU{Name: name, Type: gosnmp.Integer, Value: n}
}

func TestGetReadsEveryType(t *testing.T) {
	target := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		return [][]byte{reply(req,
			integer(".1.1", -5),
			gosnmp.SnmpPDU{Name: ".1.2", Type: gosnmp.Counter32, Value: uint32(4294967295)},
			gosnmp.SnmpPDU{Name: ".1.3", Type: gosnmp.Counter64, Value: uint64(18446744073709551615)},
			gosnmp.SnmpPDU{Name: ".1.4", Type: gosnmp.OctetString, Value: []byte("Käse \x00")},
			gosnmp.SnmpPDU{Name: ".1.5", Type: gosnmp.OctetString, Value: []byte{0xff, 0x01}},
			gosnmp.SnmpPDU{Name: ".1.6", Type: gosnmp.ObjectIdentifier, Value: ".1.3.6.1"},
			gosnmp.SnmpPDU{Name: ".1.7", Type: gosnmp.NoSuchObject},
			gosnmp.SnmpPDU{Name: ".1.8", Type: gosnmp.TimeTicks, Value: uint32(100)},
		)}
	})
	got, err := client(t).Get(t.Context(), target, []string{"1.1", "1.2", "1.3", "1.4", "1.5", "1.6", "1.7", "1.8"})
	require.NoError(t, err)
	assert.Equal(t, []derive.Value{
		{Kind: derive.Gauge, Num: -5},
		{Kind: derive.Counter32, Count: 4294967295},
		{Kind: derive.Counter64, Count: 18446744073709551615},
		{Kind: derive.Text, Text: "Käse "},
		{Kind: derive.Text, Text: "ff01"},
		{Kind: derive.Text, Text: "1.3.6.1"},
		{},
		{Kind: derive.Gauge, Num: 100},
	}, got)
}

func TestHostileAnswersAreSurvived(t *testing.T) {
	for name, script := range map[string]func(int, *gosnmp.SnmpPacket) [][]byte{
		"silence": func(int, *gosnmp.SnmpPacket) [][]byte { return nil },
		"random": func(int, *gosnmp.SnmpPacket) [][]byte {
			return [][]byte{{1, 2, 3}, {}, {0x30, 0x84, 0xff, 0xff, 0xff, 0xff}}
		},
		"truncated": func(_ int, req *gosnmp.SnmpPacket) [][]byte {
			whole := reply(req, integer(".1.1", 1))
			return [][]byte{whole[:len(whole)-3]}
		},
		"another id": func(_ int, req *gosnmp.SnmpPacket) [][]byte {
			req.RequestID += 77
			return [][]byte{reply(req, integer(".1.1", 1))}
		},
		"a request as answer": func(_ int, req *gosnmp.SnmpPacket) [][]byte {
			req.PDUType = gosnmp.GetRequest
			out, _ := req.MarshalMsg()
			return [][]byte{out}
		},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, err := client(t).Get(t.Context(), peer(t, script), []string{"1.1"})
			assert.ErrorIs(t, err, ErrNoAnswer)
			assert.Contains(t, err.Error(), "2 tries")
		})
	}
}

func TestRetryAndAgentErrors(t *testing.T) {
	c := client(t)
	target := peer(t, func(n int, req *gosnmp.SnmpPacket) [][]byte {
		if n == 1 {
			return nil
		}
		return [][]byte{reply(req, integer(".1.1", 7))}
	})
	got, err := c.Get(t.Context(), target, []string{"1.1"})
	require.NoError(t, err)
	assert.Equal(t, 7.0, got[0].Num)

	target = peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		p := gosnmp.SnmpPacket{
			Version:    gosnmp.Version2c,
			Community:  "c",
			PDUType:    gosnmp.GetResponse,
			RequestID:  req.RequestID,
			Error:      gosnmp.GenErr,
			ErrorIndex: 1,
			Variables:  req.Variables,
		}
		out, _ := p.MarshalMsg()
		return [][]byte{out}
	})
	_, err = c.Get(t.Context(), target, []string{"1.1"})
	assert.ErrorContains(t, err, "GenErr")
	_, err = c.Get(t.Context(), peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte { return [][]byte{reply(req)} }), []string{"1.1"})
	assert.ErrorContains(t, err, "the answer has 0")
}

// An agent with a small buffer answers tooBig (RFC 3416, 4.2.1): it is asked
// for less, down to single objects.
func TestTooBigIsAskedForInHalves(t *testing.T) {
	sizes := make(chan int, 20)
	target := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		sizes <- len(req.Variables)
		if len(req.Variables) > 2 {
			p := gosnmp.SnmpPacket{
				Version:   gosnmp.Version2c,
				Community: "c",
				PDUType:   gosnmp.GetResponse,
				RequestID: req.RequestID,
				Error:     gosnmp.TooBig,
			}
			out, _ := p.MarshalMsg()
			return [][]byte{out}
		}
		var vars []gosnmp.SnmpPDU
		for _, v := range req.Variables {
			vars = append(vars, integer(v.Name, len(v.Name)))
		}
		return [][]byte{reply(req, vars...)}
	})
	c := client(t)
	got, err := c.Get(t.Context(), target, []string{"1.3", "1.3.3", "1.3.3.3", "1.3.3.3.3", "1.3.3.3.3.3"})
	require.NoError(t, err)
	require.Len(t, got, 5)
	for i, v := range got {
		assert.Equal(t, float64(len(".1.3")+2*i), v.Num, "in the order asked")
	}
	assert.Equal(t, []int{5, 2, 3, 1, 2}, taken(sizes))
	assert.Zero(t, c.Strays())
}

func TestManyObjectsGoInSeveralRequests(t *testing.T) {
	sizes := make(chan int, 20)
	target := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		sizes <- len(req.Variables)
		var vars []gosnmp.SnmpPDU
		for _, v := range req.Variables {
			vars = append(vars, integer(v.Name, 1))
		}
		return [][]byte{reply(req, vars...)}
	})
	oids := make([]string, 85)
	for i := range oids {
		oids[i] = fmt.Sprintf("1.3.6.%d", i+1)
	}
	got, err := client(t).Get(t.Context(), target, oids)
	require.NoError(t, err)
	assert.Len(t, got, 85)
	assert.Equal(t, []int{40, 40, 5}, taken(sizes))
}

// taken is what is in a channel now.
func taken(c <-chan int) (out []int) {
	for len(c) > 0 {
		out = append(out, <-c)
	}
	return out
}

// One client serves many goroutines; the race detector looks on.
func TestClientIsShared(t *testing.T) {
	target := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		return [][]byte{reply(req, integer(req.Variables[0].Name, len(req.Variables[0].Name)))}
	})
	c := client(t)
	var asking sync.WaitGroup
	for i := range 8 {
		asking.Go(func() {
			oid := "1.3" + strings.Repeat(".3", i)
			for range 20 {
				got, err := c.Get(t.Context(), target, []string{oid})
				if assert.NoError(t, err) {
					assert.Equal(t, float64(len(oid)+1), got[0].Num)
				}
			}
		})
	}
	asking.Wait()
	assert.Zero(t, c.Strays())
}

func TestWalkReadsColumnsTogether(t *testing.T) {
	answers := map[int][]gosnmp.SnmpPDU{
		1: {{Name: sysUpTime, Type: gosnmp.TimeTicks, Value: uint32(4200)},
			integer(".1.1.5", 15), integer(".1.2.5", 25), integer(".1.1.7", 17), integer(".1.3.1", 0)},
		2: {integer(".1.2.1", 0)},
	}
	target := peer(t, func(n int, req *gosnmp.SnmpPacket) [][]byte { return [][]byte{reply(req, answers[n]...)} })
	table, err := client(t).Walk(t.Context(), target, []string{"1.1", "1.2"})
	require.NoError(t, err)
	assert.Equal(t, uint32(4200), table.Uptime)
	require.Len(t, table.Rows, 2)
	assert.Equal(t, "5", table.Rows[0].Index)
	assert.Equal(t, 25.0, table.Rows[0].Values[1].Num)
	assert.Equal(t, derive.Missing, table.Rows[1].Values[1].Kind, "a hole in a column stays a hole")
}

func TestEndlessWalksEnd(t *testing.T) {
	standing := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte {
		return [][]byte{reply(req, integer(".1.1.5", 1), integer(".1.1.5", 1))}
	})
	_, err := client(t).Walk(t.Context(), standing, []string{"1.1"})
	assert.ErrorIs(t, err, ErrNotIncreasing)
	empty := peer(t, func(_ int, req *gosnmp.SnmpPacket) [][]byte { return [][]byte{reply(req)} })
	_, err = client(t).Walk(t.Context(), empty, []string{"1.1"})
	assert.ErrorContains(t, err, "empty")
}

func TestContextEndsWaiting(t *testing.T) {
	ctx, cancel := context.WithCancel(t.Context())
	target := peer(t, func(int, *gosnmp.SnmpPacket) [][]byte { cancel(); return nil })
	target.Timeout = time.Minute
	_, err := client(t).Get(ctx, target, []string{"1.1"})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestUnreachableFamily(t *testing.T) {
	c := &Client{} // a machine without any socket
	_, err := c.Get(t.Context(), Target{Address: netip.MustParseAddrPort("[2001:db8::1]:161"), Timeout: time.Second}, []string{"1.1"})
	assert.ErrorContains(t, err, "IPv6")
}

func FuzzPeekRequestID(f *testing.F) {
	p := gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "public", PDUType: gosnmp.GetResponse, RequestID: 12345}
	whole, _ := p.MarshalMsg()
	f.Add(whole)
	f.Add([]byte{0x30, 0x82, 0xff, 0xff})
	f.Fuzz(func(t *testing.T, data []byte) {
		id, err := peekID(data)
		if err != nil && !errors.Is(err, errNotSNMP) {
			t.Fatal(err)
		}
		if string(data) == string(whole) && id != 12345 {
			t.Fatalf("id %d", id)
		}
	})
}

// Decoding hostile bytes must return, with an error or without.
func FuzzDecode(f *testing.F) {
	c := &Client{codec: decoder()}
	p := gosnmp.SnmpPacket{
		Version:   gosnmp.Version2c,
		Community: "c",
		PDUType:   gosnmp.GetResponse,
		Variables: []gosnmp.SnmpPDU{integer(".1.3.6", 5)},
	}
	whole, _ := p.MarshalMsg()
	f.Add(whole)
	f.Fuzz(func(t *testing.T, data []byte) { _, _ = c.decode(data) })
}

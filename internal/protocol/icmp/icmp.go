// Package icmp asks by echo whether a machine is there (RFC 792, RFC 4443), where the process
// may. One socket of each family serves all that are asked.
package icmp

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/net/icmp"
	"golang.org/x/net/ipv4"
	"golang.org/x/net/ipv6"
)

// ErrNotAllowed is returned where the process may not ask by echo.
var ErrNotAllowed = errors.New("this process may not ask by ICMP echo")

// Client asks by echo. It is safe for concurrent use.
type Client struct {
	v4, v6  *socket
	mu      sync.Mutex
	waiting map[[keySize]byte]*call
	seq     atomic.Uint32
	readers sync.WaitGroup
}

// keySize is the length of what tells echoes apart, in bytes. The kernel may put an identifier
// of its own in the place of ours.
const keySize = 16

type call struct {
	at   netip.Addr
	back chan time.Time
}

// family is how echoes are written in one of the two.
type family struct {
	networks []string // to be tried in order: the first needs no rights where the kernel allows it
	any      string
	ask      icmp.Type
	answer   icmp.Type
	protocol int
}

var (
	four = family{[]string{"udp4", "ip4:icmp"}, "0.0.0.0", ipv4.ICMPTypeEcho, ipv4.ICMPTypeEchoReply, 1}
	six  = family{[]string{"udp6", "ip6:ipv6-icmp"}, "::", ipv6.ICMPTypeEchoRequest, ipv6.ICMPTypeEchoReply, 58}
)

type socket struct {
	family
	conn *icmp.PacketConn
	raw  bool
}

// NewClient opens what may be opened; a client that may nothing is none the less one.
func NewClient() *Client {
	c := &Client{waiting: map[[keySize]byte]*call{}}
	c.v4, c.v6 = open(four), open(six)
	for _, s := range []*socket{c.v4, c.v6} {
		if s != nil {
			c.readers.Go(func() { c.read(s) })
		}
	}
	return c
}

func open(f family) *socket {
	for i, network := range f.networks {
		if conn, err := icmp.ListenPacket(network, f.any); err == nil {
			return &socket{f, conn, i > 0}
		}
	}
	return nil
}

// Close closes the sockets; it may be called twice.
func (c *Client) Close() {
	for _, s := range []*socket{c.v4, c.v6} {
		if s != nil {
			s.conn.Close()
		}
	}
	c.readers.Wait()
}

// May tells whether the process may ask by echo at all.
func (c *Client) May() bool { return c.v4 != nil }

// Echo asks a machine and returns how long the answer took. Silence is an error.
func (c *Client) Echo(ctx context.Context, a netip.Addr, timeout time.Duration) (time.Duration, error) {
	s := c.v4
	if a.Is6() && !a.Is4In6() {
		s = c.v6
	}
	if s == nil {
		return 0, ErrNotAllowed
	}
	var key [keySize]byte
	if _, err := rand.Read(key[:]); err != nil {
		return 0, err
	}
	x := &call{a.Unmap(), make(chan time.Time, 1)}
	c.mu.Lock()
	c.waiting[key] = x
	c.mu.Unlock()
	defer func() {
		c.mu.Lock()
		delete(c.waiting, key)
		c.mu.Unlock()
	}()
	start := time.Now()
	if err := s.send(a, int(c.seq.Add(1)&0xffff), key[:]); err != nil {
		return 0, err
	}
	timer := time.NewTimer(timeout)
	defer timer.Stop()
	select {
	case at := <-x.back:
		return at.Sub(start), nil
	case <-timer.C:
		return 0, fmt.Errorf("no answer to an echo from %s", a)
	case <-ctx.Done():
		return 0, ctx.Err()
	}
}

func (s *socket) send(a netip.Addr, seq int, key []byte) error {
	b, err := (&icmp.Message{Type: s.ask, Body: &icmp.Echo{ID: seq, Seq: seq, Data: key}}).Marshal(nil)
	if err != nil {
		return err
	}
	ip := net.IP(a.Unmap().AsSlice())
	var to net.Addr = &net.UDPAddr{IP: ip}
	if s.raw {
		to = &net.IPAddr{IP: ip}
	}
	_, err = s.conn.WriteTo(b, to)
	return err
}

// read hands answers to those who wait. What is no answer to us is passed over: a raw socket
// hears all that the machine hears.
func (c *Client) read(s *socket) {
	buf := make([]byte, 1500)
	for {
		n, from, err := s.conn.ReadFrom(buf)
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil {
			continue
		}
		now := time.Now()
		m, err := icmp.ParseMessage(s.protocol, buf[:n])
		if err != nil || m.Type != s.answer {
			continue
		}
		echo, ok := m.Body.(*icmp.Echo)
		if !ok || len(echo.Data) != keySize {
			continue
		}
		c.deliver([keySize]byte(echo.Data), addrOf(from), now)
	}
}

func addrOf(a net.Addr) netip.Addr {
	var ip net.IP
	switch x := a.(type) {
	case *net.UDPAddr:
		ip = x.IP
	case *net.IPAddr:
		ip = x.IP
	}
	out, _ := netip.AddrFromSlice(ip)
	return out.Unmap()
}

// deliver tells who waits. Only the machine that was asked may answer.
func (c *Client) deliver(key [keySize]byte, from netip.Addr, at time.Time) {
	c.mu.Lock()
	x := c.waiting[key]
	c.mu.Unlock()
	if x == nil || x.at != from {
		return
	}
	select {
	case x.back <- at:
	default: // a second answer
	}
}

// Package snmp asks SNMP agents of all versions. One client with a few sockets serves any
// number of devices: answers find their request by id and sender.
package snmp

import (
	"context"
	"crypto/rand"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// ErrNoAnswer is returned when nothing valid came back in time; a retry may help.
var ErrNoAnswer = errors.New("no answer")

// ErrRefused is returned when the machine itself says that nothing listens on the
// port (ICMP port unreachable, RFC 1122 section 3.2.2.1): it is up.
var ErrRefused = errors.New("nothing listens on the port")

// ErrUnreachable is returned when somebody on the way says that there is none.
var ErrUnreachable = errors.New("there is no way")

// Target is a device to ask.
type Target struct {
	Address   netip.AddrPort
	Community domain.Secret
	// First is true for agents that speak version 1 alone (RFC 1157).
	First bool
	// User is who asks by version 3, in the place of a community; nil for the other versions.
	User    *User
	Timeout time.Duration // for one try
	Retries int           // further tries
}

const (
	socketsPerFamily = 2
	receiveBuffer    = 4 << 20
	maxDatagram      = 65535
)

// Client shares sockets between requests. It is safe for concurrent use.
type Client struct {
	v4, v6  []*net.UDPConn
	nextID  atomic.Uint32
	mu      sync.Mutex
	waiting map[uint32]*call
	codec   *gosnmp.GoSNMP
	strays  atomic.Int64
	readers sync.WaitGroup
	engines *engines
	salt    atomic.Uint64
}

// call waits for the answer to one request.
type call struct {
	from   netip.AddrPort
	answer chan []byte
	failed chan error
}

// NewClient opens the sockets.
func NewClient() (*Client, error) {
	c := &Client{waiting: map[uint32]*call{}, codec: decoder(), engines: newEngines()}
	var seed [12]byte
	if _, err := rand.Read(seed[:]); err != nil {
		return nil, err
	}
	c.nextID.Store(binary.BigEndian.Uint32(seed[:]))
	c.salt.Store(binary.BigEndian.Uint64(seed[4:])) // after a restart none is used again
	for range socketsPerFamily {
		conn, err := net.ListenUDP("udp4", nil)
		if err != nil {
			c.Close()
			return nil, fmt.Errorf("open socket: %w", err)
		}
		c.v4 = append(c.v4, conn)
		// A machine without IPv6 can still ask IPv4 devices.
		if conn, err := net.ListenUDP("udp6", nil); err == nil {
			c.v6 = append(c.v6, conn)
		}
	}
	for _, conn := range append(append([]*net.UDPConn{}, c.v4...), c.v6...) {
		_ = conn.SetReadBuffer(receiveBuffer) // the kernel may allow less
		_ = wantErrors(conn)                  // without, a closed port looks like silence
		c.readers.Go(func() { c.read(conn) })
	}
	return c, nil
}

// decoder reads messages. What the library would fill in at each message, it
// has from the start: so several goroutines may use it at once.
func decoder() *gosnmp.GoSNMP {
	return &gosnmp.GoSNMP{Version: gosnmp.Version2c, Transport: "udp", MaxOids: gosnmp.MaxOids, Context: context.Background(),
		Logger: gosnmp.NewLogger(log.New(io.Discard, "", 0))}
}

// Close closes the sockets and waits for the readers; it may be called twice.
func (c *Client) Close() {
	for _, conn := range append(append([]*net.UDPConn{}, c.v4...), c.v6...) {
		conn.Close()
	}
	c.readers.Wait()
}

// Strays returns how many datagrams came that nobody waited for, or that
// were no SNMP at all.
func (c *Client) Strays() int64 { return c.strays.Load() }

func (c *Client) read(conn *net.UDPConn) {
	buf := make([]byte, maxDatagram)
	for {
		n, from, err := conn.ReadFromUDPAddrPort(buf)
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil {
			c.takeErrors(conn)
			continue
		}
		id, err := peekID(buf[:n])
		if err != nil || !c.deliver(id, netip.AddrPortFrom(from.Addr().Unmap(), from.Port()), buf[:n]) {
			c.strays.Add(1)
		}
	}
}

func (c *Client) deliver(id uint32, from netip.AddrPort, data []byte) bool {
	c.mu.Lock()
	waiter, ok := c.waiting[id]
	c.mu.Unlock()
	if !ok || waiter.from != from {
		return false
	}
	select {
	case waiter.answer <- append([]byte(nil), data...):
	default: // a second answer to the same request
	}
	return true
}

// ask sends a request and waits for its answer, trying again on silence.
func (c *Client) ask(ctx context.Context, t Target, p *gosnmp.SnmpPacket) (*gosnmp.SnmpPacket, error) {
	if t.User != nil {
		return c.askUser(ctx, t, p)
	}
	build := func(id uint32) ([]byte, error) {
		p.Version, p.Community, p.RequestID = gosnmp.Version2c, t.Community.Reveal(), id
		if t.First {
			p.Version = gosnmp.Version1
		}
		data, err := p.MarshalMsg()
		if err != nil {
			return nil, fmt.Errorf("encode: %w", err)
		}
		return data, nil
	}
	return c.exchange(ctx, t, build, c.decode)
}

// final is an error that ends the waiting for an answer; others are of messages that are
// passed over.
type final struct{ error }

// exchange sends what is built for each try and returns the first answer that can be read.
func (c *Client) exchange(
	ctx context.Context,
	t Target,
	build func(id uint32) ([]byte, error),
	read func([]byte) (*gosnmp.SnmpPacket, error),
) (*gosnmp.SnmpPacket, error) {
	conn, err := c.socket(t.Address.Addr())
	if err != nil {
		return nil, err
	}
	waiter := &call{from: t.Address, answer: make(chan []byte, 4), failed: make(chan error, 1)}
	var ids []uint32
	defer func() { c.forget(ids) }()
	timer := time.NewTimer(0)
	defer timer.Stop()
	for try := 0; try <= t.Retries; try++ {
		id := c.expect(waiter)
		ids = append(ids, id)
		data, err := build(id)
		if err != nil {
			return nil, err
		}
		if err := c.send(conn, data, t.Address); err != nil {
			return nil, fmt.Errorf("send: %w", err)
		}
		timer.Reset(t.Timeout)
		answer, err := c.await(ctx, waiter, timer, read)
		if answer != nil || err != nil {
			return answer, err
		}
	}
	return nil, fmt.Errorf(
		"%w from %s in %s, %s",
		ErrNoAnswer,
		t.Address,
		units.Span(t.Timeout),
		text.Count(int64(t.Retries+1), "try", "tries"),
	)
}

// sendTries is how often one datagram is handed to a socket. All devices share
// it: an error that a send meets may be one that another device's datagram
// brought; meeting it takes it away, and the send is repeated.
const sendTries = 64

func (c *Client) send(conn *net.UDPConn, data []byte, to netip.AddrPort) (err error) {
	for range sendTries {
		_, err = conn.WriteToUDPAddrPort(data, to)
		var brought syscall.Errno
		if err == nil || !errors.As(err, &brought) || !slices.Contains(othersErrors, brought) {
			return err
		}
		c.takeErrors(conn)
	}
	return err
}

// othersErrors are those that an answer to an earlier datagram may leave on a
// socket.
var othersErrors = []syscall.Errno{syscall.ECONNREFUSED, syscall.EHOSTUNREACH, syscall.ENETUNREACH, syscall.EMSGSIZE}

// fail tells all who wait for an address what became of their requests.
func (c *Client) fail(at netip.AddrPort, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, w := range c.waiting {
		if w.from != at {
			continue
		}
		select {
		case w.failed <- err:
		default:
		}
	}
}

// await returns the first answer that can be read; nil when time is up.
func (c *Client) await(
	ctx context.Context,
	w *call,
	timer *time.Timer,
	read func([]byte) (*gosnmp.SnmpPacket, error),
) (*gosnmp.SnmpPacket, error) {
	for {
		select {
		case data := <-w.answer:
			packet, err := read(data)
			if err == nil {
				return packet, nil
			}
			if end := (final{}); errors.As(err, &end) {
				return nil, end.error
			}
			c.strays.Add(1)
		case err := <-w.failed:
			return nil, err
		case <-timer.C:
			return nil, nil
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// decode reads a message; the decoder's panics on hostile bytes are errors.
func (c *Client) decode(data []byte) (p *gosnmp.SnmpPacket, err error) {
	defer func() {
		if r := recover(); r != nil {
			p, err = nil, fmt.Errorf("broken message: %v", r)
		}
	}()
	p, err = c.codec.SnmpDecodePacket(data)
	if err == nil && p.PDUType != gosnmp.GetResponse {
		err = errNotSNMP
	}
	return p, err
}

func (c *Client) expect(w *call) uint32 {
	c.mu.Lock()
	defer c.mu.Unlock()
	for {
		id := c.nextID.Add(1) & 0x7fffffff
		if _, taken := c.waiting[id]; !taken {
			c.waiting[id] = w
			return id
		}
	}
}

func (c *Client) forget(ids []uint32) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, id := range ids {
		delete(c.waiting, id)
	}
}

func (c *Client) socket(a netip.Addr) (*net.UDPConn, error) {
	pool := c.v4
	if a.Is6() {
		pool = c.v6
	}
	if len(pool) == 0 {
		return nil, fmt.Errorf("this machine cannot reach %s: no IPv6", a)
	}
	return pool[c.nextID.Load()%uint32(len(pool))], nil
}

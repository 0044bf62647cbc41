package sim

import (
	"net"
	"net/netip"
	"sync"

	"github.com/miekg/dns"
)

// namesModes are how the name server can fail.
var namesModes = []Mode{
	{"lies", "it tells another address"},
	{"unknown", "it says that there is no such name"},
	{"fails", "it says that it failed (SERVFAIL)"},
	{"refuses", "it refuses to answer"},
}

// names is the name server of the estate: it knows the devices, by name, below kittiwake.example.
type names struct {
	find func(name string) (netip.Addr, bool)
	mode func() string
}

const domainName = ".kittiwake.example."

// ServeDNS answers one question (RFC 1035).
func (n names) ServeDNS(w dns.ResponseWriter, r *dns.Msg) {
	mode := n.mode()
	if mode == "silent" || len(r.Question) != 1 {
		return
	}
	m := new(dns.Msg)
	m.SetReply(r)
	m.Authoritative = true
	q := r.Question[0]
	at, known := n.find(q.Name)
	switch {
	case mode == "fails":
		m.Rcode = dns.RcodeServerFailure
	case mode == "refuses":
		m.Rcode = dns.RcodeRefused
	case !known || mode == "unknown":
		m.Rcode = dns.RcodeNameError
	case q.Qtype == dns.TypeA:
		if mode == "lies" {
			at = netip.MustParseAddr("192.0.2.66")
		}
		head := dns.RR_Header{Name: q.Name, Rrtype: dns.TypeA, Class: dns.ClassINET, Ttl: 300}
		m.Answer = append(m.Answer, &dns.A{Hdr: head, A: at.AsSlice()})
	}
	_ = w.WriteMsg(m)
}

// overTCP serves connections by TCP, one after the other; those by UDP have a socket of their own.
func (n names) overTCP(c net.Conn, _ string) {
	one := single{conn: make(chan net.Conn, 1), addr: c.LocalAddr()}
	one.conn <- c
	close(one.conn)
	_ = (&dns.Server{Listener: one, Handler: n}).ActivateAndServe()
}

// overUDP keeps a socket open while it is wanted.
type overUDP struct {
	mu     sync.Mutex
	server *dns.Server
}

func (u *overUDP) set(up bool, at string, h dns.Handler) {
	u.mu.Lock()
	defer u.mu.Unlock()
	switch {
	case up && u.server == nil:
		c, err := net.ListenPacket("udp", at)
		if err != nil {
			return
		}
		u.server = &dns.Server{PacketConn: c, Handler: h}
		server := u.server
		go func() { _ = server.ActivateAndServe() }()
	case !up && u.server != nil:
		_ = u.server.PacketConn.Close()
		u.server = nil
	}
}

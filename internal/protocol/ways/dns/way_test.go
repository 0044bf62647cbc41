package dns

import (
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

// zone answers as a name server does.
func zone(w dns.ResponseWriter, r *dns.Msg) {
	m := new(dns.Msg)
	m.SetReply(r)
	q := r.Question[0]
	add := func(records ...string) {
		for _, text := range records {
			rr, err := dns.NewRR(text)
			if err == nil {
				m.Answer = append(m.Answer, rr)
			}
		}
	}
	switch strings.ToLower(q.Name) {
	case "booking.pier.example.":
		switch q.Qtype {
		case dns.TypeA:
			add(q.Name+" 300 IN CNAME web.pier.example.", "web.pier.example. 60 IN A 192.0.2.8", "web.pier.example. 120 IN A 192.0.2.7")
		case dns.TypeTXT:
			add(q.Name + ` 300 IN TXT "the first part, " "and the second"`)
		case dns.TypeMX:
			add(q.Name + " 300 IN MX 10 Mail.pier.example.")
		}
	case "7.2.0.192.in-addr.arpa.":
		add(q.Name + " 300 IN PTR web.pier.example.")
	case "long.pier.example.":
		if w.LocalAddr().Network() == "udp" {
			m.Truncated = true
			break
		}
		for i := range 200 {
			add(fmt.Sprintf("%s 300 IN A 198.51.100.%d", q.Name, i))
		}
	case "denied.pier.example.":
		m.Rcode = dns.RcodeRefused
	case "broken.pier.example.":
		m.Rcode = dns.RcodeServerFailure
	case "shouted.pier.example.":
		m.Question[0].Name = strings.ToUpper(q.Name)
		add(q.Name + " 300 IN A 192.0.2.1")
	case "silent.pier.example.":
		return
	default:
		m.Rcode = dns.RcodeNameError
	}
	_ = w.WriteMsg(m)
}

// serve runs a name server on loopback, by UDP and TCP on one port, and returns that.
func serve(t *testing.T) string {
	t.Helper()
	u, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	l, err := net.Listen("tcp", u.LocalAddr().String())
	require.NoError(t, err)
	for _, s := range []*dns.Server{{PacketConn: u}, {Listener: l}} {
		s.Handler = dns.HandlerFunc(zone)
		go func() { _ = s.ActivateAndServe() }()
		t.Cleanup(func() { _ = s.Shutdown() })
	}
	_, port, _ := net.SplitHostPort(u.LocalAddr().String())
	return port
}

func look(t *testing.T, port string, ask way.Settings) waytest.Seen {
	t.Helper()
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, ask)
	q.Endpoint = way.Settings{"port": port}
	return waytest.Look(t, w, ways.List{w}.Ask(t.Context(), q))
}

func TestNamesAreLookedUp(t *testing.T) {
	port := serve(t)
	const booking = "booking.pier.example"
	for name, c := range map[string]struct {
		ask          way.Settings
		verdict      verdict.Verdict
		says, answer string
		records, ttl float64
	}{
		"addresses, behind an alias": {way.Settings{"name": booking, "expect": "192.0.2.7, 192.0.2.8"}, verdict.Passes, "answers",
			"192.0.2.7, 192.0.2.8", 2, 60},
		"by TCP": {way.Settings{"name": booking, "by": "TCP"}, verdict.Passes, "answers", "192.0.2.7, 192.0.2.8", 2, 60},
		"a text in pieces": {way.Settings{"name": booking, "type": "TXT"}, verdict.Passes, "answers",
			"the first part, and the second", 1, 300},
		"where mail goes, in other letters": {way.Settings{"name": booking, "type": "MX", "expect": "10 mail.pier.example"}, verdict.Passes,
			"answers", "10 Mail.pier.example.", 1, 300},
		"an address backwards": {way.Settings{"name": "192.0.2.7", "type": "PTR", "expect": "web.pier.example"}, verdict.Passes, "answers",
			"web.pier.example.", 1, 300},
		"more than fits into a datagram": {way.Settings{"name": "long.pier.example"}, verdict.Passes, "answers",
			"198.51.100.0, 198.51.100.1, 198.51.100.10, 198.51.100.100, 198.51.100.101, 198.51.100.102, 198.51.100.103, 198.51.100.104" +
				" and 192 more", 200, 300},
		"in other letters": {way.Settings{"name": "shouted.pier.example"}, verdict.Passes, "answers", "192.0.2.1", 1, 300},
		"none, as it should be": {way.Settings{"name": "gone.pier.example", "none": "yes"}, verdict.Passes, "no such record, as expected",
			"", 0, 0},
		"none, as it should not": {way.Settings{"name": "gone.pier.example"}, verdict.NameNotFound, "knows no gone.pier.example",
			"", 0, 0},
		"no record of that kind": {way.Settings{"name": booking, "type": "AAAA"}, verdict.Unexpected, "has no record AAAA of it", "", 0, 0},
		"another one": {way.Settings{"name": booking, "expect": "192.0.2.9"}, verdict.Unexpected, "192.0.2.9 is not among",
			"*", 2, 60},
		"one that should not be": {way.Settings{"name": booking, "none": "yes"}, verdict.Unexpected, "where none is expected", "*", 2, 60},
		"it does not answer us":  {way.Settings{"name": "denied.pier.example"}, verdict.SignInFailed, "REFUSED", "", 0, 0},
		"it fails":               {way.Settings{"name": "broken.pier.example"}, verdict.ProtocolError, "an error: SERVFAIL", "", 0, 0},
		"it says nothing": {way.Settings{"name": "silent.pier.example", "timeout": "100ms"}, verdict.TimedOut, "within 100ms",
			"-", 0, 0},
	} {
		x := look(t, port, c.ask)
		assert.Equal(t, c.verdict, x.Verdict, "%s: %s", name, x.Says)
		assert.Contains(t, x.Says, c.says, name)
		if c.answer != "*" && c.answer != "-" {
			assert.Equal(t, c.answer, x.By["answer"].Text, name)
		}
		assert.Equal(t, c.records, x.By["records"].Num, name)
		assert.Equal(t, c.ttl, x.By["ttl"].Num, name)
		assert.Equal(t, c.answer != "-", x.Has("total"), name)
	}
}

func TestNoNameServer(t *testing.T) {
	u, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { u.Close() })
	go func() {
		buf := make([]byte, 2000)
		for {
			n, from, err := u.ReadFrom(buf)
			if err != nil {
				return
			}
			_, _ = u.WriteTo(buf[:min(n, 6)], from) // cut off
		}
	}()
	_, port, _ := net.SplitHostPort(u.LocalAddr().String())
	x := look(t, port, way.Settings{"name": "a.example"})
	assert.Equal(t, verdict.ProtocolError, x.Verdict)
	assert.Equal(t, "what comes is no answer of a name server", x.Says)
	gone, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	gone.Close()
	_, port, _ = net.SplitHostPort(gone.LocalAddr().String())
	x = look(t, port, way.Settings{"name": "a.example"})
	assert.Equal(t, verdict.Refused, x.Verdict, x.Says)
	_, errs := field.Check(Description.Ask, way.Settings{"name": strings.Repeat("a", 64) + ".example"})
	assert.NotEmpty(t, errs["name"], "a label has at most 63 characters (RFC 1035)")
}

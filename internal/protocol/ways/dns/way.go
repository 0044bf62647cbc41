// Package dns is the way to ask name servers (RFC 1035): whether they answer, with what, and how fast.
package dns

import (
	"context"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/miekg/dns"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

// types are the kinds of records that can be asked for, by what they are called.
var types = map[string]uint16{
	"A": dns.TypeA, "AAAA": dns.TypeAAAA, "CAA": dns.TypeCAA, "CNAME": dns.TypeCNAME, "DS": dns.TypeDS, "MX": dns.TypeMX, "NS": dns.TypeNS,
	"PTR": dns.TypePTR, "SOA": dns.TypeSOA, "SRV": dns.TypeSRV, "TLSA": dns.TypeTLSA, "TXT": dns.TypeTXT,
}

// Description is the way without what carries it out.
var Description = way.Way{
	Name:     "dns",
	Title:    "DNS lookup",
	About:    "Asks the device, which is a name server, for what a name stands for.",
	Endpoint: []field.Field{field.Port("DNS port", "53")},
	Ask: []field.Field{
		{Name: "name", Label: "Name", Kind: field.Text, Default: ".", Check: nameProblem,
			Help: "such as booking.kittiwake.example; an address for PTR"},
		{Name: "type", Label: "Kind of record", Kind: field.Choice, Default: "A", Choices: slices.Sorted(maps.Keys(types))},
		{Name: "expect", Label: "Expected in the answer", Kind: field.Text,
			Help: "values of records, several with commas between, each of which must be among them"},
		{Name: "none", Label: "No such record is expected", Kind: field.Choice, Choices: []string{"no", "yes"}, Default: "no"},
		{Name: "recurse", Label: "Let it ask others", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes"},
		{Name: "by", Label: "Asked by", Kind: field.Choice, Choices: []string{"UDP", "TCP"}, Default: "UDP"},
		{Name: "timeout", Label: "Wait for an answer", Kind: field.Duration, Default: "3s", Low: 0.05, High: 30},
	},
	Columns:  func(way.Settings) []way.Column { return columns },
	Requests: func(way.Settings, int) float64 { return 1 },
	Words: func(ask way.Settings, _ []way.Column) string {
		return fmt.Sprintf("The name server is asked for records %s of %s", ask["type"], ask["name"])
	},
	Facts: map[string]string{"answers:dns": "an answer to DNS"},
}

// columns are, besides those of every check: how many records the answer has, for how many seconds the first of them
// to run out may be kept, and their values.
var columns = append(ways.CheckColumns[:3:3], way.Column{As: "records"}, way.Column{As: "ttl"}, way.Column{As: "answer"})

// Way carries it out over a way to connect, which is asked for each connection.
func Way(by dial.Func) ways.Way { return ways.Way{Way: Description, Ask: asker{by}.ask} }

func nameProblem(value string) string {
	if _, ok := dns.IsDomainName(value); !ok && !placeholder(value) {
		return "Must be a name such as booking.kittiwake.example."
	}
	return ""
}

func placeholder(value string) bool { return strings.HasPrefix(value, "{") }

type asker struct{ by dial.Func }

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	at, err := q.At(q.Endpoint["port"])
	if err != nil {
		return derive.Fetched{}, err
	}
	question, err := questionOf(q)
	if err != nil {
		return derive.Fetched{}, err
	}
	patience := q.Ask.Duration("timeout")
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	q.Exchange.Sent(time.Now(), "%s, %s of %s", q.Ask["by"], q.Ask["type"], question.Question[0].Name)
	var checked ways.Checked
	began := time.Now()
	answer, err := a.exchange(ctx, question, at.String(), strings.ToLower(q.Ask["by"]))
	if err == nil {
		checked.Seconds("total", time.Since(began))
		err = judge(&checked, q, question, answer)
	}
	checked, unable := checked.Judged(err, patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
	return derive.Fetched{Rows: []derive.Row{checked.Row(columns)}}, nil
}

func questionOf(q way.Question) (*dns.Msg, error) {
	name := dns.Fqdn(q.Ask["name"])
	if q.Ask["type"] == "PTR" {
		if a, err := netip.ParseAddr(q.Ask["name"]); err == nil {
			if name, err = dns.ReverseAddr(a.String()); err != nil {
				return nil, err
			}
		}
	}
	m := new(dns.Msg)
	m.SetQuestion(name, types[q.Ask["type"]])
	m.RecursionDesired = q.Ask["recurse"] != "no"
	m.SetEdns0(1232, false) // what passes everywhere without being split (DNS flag day 2020)
	return m, nil
}

// exchange asks once; an answer that does not fit into a datagram is asked for again by TCP (RFC 7766).
func (a asker) exchange(ctx context.Context, m *dns.Msg, at, network string) (*dns.Msg, error) {
	conn, err := a.by(ctx, network, at)
	if err != nil {
		return nil, err
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Unix(1, 0)) })
	defer stop()
	answer, err := exchange(ctx, conn, m)
	if err == nil && answer.Truncated && network == "udp" {
		return a.exchange(ctx, m, at, "tcp")
	}
	return answer, err
}

// exchange sends a question and waits for the answer to it; what answers something else is passed over.
func exchange(ctx context.Context, conn net.Conn, m *dns.Msg) (*dns.Msg, error) {
	c := &dns.Conn{Conn: conn, UDPSize: 1232}
	if err := c.WriteMsg(m); err != nil {
		return nil, err
	}
	for {
		answer, err := c.ReadMsg()
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			if isDNS(err) {
				return nil, verdict.Fail(verdict.ProtocolError, "what comes is no answer of a name server")
			}
			return nil, err
		case answer.Id == m.Id && answer.Response && len(answer.Question) == 1 && asked(answer.Question[0], m.Question[0]):
			return answer, nil
		}
	}
}

// asked compares questions: servers may write a name in other letters.
func asked(a, b dns.Question) bool {
	return strings.EqualFold(a.Name, b.Name) && a.Qtype == b.Qtype && a.Qclass == b.Qclass
}

// isDNS tells whether an error is of reading a message, and not of the connection.
func isDNS(err error) bool {
	_, is := err.(*dns.Error) //nolint:errorlint // the library returns it as it is
	return is
}

// judge tells whether an answer is as expected.
func judge(c *ways.Checked, q way.Question, m, answer *dns.Msg) error {
	name := strings.TrimSuffix(m.Question[0].Name, ".")
	code := dns.RcodeToString[answer.Rcode]
	values, ttl := read(answer, m.Question[0].Qtype)
	c.Number("records", float64(len(values)))
	c.Text("answer", text.Some(values, mostValues))
	if len(values) > 0 {
		c.Number("ttl", float64(ttl))
	}
	none := answer.Rcode == dns.RcodeNameError || answer.Rcode == dns.RcodeSuccess && len(values) == 0
	switch {
	case none && q.Ask["none"] == "yes":
		c.Says = "there is no such record, as expected"
		return nil
	case answer.Rcode == dns.RcodeNameError:
		return verdict.Fail(verdict.NameNotFound, "the name server knows no "+name)
	case answer.Rcode == dns.RcodeRefused:
		return verdict.Fail(verdict.SignInFailed, "the name server does not answer us: REFUSED")
	case answer.Rcode != dns.RcodeSuccess:
		return verdict.Fail(verdict.ProtocolError, "the name server answers with an error: "+code)
	case none:
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("the name server knows %s, but has no record %s of it", name, q.Ask["type"]))
	case q.Ask["none"] == "yes":
		return verdict.Fail(verdict.Unexpected, "there is a record, where none is expected: "+text.Some(values, mostValues))
	}
	for want := range strings.SplitSeq(q.Ask["expect"], ",") {
		want = strings.TrimSpace(want)
		if want != "" && !slices.ContainsFunc(values, func(v string) bool { return same(v, want) }) {
			return verdict.Fail(verdict.Unexpected, fmt.Sprintf("%s is not among the answers: %s", want, text.Some(values, mostValues)))
		}
	}
	c.Says = "answers"
	return nil
}

// mostValues is how many values of records are told.
const mostValues = 8

// same compares values of records: names without regard to case and to the dot at their end.
func same(a, b string) bool {
	return strings.EqualFold(strings.TrimSuffix(a, "."), strings.TrimSuffix(b, "."))
}

// read are the values of the records of a kind, in order, and for how many seconds the first may be kept.
func read(answer *dns.Msg, kind uint16) (values []string, ttl uint32) {
	for _, rr := range answer.Answer {
		if rr.Header().Rrtype != kind {
			continue // such as the aliases on the way
		}
		value := strings.TrimPrefix(rr.String(), rr.Header().String())
		if t, ok := rr.(*dns.TXT); ok {
			value = strings.Join(t.Txt, "")
		}
		if len(values) == 0 || rr.Header().Ttl < ttl {
			ttl = rr.Header().Ttl
		}
		values = append(values, text.Brief(value, 200))
	}
	slices.Sort(values) // servers turn their order, so that each is used
	return values, ttl
}

package ways_test

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	client "tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/certificate"
	"tirelessowl/internal/protocol/ways/dns"
	"tirelessowl/internal/protocol/ways/http"
	"tirelessowl/internal/protocol/ways/icmp"
	"tirelessowl/internal/protocol/ways/ldap"
	"tirelessowl/internal/protocol/ways/mariadb"
	"tirelessowl/internal/protocol/ways/postgresql"
	"tirelessowl/internal/protocol/ways/signin"
	"tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/protocol/ways/tcp"
	"tirelessowl/internal/protocol/ways/waytest"
)

// all is every shipped way. A new one is added here and must pass what
// follows: it is what the rest of the application relies on.
func all(t *testing.T) ways.List {
	t.Helper()
	c, err := client.NewClient()
	require.NoError(t, err)
	t.Cleanup(func() { c.Close() })
	return ways.List{snmp.Way(c), tcp.Way}
}

const secret = "a-secret-of-the-pier"

// asked is a question by a way with its usual settings, for a port on loopback.
func asked(t *testing.T, w ways.Way, port int) way.Question {
	t.Helper()
	endpoint, errs := field.Check(w.Endpoint, nil)
	for name := range errs {
		require.Equal(t, "port", name, "a way must work as it is, but for its port")
	}
	endpoint["port"] = fmt.Sprint(port)
	if endpoint["timeout"] != "" {
		endpoint["timeout"], endpoint["retries"] = "100ms", "0"
	}
	wanted := way.Settings{}
	if w.Statement != "" {
		wanted["query"] = w.Statement
	}
	ask, errs := field.Check(w.Way.Ask, wanted)
	require.Empty(t, errs)
	if ask["timeout"] != "" {
		ask["timeout"], ask["count"] = "100ms", "1"
	}
	q := way.Question{
		Way:      w.Name,
		Address:  netip.MustParseAddr("127.93.0.1"),
		Endpoint: endpoint,
		Ask:      ask,
		Exchange: way.NewExchange(time.Now()),
	}
	if len(w.Credentials) > 0 {
		q.Credential = way.Opened{Kind: w.Credentials[0].Name, Settings: way.Settings{}, Secrets: domain.Secrets{}}
		for _, f := range w.Credentials[0].Fields {
			q.Credential.Secrets[f.Name] = secret
		}
	}
	if w.Columns != nil {
		q.Columns = w.Columns(ask)
	}
	if w.Statement != "" {
		q.Columns = []way.Column{{As: "verdict", Of: "@verdict"}, {As: "says", Of: "@says"}, {As: "total", Of: "@total"}}
	}
	if len(q.Columns) == 0 {
		q.Columns = []way.Column{{As: "name", Of: "1.3.6.1.2.1.1.5.0"}}
	}
	return q
}

func TestWaysAreDescribed(t *testing.T) {
	names := map[string]bool{}
	for _, w := range append(all(t), append(checks(t), icmp.Way(nil))...) {
		require.False(t, names[w.Name], w.Name)
		names[w.Name] = true
		assert.NotEmpty(t, w.Title, w.Name)
		assert.Regexp(t, `\.$`, w.About, "%s says in a sentence what it does", w.Name)
		fields := append(append([]field.Field{}, w.Endpoint...), w.Way.Ask...)
		for _, c := range w.Credentials {
			fields = append(fields, c.Fields...)
			for _, f := range c.Fields {
				assert.NotContains(t, []string{"name", "kind", "place", "ranges", "version"}, f.Name, "every credential has one of its own")
			}
			assert.NotEmpty(t, c.Title)
		}
		for _, f := range fields {
			assert.NotEmpty(t, f.Label, "%s %s", w.Name, f.Name)
			assert.NotEmpty(t, f.Kind, "%s %s", w.Name, f.Name)
			if f.Default != "" {
				assert.Empty(t, f.Problem(f.Default), "%s %s: its default is one of its values", w.Name, f.Name)
			}
		}
		q := asked(t, w, 1)
		assert.NotEmpty(t, w.Words(q.Ask, q.Columns), w.Name)
		assert.GreaterOrEqual(t, w.Requests(q.Ask, 0), 1.0, w.Name)
		assert.GreaterOrEqual(t, w.Requests(q.Ask, 1000), w.Requests(q.Ask, 1), w.Name)
		assert.True(t, w.Columns != nil || w.CheckColumn != nil, "%s: either the way or the source names columns", w.Name)
		for fact, words := range w.Facts {
			assert.NotEmpty(t, words, fact)
		}
	}
}

// peer is a bad neighbour on UDP and TCP: it answers every message with data.
func peer(t *testing.T, data []byte) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.93.0.1:0")
	require.NoError(t, err)
	port := l.Addr().(*net.TCPAddr).Port
	u, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.IPv4(127, 93, 0, 1), Port: port})
	require.NoError(t, err)
	t.Cleanup(func() { l.Close(); u.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				for len(data) > 0 {
					if _, err := c.Write(data); err != nil {
						return
					}
				}
				_, _ = c.Read(make([]byte, 1)) // says nothing until the other end leaves
			}()
		}
	}()
	go func() {
		buffer := make([]byte, 65536)
		for {
			_, from, err := u.ReadFromUDPAddrPort(buffer)
			if err != nil {
				return
			}
			for range 3 {
				_, _ = u.WriteToUDPAddrPort(data[:min(len(data), 60_000)], from)
			}
		}
	}()
	return port
}

// Whatever the other end does, an answer comes in bounded time, with rows as
// wide as the question, and without the secret.
func TestWaysStandBadNeighbours(t *testing.T) {
	endless := make([]byte, 1<<20)
	for i := range endless {
		endless[i] = byte(i * 7)
	}
	l, err := net.Listen("tcp", "127.93.0.1:0")
	require.NoError(t, err)
	closed := l.Addr().(*net.TCPAddr).Port
	l.Close()
	ports := map[string]int{
		"nobody":   closed,
		"silent":   peer(t, nil),
		"nonsense": peer(t, []byte("\x30\x82\xff\xff\x02\x01\x01\x00\xff%s%n")),
		"endless":  peer(t, endless),
	}
	for _, w := range all(t) {
		for name, port := range ports {
			t.Run(w.Name+" "+name, func(t *testing.T) {
				q := asked(t, w, port)
				start := time.Now()
				got := ways.List{w}.Ask(t.Context(), q)
				assert.Less(t, time.Since(start), 10*time.Second)
				for _, row := range got.Rows {
					assert.Len(t, row.Values, len(q.Columns))
				}
				if name == "nobody" {
					assert.NotEmpty(t, got.Error)
					assert.Equal(t, derive.Refused, got.Failure, "the machine is up, and says so")
					assert.False(t, got.NoAnswer)
				}
				assert.NotContains(t, fmt.Sprint(got.Error, q.Exchange.Lines), secret)
				assert.NotEmpty(t, q.Exchange.Lines, "a trial shows what went to and fro")
				assert.WithinDuration(t, start, got.At, time.Second)
			})
		}
	}
}

// Whoever stops waiting is not kept.
func TestWaysEndWithTheirContext(t *testing.T) {
	port := peer(t, nil)
	for _, w := range all(t) {
		q := asked(t, w, port)
		for _, s := range []way.Settings{q.Endpoint, q.Ask} {
			if s["timeout"] != "" {
				s["timeout"] = "60s"
			}
		}
		q.Ask["expect"] = "what never comes"
		ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
		start := time.Now()
		got := ways.List{w}.Ask(ctx, q)
		cancel()
		assert.Less(t, time.Since(start), 10*time.Second, w.Name)
		assert.NotEmpty(t, got.Error, w.Name)
	}
}

// One way that fails in itself takes nothing down with it.
func TestAWayThatPanicsIsAnError(t *testing.T) {
	list := ways.List{
		{Way: way.Way{Name: "broken"}, Ask: func(context.Context, way.Question) (derive.Fetched, error) { panic("nil map") }},
		{Way: way.Way{Name: "silent"}, Ask: func(context.Context, way.Question) (derive.Fetched, error) {
			return derive.Fetched{}, fmt.Errorf("asking: %w", ways.Fail(derive.Silent, errors.New("nothing came")))
		}},
	}
	got := list.Ask(t.Context(), way.Question{Way: "broken"})
	assert.Contains(t, got.Error, "nil map")
	assert.False(t, got.NoAnswer)
	got = list.Ask(t.Context(), way.Question{Way: "silent"})
	assert.Equal(t, "asking: nothing came", got.Error)
	assert.True(t, got.NoAnswer)
	got = list.Ask(t.Context(), way.Question{Way: "pigeon"})
	assert.Contains(t, got.Error, "pigeon")
	assert.Len(t, list.Described(), 2)
}

func TestProbeCountsWhatIsLost(t *testing.T) {
	answers := []error{nil, errors.New("lost"), nil, errors.New("lost")}
	n := 0
	row, err := ways.Probe(t.Context(), 4, func(context.Context) (time.Duration, error) {
		n++
		return time.Duration(n) * time.Millisecond, answers[n-1]
	})
	require.NoError(t, err, "some were answered")
	assert.InDelta(t, 0.002, row.Values[0].Num, 1e-12, "(1 ms + 3 ms) / 2")
	assert.Equal(t, 50.0, row.Values[1].Num)

	row, err = ways.Probe(t.Context(), 2, func(context.Context) (time.Duration, error) { return 0, errors.New("refused") })
	assert.EqualError(t, err, "refused")
	assert.Equal(t, derive.Missing, row.Values[0].Kind)
	assert.Equal(t, 100.0, row.Values[1].Num)
}

// A device that says a secret again has it stored nowhere and shown to nobody.
func TestASecretThatIsSaidAgainIsHidden(t *testing.T) {
	port := peer(t, []byte("no: "+secret+"\r\n"))
	q := asked(t, tcp.Way, port)
	q.Ask["send"], q.Ask["expect"], q.Hide = "AUTH "+secret, "welcome", []string{secret}
	got := ways.List{tcp.Way}.Ask(t.Context(), q)
	require.NotEmpty(t, got.Error)
	q.Ask["expect"] = "no"
	again := ways.List{tcp.Way}.Ask(t.Context(), q)
	require.Empty(t, again.Error)
	told := fmt.Sprint(got, again, q.Exchange.Lines)
	assert.Contains(t, told, way.Hidden)
	assert.NotContains(t, told, secret)
}

// checks are the ways that check a service: what is wrong with it is a value.
func checks(t *testing.T) ways.List {
	t.Helper()
	by := waytest.Loopback(t)
	return ways.List{dns.Way(by), http.Way(by), ldap.Way(by), certificate.Way(by), signin.Way(by),
		postgresql.Driver.Way(by), mariadb.Driver.Way(by)}
}

// askedAt is a question of a check to a port on loopback.
func askedAt(t *testing.T, w ways.Way, port int, timeout string) way.Question {
	t.Helper()
	q := asked(t, w, port)
	q.Ask["timeout"] = timeout
	url := fmt.Sprintf("http://{address}:%d/", port)
	for name, value := range map[string]string{"url": url, "port": fmt.Sprint(port), "name": "a.example"} {
		if slices.ContainsFunc(w.Way.Ask, func(f field.Field) bool { return f.Name == name }) {
			q.Ask[name] = value
		}
	}
	return q
}

func TestChecksTellWhatIsWrong(t *testing.T) {
	l, err := net.Listen("tcp", "127.93.0.1:0")
	require.NoError(t, err)
	closed := l.Addr().(*net.TCPAddr).Port
	l.Close()
	nonsense := []byte("\x30\x82\xff\xff\x02\x01\x01\x00\xff%s%n")
	endless := make([]byte, 1<<16)
	for name, c := range map[string]struct {
		port     int
		verdicts []verdict.Verdict
	}{
		"nobody":   {closed, []verdict.Verdict{verdict.Refused}},
		"silent":   {peer(t, nil), []verdict.Verdict{verdict.TimedOut, verdict.ProtocolError}},
		"nonsense": {peer(t, nonsense), []verdict.Verdict{verdict.ProtocolError, verdict.TLSFailed, verdict.TimedOut}},
		"endless":  {peer(t, endless), []verdict.Verdict{verdict.ProtocolError, verdict.TLSFailed, verdict.TimedOut}},
	} {
		for _, w := range checks(t) {
			t.Run(w.Name+" "+name, func(t *testing.T) {
				q := askedAt(t, w, c.port, "300ms")
				start := time.Now()
				got := ways.List{w}.Ask(t.Context(), q)
				assert.Less(t, time.Since(start), 10*time.Second)
				require.Empty(t, got.Error, "what is wrong with the service is no failure of asking")
				require.Len(t, got.Rows, 1)
				require.Len(t, got.Rows[0].Values, len(q.Columns))
				v := verdict.Verdict(got.Rows[0].Values[0].Num)
				assert.Contains(t, c.verdicts, v, got.Rows[0].Values[1].Text)
				assert.NotEmpty(t, got.Rows[0].Values[1].Text, "and why")
				assert.Equal(t, derive.Missing, got.Rows[0].Values[2].Kind, "it did not come to its end")
				assert.NotContains(t, fmt.Sprint(got, q.Exchange.Lines), secret)
				assert.NotEmpty(t, q.Exchange.Lines, "a trial shows what went to and fro")
			})
		}
	}
}

// What may not be talked to says nothing of the service, and whoever stops waiting is not kept.
func TestChecksKeepToTheirBounds(t *testing.T) {
	port := peer(t, nil)
	for _, w := range checks(t) {
		q := askedAt(t, w, port, "60s")
		ctx, cancel := context.WithTimeout(t.Context(), 100*time.Millisecond)
		start := time.Now()
		ways.List{w}.Ask(ctx, q)
		cancel()
		assert.Less(t, time.Since(start), 10*time.Second, w.Name)
		q.Address = netip.MustParseAddr("169.254.169.254")
		got := ways.List{w}.Ask(t.Context(), q)
		assert.Equal(t, derive.Unable, got.Failure, "%s: %s", w.Name, got.Error)
		assert.Empty(t, got.Rows)
	}
}

package sim

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var keeper = SignIn{"keeper", "rope & lamp"}

// offered serves one service on a port of its own, in a mode.
func offered(t *testing.T, take func(net.Conn, string), mode *string) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go take(c, *mode)
		}
	}()
	return l.Addr().String()
}

func TestThePortalLetsInWhoKnowsThePassword(t *testing.T) {
	mode := ""
	at := "http://" + offered(t, overHTTP(portal(keeper)), &mode)
	enter := func(password string) (status int, page string) {
		jar, _ := cookiejar.New(nil)
		c := &http.Client{Jar: jar, Timeout: 5 * time.Second}
		res, err := c.Get(at)
		if err != nil {
			return 0, err.Error()
		}
		res.Body.Close()
		res, err = c.PostForm(at+"/desk/sign-in", url.Values{"t": {portalToken}, "f1": {keeper.User}, "f2": {password}})
		require.NoError(t, err)
		defer res.Body.Close()
		body, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(body)
	}
	_, page := enter(keeper.Password)
	assert.Contains(t, page, "Welcome aboard")
	_, page = enter("no")
	assert.Contains(t, page, "User or password is wrong.")
	for m, c := range map[string]struct {
		status int
		says   string
	}{
		"nobody":    {200, "User or password is wrong."},
		"error":     {500, "Something went wrong"},
		"broken up": {200, "Welcome <em>aboard</em>"},
		"token":     {403, "Your visit has ended"},
		"loop":      {0, "stopped after 10 redirects"},
	} {
		mode = m
		status, page := enter(keeper.Password)
		assert.Equal(t, c.status, status, m)
		assert.Contains(t, page, c.says, m)
	}
}

func TestCertificatesFailAsToldAndAreTrustedElse(t *testing.T) {
	origin := time.Now().UTC()
	file := t.TempDir() + "/authority.pem"
	a, err := newAuthority(file, origin)
	require.NoError(t, err)
	again, err := newAuthority(file, origin)
	require.NoError(t, err)
	assert.Equal(t, a.pem, again.pem, "who trusts it goes on to do so")
	roots := x509.NewCertPool()
	require.True(t, roots.AppendCertsFromPEM(a.pem))
	mode := ""
	until := origin.Add(runsOut).Truncate(time.Second)
	at := offered(t, a.secured(origin, until, bookingPage), &mode)
	shake := func() (*tls.Conn, error) {
		return tls.Dial("tcp", at, &tls.Config{RootCAs: roots, ServerName: bookingName})
	}
	c, err := shake()
	require.NoError(t, err)
	assert.Equal(t, until, c.ConnectionState().PeerCertificates[0].NotAfter)
	c.Close()
	for m, says := range map[string]string{
		"expired":  "expired or is not yet valid: current time",
		"early":    "is before",
		"name":     "certificate is valid for timetable.kittiwake.example",
		"stranger": "unknown authority",
		"no chain": "unknown authority",
		"old":      "protocol version",
		"plain":    "does not look like a TLS handshake",
	} {
		mode = m
		_, err := shake()
		assert.ErrorContains(t, err, says, m)
	}
}

func TestTheDirectoryKnowsItsPeople(t *testing.T) {
	mode := ""
	at := offered(t, directory(keeper), &mode)
	bind := func(password string) error {
		l, err := ldap.DialURL("ldap://" + at)
		require.NoError(t, err)
		defer l.Close()
		if err := l.Bind(fmt.Sprintf(directoryBinds, keeper.User), password); err != nil {
			return err
		}
		found, err := l.Search(ldap.NewSearchRequest(directoryPeople, ldap.ScopeWholeSubtree, 0, 0, 0, false, "(uid=*)", nil, nil))
		if err == nil && len(found.Entries) == 0 {
			return fmt.Errorf("nobody is there")
		}
		return err
	}
	require.NoError(t, bind(keeper.Password))
	assert.True(t, ldap.IsErrorWithCode(bind("no"), ldap.LDAPResultInvalidCredentials))
	for m, code := range map[string]uint16{"nobody": ldap.LDAPResultInvalidCredentials, "old": ldap.LDAPResultProtocolError,
		"careful": ldap.LDAPResultConfidentialityRequired} {
		mode = m
		assert.True(t, ldap.IsErrorWithCode(bind(keeper.Password), code), m)
	}
	mode = "empty"
	assert.EqualError(t, bind(keeper.Password), "nobody is there")
}

func TestTheNameServerKnowsDevices(t *testing.T) {
	e := estate()
	mode := ""
	n := e.names()
	n.mode = func() string { return mode }
	c, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	server := &dns.Server{PacketConn: c, Handler: n}
	go func() { _ = server.ActivateAndServe() }()
	t.Cleanup(func() { c.Close() })
	ask := func(name string) *dns.Msg {
		m := new(dns.Msg)
		m.SetQuestion(name, dns.TypeA)
		res, _, err := new(dns.Client).Exchange(m, c.LocalAddr().String())
		require.NoError(t, err)
		return res
	}
	res := ask("Booking-Web-1.kittiwake.example.")
	require.Len(t, res.Answer, 1)
	assert.Equal(t, e.byName["booking-web-1"].Address.String(), res.Answer[0].(*dns.A).A.String())
	assert.Equal(t, dns.RcodeNameError, ask("nowhere.kittiwake.example.").Rcode)
	mode = "lies"
	assert.Equal(t, "192.0.2.66", ask("booking-web-1.kittiwake.example.").Answer[0].(*dns.A).A.String())
	mode = "fails"
	assert.Equal(t, dns.RcodeServerFailure, ask("booking-web-1.kittiwake.example.").Rcode)
}

func TestServicesComeAndGoWithTheirDevices(t *testing.T) {
	base := estate()
	base.base = estate().base
	require.NoError(t, base.serve(Settings{Watcher: keeper}))
	s := base.service("portal")
	s.Port = freeAt(t, s.device.Address.String())
	base.services = []*service{s}
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go base.serveServices(ctx)
	at := net.JoinHostPort(s.device.Address.String(), fmt.Sprint(s.Port))
	listens := func() bool {
		c, err := net.DialTimeout("tcp", at, time.Second)
		if err == nil {
			c.Close()
		}
		return err == nil
	}
	soon := func(is bool) {
		t.Helper()
		require.Eventually(t, func() bool { return listens() == is }, 10*time.Second, 20*time.Millisecond)
	}
	soon(true)
	f, err := base.faults.add(Fault{Kind: FaultService, Target: "portal", Mode: "closed"}, time.Now())
	require.NoError(t, err)
	soon(false)
	base.faults.remove(f.ID, time.Now())
	soon(true)
	f, err = base.faults.add(Fault{Kind: FaultStop, Target: "np-kiosk-1"}, time.Now())
	require.NoError(t, err)
	soon(false)
	base.faults.remove(f.ID, time.Now())
	wobble := Fault{Kind: FaultService, Target: "portal", Mode: "wobble"}
	assert.Equal(t, "there is no such service, or it cannot fail so", base.cannot(wobble))
	assert.Empty(t, base.cannot(Fault{Kind: FaultService, Target: "portal", Mode: "silent"}))
	res := httptest.NewRecorder()
	base.control().ServeHTTP(res, httptest.NewRequest("GET", "/services", nil))
	assert.Contains(t, res.Body.String(), `"title":"nobody can sign in, whatever the password"`)
	assert.NotContains(t, res.Body.String(), keeper.Password)
}

func freeAt(t *testing.T, host string) int {
	t.Helper()
	l, err := net.Listen("tcp", net.JoinHostPort(host, "0"))
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port
}

func TestTheBookingPageLies(t *testing.T) {
	mode := ""
	at := "http://" + offered(t, overHTTP(bookingPage), &mode)
	get := func() string {
		res, err := (&http.Client{Timeout: 3 * time.Second}).Get(at)
		if err != nil {
			return err.Error()
		}
		defer res.Body.Close()
		body, err := io.ReadAll(io.LimitReader(res.Body, 2000))
		if err != nil {
			return err.Error()
		}
		return res.Status + " " + string(body)
	}
	assert.Contains(t, get(), "Book your crossing")
	for m, says := range map[string]string{
		"lies": "200 OK <!doctype html><h1>It works", "error": "503", "loop": "stopped after 10 redirects", "nonsense": "malformed HTTP",
		"hangs up": "unexpected EOF", "broken up": "Book your\n  <b>crossing</b>", "endless": "and so on",
	} {
		mode = m
		assert.Contains(t, get(), says, m)
	}
}

package signin

import (
	"bufio"
	"context"
	"crypto/tls"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"net/url"

	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/protocol/fetch"
)

// notTold is a password that was not sent, since it must not go there.
type notTold struct{ said string }

func (n *notTold) Error() string { return n.said }

// telling marks connections over which a password goes.
type telling struct{}

// teller lets a form go only to where its password may.
type teller struct {
	*browser
	next http.RoundTripper
}

// RoundTrip sends one request. What is posted may hold the password, also when a redirect has it sent again.
func (t teller) RoundTrip(req *http.Request) (*http.Response, error) {
	if req.Method != http.MethodPost {
		return t.next.RoundTrip(req)
	}
	if t.Ask["proxy"] != "" && (req.URL.Scheme != "https" || t.Ask["verify"] == "no") {
		return nil, &notTold{"nothing was sent: a password goes through a proxy only by https, with a certificate that must hold"}
	}
	return t.next.RoundTrip(req.WithContext(context.WithValue(req.Context(), telling{}, true)))
}

// dial connects to the device itself for the name that the page is asked under, unless another place is asked for.
func (b *browser) dial(ctx context.Context, network, address string) (net.Conn, error) {
	by := b.by
	if b.Ask["proxy"] != "" {
		by = b.throughProxy
	}
	if b.Ask["to"] != toName {
		by = fetch.Pinned(by, b.first.Hostname(), b.Address)
	}
	conn, err := by(ctx, network, address)
	if err != nil || ctx.Value(telling{}) == nil {
		return conn, err
	}
	if err := b.mayTell(conn.RemoteAddr().String(), address); err != nil {
		conn.Close()
		return nil, err
	}
	return conn, nil
}

// mayTell holds back the password from addresses that its credential is not bound to.
func (b *browser) mayTell(to, asked string) error {
	if at, err := netip.ParseAddrPort(to); err == nil && b.Credential.MayGoTo(at.Addr(), b.Address) {
		return nil
	}
	return &notTold{fmt.Sprintf("nothing was sent: the form goes to %s, and the credential is not bound to where that is", asked)}
}

// tunnel is a connection through a proxy; what is at its other end counts as where it goes.
type tunnel struct {
	net.Conn
	read *bufio.Reader
	to   farEnd
}

type farEnd string

func (f farEnd) Network() string { return "tcp" }
func (f farEnd) String() string  { return string(f) }

func (t tunnel) Read(p []byte) (int, error) { return t.read.Read(p) }
func (t tunnel) RemoteAddr() net.Addr       { return t.to }

// throughProxy has a proxy connect to an address (RFC 9110, 9.3.6).
func (b *browser) throughProxy(ctx context.Context, network, address string) (net.Conn, error) {
	proxy, err := url.Parse(b.Ask["proxy"])
	if err != nil {
		return nil, err
	}
	port := proxy.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443"}[proxy.Scheme]
	}
	conn, err := b.by(ctx, network, net.JoinHostPort(proxy.Hostname(), port))
	if err != nil {
		return nil, err
	}
	if proxy.Scheme == "https" {
		conn = tls.Client(conn, &tls.Config{ServerName: proxy.Hostname()})
	}
	stop := context.AfterFunc(ctx, func() { conn.Close() })
	defer stop()
	req := &http.Request{Method: http.MethodConnect, URL: &url.URL{Opaque: address}, Host: address, Header: http.Header{}}
	if err := req.Write(conn); err != nil {
		conn.Close()
		return nil, err
	}
	read := bufio.NewReader(conn)
	res, err := http.ReadResponse(read, req)
	if err != nil {
		conn.Close()
		return nil, err
	}
	if res.StatusCode != http.StatusOK {
		conn.Close()
		return nil, verdict.Fail(verdict.ProtocolError, fmt.Sprintf("the proxy does not connect to %s: %s", address, res.Status))
	}
	return tunnel{conn, read, farEnd(address)}, nil
}

package certificate

import (
	"cmp"
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

type asker struct{ by dial.Func }

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	patience := q.Ask.Duration("timeout")
	var checked ways.Checked
	began := time.Now()
	state, err := a.connect(ctx, q, &tls.Config{})
	took := time.Since(began)
	if err == nil {
		checked.Seconds("total", took)
		describe(&checked, state, began)
		checked.Says = state.said()
		err = verify(q, state.PeerCertificates, began)
	}
	if err == nil && q.Ask["weak"] != "no" {
		a.weaknesses(ctx, q, &checked)
	}
	checked, unable := checked.Judged(err, patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
	return derive.Fetched{Rows: []derive.Row{checked.Row(columns)}}, nil
}

// secured is what came of a handshake.
type secured struct{ tls.ConnectionState }

// said is what holds, in words that do not change from day to day.
func (s secured) said() string {
	return fmt.Sprintf("%s, for %s", tls.VersionName(s.Version), namesOf(s.PeerCertificates[0]))
}

// connect makes a secure connection and closes it. Nothing is trusted yet: what came is verified afterwards, so that it is
// told in any case.
func (a asker) connect(ctx context.Context, q way.Question, config *tls.Config) (out secured, err error) {
	ctx, cancel := context.WithTimeout(ctx, q.Ask.Duration("timeout"))
	defer cancel()
	at, err := q.At(q.Ask["port"])
	if err != nil {
		return out, err
	}
	q.Exchange.Sent(time.Now(), "connect to %s", at)
	conn, err := a.by(ctx, "tcp", at.String())
	if err != nil {
		return out, err
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Unix(1, 0)) })
	defer stop()
	if err := startTLS(conn, q); err != nil {
		return out, err
	}
	config.InsecureSkipVerify = true //nolint:gosec // verified below
	config.ServerName = cmp.Or(q.Ask["name"], config.ServerName)
	var asked bool
	config.GetClientCertificate = func(*tls.CertificateRequestInfo) (*tls.Certificate, error) {
		asked = true
		return own(q)
	}
	secure := tls.Client(conn, config)
	if err := secure.HandshakeContext(ctx); err != nil {
		return out, handshake(ctx, err, asked, q)
	}
	if asked && q.Credential.Kind == "" {
		// With TLS 1.3 a server that wants a certificate says so only with what follows.
		if err := stays(secure); err != nil {
			return out, verdict.Fail(verdict.SignInFailed, "it asks for a certificate of the client, and takes no connection without one")
		}
	}
	out = secured{secure.ConnectionState()}
	q.Exchange.Got(time.Now(), "%s, %s", tls.VersionName(out.Version), tls.CipherSuiteName(out.CipherSuite))
	if len(out.PeerCertificates) == 0 {
		return out, verdict.Fail(verdict.TLSFailed, "it shows no certificate")
	}
	return out, nil
}

// stays tells whether a server keeps the connection when it was shown nothing.
func stays(secure net.Conn) error {
	_ = secure.SetReadDeadline(time.Now().Add(200 * time.Millisecond))
	_, err := secure.Read(make([]byte, 1))
	var timed net.Error
	if errors.As(err, &timed) && timed.Timeout() {
		return nil
	}
	return err
}

// own is the certificate of the client, or an empty one.
func own(q way.Question) (*tls.Certificate, error) {
	if q.Credential.Kind != client {
		return &tls.Certificate{}, nil
	}
	c, err := tls.X509KeyPair([]byte(way.Unescaped(q.Credential.Settings["certificate"])),
		[]byte(way.Unescaped(q.Credential.Secrets["key"].Reveal())))
	if err != nil {
		return nil, verdict.Fail(verdict.SignInFailed, "the client certificate and its key do not belong together, or cannot be read")
	}
	return &c, nil
}

// handshake says what kept a secure connection from coming about.
func handshake(ctx context.Context, err error, asked bool, q way.Question) error {
	var said *net.OpError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case asked && errors.As(err, &said) && said.Op == "remote error" && q.Credential.Kind == "":
		return verdict.Fail(verdict.SignInFailed, "it asks for a certificate of the client, and takes no connection without one")
	case asked && errors.As(err, &said) && said.Op == "remote error":
		return verdict.Fail(verdict.SignInFailed, "the certificate of the client is not taken: "+said.Err.Error())
	}
	return err
}

// describe notes what the certificates say.
func describe(c *ways.Checked, s secured, now time.Time) {
	leaf := s.PeerCertificates[0]
	first := leaf.NotAfter
	for _, x := range s.PeerCertificates {
		if x.NotAfter.Before(first) {
			first = x.NotAfter
		}
	}
	const day = 24 * time.Hour
	c.Number("days", leaf.NotAfter.Sub(now).Hours()/day.Hours())
	c.Number("chain_days", first.Sub(now).Hours()/day.Hours())
	c.Text("names", namesOf(leaf))
	c.Text("issuer", text.Brief(cmp.Or(leaf.Issuer.CommonName, leaf.Issuer.String()), mostShown))
	c.Text("until", leaf.NotAfter.UTC().Format("2006-01-02 15:04 UTC"))
	c.Text("version", tls.VersionName(s.Version))
}

// mostShown bounds what a certificate says, in bytes.
const mostShown = 200

// namesOf are whom a certificate is for.
func namesOf(c *x509.Certificate) string {
	var all []string
	for _, n := range c.DNSNames {
		all = append(all, text.Brief(n, mostShown))
	}
	for _, a := range c.IPAddresses {
		all = append(all, a.String())
	}
	if len(all) == 0 {
		return cmp.Or(text.Brief(c.Subject.CommonName, mostShown), "no name")
	}
	return text.Some(all, 5)
}

// verify tells whether certificates hold: in time, from an authority that is trusted, for the name that is asked for.
func verify(q way.Question, all []*x509.Certificate, now time.Time) error {
	options := x509.VerifyOptions{CurrentTime: now, Intermediates: x509.NewCertPool()}
	if typed := q.Ask["authorities"]; typed != "" {
		options.Roots = x509.NewCertPool()
		options.Roots.AppendCertsFromPEM([]byte(way.Unescaped(typed)))
	}
	for _, c := range all[1:] {
		options.Intermediates.AddCert(c)
	}
	leaf := all[0]
	switch {
	case now.After(leaf.NotAfter):
		return verdict.Fail(verdict.TLSFailed, "the certificate has run out on "+leaf.NotAfter.UTC().Format("2006-01-02 15:04 UTC"))
	case now.Before(leaf.NotBefore):
		return verdict.Fail(verdict.TLSFailed, "the certificate holds only from "+leaf.NotBefore.UTC().Format("2006-01-02 15:04 UTC"))
	}
	var unknown x509.UnknownAuthorityError
	if _, err := leaf.Verify(options); errors.As(err, &unknown) {
		return verdict.Fail(verdict.TLSFailed, "the certificate comes from an authority that is not trusted: "+
			text.Brief(cmp.Or(leaf.Issuer.CommonName, leaf.Issuer.String()), mostShown)+"; or what stands between is not shown")
	} else if err != nil {
		return verdict.Fail(verdict.TLSFailed, "the certificate does not hold: "+text.Brief(err.Error(), mostShown))
	}
	if err := leaf.VerifyHostname(cmp.Or(q.Ask["name"], "["+q.Address.Unmap().String()+"]")); err != nil {
		return verdict.Fail(verdict.TLSFailed,
			fmt.Sprintf("the certificate is for %s, and not for %s", namesOf(leaf), cmp.Or(q.Ask["name"], q.Address.Unmap().String())))
	}
	return nil
}

// weaknesses notes what is weak and offered all the same.
func (a asker) weaknesses(ctx context.Context, q way.Question, c *ways.Checked) {
	var found []string
	for _, w := range weaknesses {
		quiet := q
		quiet.Exchange = nil
		if _, err := a.connect(ctx, quiet, w.config()); err == nil {
			found = append(found, w.title)
		}
	}
	c.Number("weaknesses", float64(len(found)))
	c.Text("weak", cmp.Or(strings.Join(found, ", "), "nothing"))
	q.Exchange.Got(time.Now(), "weak and offered: %s", c.Texts["weak"])
}

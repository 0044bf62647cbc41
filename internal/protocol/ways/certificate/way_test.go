package certificate

import (
	"bufio"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

// signer makes certificates.
type signer struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

var serial int64

// make makes a certificate that a signer signs, or itself where there is none.
func (s *signer) make(t *testing.T, name string, change func(*x509.Certificate)) *signer {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	serial++
	c := &x509.Certificate{SerialNumber: big.NewInt(serial), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name},
		NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(12 * 24 * time.Hour)}
	if change != nil {
		change(c)
	}
	by := s
	if by == nil {
		by = &signer{c, key}
	}
	der, err := x509.CreateCertificate(rand.Reader, c, by.cert, &key.PublicKey, by.key)
	require.NoError(t, err)
	c, err = x509.ParseCertificate(der)
	require.NoError(t, err)
	return &signer{c, key}
}

func authority(c *x509.Certificate) {
	c.IsCA, c.BasicConstraintsValid, c.KeyUsage, c.DNSNames = true, true, x509.KeyUsageCertSign, nil
	c.NotAfter = time.Now().Add(1000 * 24 * time.Hour)
}

func (s *signer) pem() string {
	return string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.cert.Raw}))
}

func (s *signer) keyPEM(t *testing.T) string {
	t.Helper()
	der, err := x509.MarshalPKCS8PrivateKey(s.key)
	require.NoError(t, err)
	return string(pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: der}))
}

func shown(all ...*signer) tls.Certificate {
	out := tls.Certificate{PrivateKey: all[0].key}
	for _, s := range all {
		out.Certificate = append(out.Certificate, s.cert.Raw)
	}
	return out
}

// serve lets connections in, each with what comes before TLS, and returns the port.
func serve(t *testing.T, c *tls.Config, before func(net.Conn) bool) string {
	t.Helper()
	return waytest.Serve(t, func(conn net.Conn) {
		if before != nil && !before(conn) {
			return
		}
		secure := tls.Server(conn, c)
		if secure.Handshake() == nil {
			_, _ = secure.Read(make([]byte, 1))
		}
	})
}

func look(t *testing.T, ask way.Settings, c way.Opened) (verdict.Verdict, string, map[string]derive.Value) {
	t.Helper()
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, ask)
	q.Credential = c
	x := waytest.Look(t, w, ways.List{w}.Ask(t.Context(), q))
	return x.Verdict, x.Says, x.By
}

func TestACertificateThatHolds(t *testing.T) {
	root := (*signer)(nil).make(t, "Pier Root", authority)
	between := root.make(t, "Pier Between", func(c *x509.Certificate) { authority(c); c.NotAfter = time.Now().Add(5 * 24 * time.Hour) })
	leaf := between.make(t, "booking.pier.example", nil)
	port := serve(t, &tls.Config{Certificates: []tls.Certificate{shown(leaf, between)}, MinVersion: tls.VersionTLS12}, nil)
	ask := way.Settings{"port": port, "name": "booking.pier.example", "authorities": root.pem()}
	v, says, by := look(t, ask, way.Opened{})
	assert.Equal(t, verdict.Passes, v, says)
	assert.Equal(t, "TLS 1.3, for booking.pier.example", says)
	assert.InDelta(t, 12, by["days"].Num, 0.01)
	assert.InDelta(t, 5, by["chain_days"].Num, 0.01, "what stands between runs out first")
	assert.Equal(t, "Pier Between", by["issuer"].Text)
	assert.Equal(t, leaf.cert.NotAfter.UTC().Format("2006-01-02 15:04 UTC"), by["until"].Text)
	assert.Equal(t, "nothing", by["weak"].Text)
	assert.Zero(t, by["weaknesses"].Num)
	assert.Positive(t, by["total"].Num)
}

func TestWhatIsWrongWithACertificateIsToldApart(t *testing.T) {
	root := (*signer)(nil).make(t, "Pier Root", authority)
	between := root.make(t, "Pier Between", authority)
	const name = "booking.pier.example"
	past := func(c *x509.Certificate) {
		c.NotBefore, c.NotAfter = time.Now().Add(-72*time.Hour), time.Now().Add(-48*time.Hour)
	}
	later := func(c *x509.Certificate) { c.NotBefore = time.Now().Add(time.Hour) }
	for says, c := range map[string]struct {
		shown []*signer
		ask   way.Settings
	}{
		"the certificate has run out on ":                           {[]*signer{root.make(t, name, past)}, nil},
		"the certificate holds only from ":                          {[]*signer{root.make(t, name, later)}, nil},
		"the certificate is for other.example, and not for " + name: {[]*signer{root.make(t, "other.example", nil)}, nil},
		"not trusted: Pier Between; or what stands between":         {[]*signer{between.make(t, name, nil)}, nil},
		"not trusted: " + name:                                      {[]*signer{(*signer)(nil).make(t, name, nil)}, nil},
		"and not for 127.0.0.1":                                     {[]*signer{root.make(t, name, nil)}, way.Settings{"name": ""}},
	} {
		ask := way.Settings{"name": name, "authorities": root.pem(), "weak": "no"}
		for k, v := range c.ask {
			ask[k] = v
		}
		ask["port"] = serve(t, &tls.Config{Certificates: []tls.Certificate{shown(c.shown...)}}, nil) //nolint:gosec // a test
		v, told, by := look(t, ask, way.Opened{})
		assert.Equal(t, verdict.TLSFailed, v, told)
		assert.Contains(t, told, says)
		assert.Equal(t, derive.Gauge, by["days"].Kind, "how long it holds is told in any case")
	}
}

func TestServicesThatAreNone(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l.Close()
	gone := fmt.Sprint(l.Addr().(*net.TCPAddr).Port)
	v, _, by := look(t, way.Settings{"port": gone}, way.Opened{})
	assert.Equal(t, verdict.Refused, v)
	assert.Equal(t, derive.Missing, by["days"].Kind)
	plain := serve(t, nil, func(c net.Conn) bool {
		_, _ = c.Write([]byte("220 mail.pier.example\r\n"))
		time.Sleep(time.Second)
		return false
	})
	v, says, _ := look(t, way.Settings{"port": plain}, way.Opened{})
	assert.Equal(t, verdict.TLSFailed, v)
	assert.Equal(t, "what answers there does not speak TLS", says)
	silent := serve(t, nil, func(net.Conn) bool { time.Sleep(time.Second); return false })
	v, says, _ = look(t, way.Settings{"port": silent, "timeout": "150ms"}, way.Opened{})
	assert.Equal(t, verdict.TimedOut, v, says)
	assert.Equal(t, "it does not answer within 150ms", says)
}

func TestWhatIsWeakIsFound(t *testing.T) {
	root := (*signer)(nil).make(t, "Pier Root", authority)
	leaf := root.make(t, "old.pier.example", nil)
	port := serve(t, &tls.Config{Certificates: []tls.Certificate{shown(leaf)}, MinVersion: tls.VersionTLS10}, nil) //nolint:gosec // weak
	v, says, by := look(t, way.Settings{"port": port, "name": "old.pier.example", "authorities": root.pem()}, way.Opened{})
	assert.Equal(t, verdict.Passes, v, "what is weak is judged by itself")
	assert.Equal(t, "TLS 1.3, for old.pier.example", says)
	assert.Equal(t, "TLS 1.0, TLS 1.1", by["weak"].Text, "a key on a curve has no suites without forward secrecy")
	assert.Equal(t, 2.0, by["weaknesses"].Num)
}

func TestAClientShowsWhoItIs(t *testing.T) {
	root := (*signer)(nil).make(t, "Pier Root", authority)
	leaf, mine := root.make(t, "gate.pier.example", nil), root.make(t, "owl", func(c *x509.Certificate) {
		c.ExtKeyUsage = []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth}
	})
	stranger := (*signer)(nil).make(t, "stranger", nil)
	trusted := x509.NewCertPool()
	trusted.AddCert(root.cert)
	for _, most := range []uint16{tls.VersionTLS12, tls.VersionTLS13} {
		port := serve(t, &tls.Config{Certificates: []tls.Certificate{shown(leaf)}, ClientCAs: trusted, //nolint:gosec // a test
			ClientAuth: tls.RequireAndVerifyClientCert, MaxVersion: most}, nil)
		ask := way.Settings{"port": port, "name": "gate.pier.example", "authorities": root.pem(), "weak": "no"}
		with := func(s *signer) way.Opened {
			return way.Opened{Kind: client, Settings: way.Settings{"certificate": s.pem()},
				Secrets: domain.Secrets{"key": domain.Secret(s.keyPEM(t))}}
		}
		v, says, _ := look(t, ask, way.Opened{})
		assert.Equal(t, verdict.SignInFailed, v, "%x %s", most, says)
		assert.Contains(t, says, "it asks for a certificate of the client")
		v, says, _ = look(t, ask, with(mine))
		assert.Equal(t, verdict.Passes, v, says)
		if most == tls.VersionTLS12 { // with TLS 1.3 the refusal comes behind the handshake
			v, says, _ = look(t, ask, with(stranger))
			assert.Equal(t, verdict.SignInFailed, v, says)
			assert.Contains(t, says, "is not taken")
		}
		odd := with(mine)
		odd.Settings["certificate"] = stranger.pem()
		v, says, _ = look(t, ask, odd)
		assert.Equal(t, verdict.SignInFailed, v, says)
		assert.Contains(t, says, "do not belong together")
	}
}

func TestTLSBeginsLater(t *testing.T) {
	root := (*signer)(nil).make(t, "Pier Root", authority)
	config := &tls.Config{Certificates: []tls.Certificate{shown(root.make(t, "mail.pier.example", nil))}, MinVersion: tls.VersionTLS12}
	ask := func(port, begin string) (verdict.Verdict, string) {
		settings := way.Settings{"port": port, "begin": begin, "name": "mail.pier.example", "authorities": root.pem(), "weak": "no"}
		v, says, _ := look(t, settings, way.Opened{})
		return v, says
	}
	mail := func(last string) func(net.Conn) bool {
		return func(c net.Conn) bool {
			lines := bufio.NewScanner(c)
			fmt.Fprint(c, "220-mail.pier.example\r\n220 ready\r\n")
			lines.Scan()
			fmt.Fprint(c, "250-mail.pier.example\r\n250 STARTTLS\r\n")
			lines.Scan()
			fmt.Fprint(c, last+"\r\n")
			return strings.HasPrefix(last, "220") && lines.Text() == "STARTTLS"
		}
	}
	v, says := ask(serve(t, config, mail("220 go on")), smtp)
	assert.Equal(t, verdict.Passes, v, says)
	v, says = ask(serve(t, config, mail("454 not now")), smtp)
	assert.Equal(t, verdict.ProtocolError, v)
	assert.Contains(t, says, "“not now”")

	directory := func(answer ...byte) func(net.Conn) bool {
		return func(c net.Conn) bool {
			n, _ := c.Read(make([]byte, 100))
			_, _ = c.Write(answer)
			return n == 31 && answer[len(answer)-1] == 0 // else it leaves
		}
	}
	v, says = ask(serve(t, config, directory(0x30, 0x0c, 2, 1, 1, 0x78, 7, 0x0a, 1, 0, 4, 0, 4, 0)), ldap)
	assert.Equal(t, verdict.Passes, v, says)
	long := directory(0x30, 0x84, 0, 0, 0, 0x10, 2, 1, 1, 0x78, 0x84, 0, 0, 0, 7, 0x0a, 1, 0, 4, 0, 4, 0)
	v, says = ask(serve(t, config, long), ldap)
	assert.Equal(t, verdict.Passes, v, "lengths may be written long: %s", says)
	odd := [][]byte{{0x30, 0x84, 0, 0, 0, 0x0c}, {0x30, 0x84, 0x7f, 0xff, 0xff, 0xff}, {0x30, 0x89}, []byte("HTTP/1.1 400\r\n\r\n")}
	for _, odd := range odd {
		v, says = ask(serve(t, config, directory(odd...)), ldap)
		assert.Equal(t, verdict.ProtocolError, v, says)
	}
	v, says = ask(serve(t, config, directory(0x30, 0x0c, 2, 1, 1, 0x78, 7, 0x0a, 1, 2, 4, 0, 4, 0)), ldap)
	assert.Equal(t, verdict.ProtocolError, v)
	assert.Equal(t, "the directory begins no TLS: its result is 2", says)
}

func FuzzResultOf(f *testing.F) {
	f.Add([]byte{2, 1, 1, 0x78, 7, 0x0a, 1, 0, 4, 0, 4, 0})
	f.Add([]byte{2, 1, 1, 0x78})
	f.Fuzz(func(_ *testing.T, body []byte) { _ = resultOf(body) })
}

package sim

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"os"
	"time"
)

// secureModes are the usual faults of TLS.
var secureModes = []Mode{
	{"expired", "its certificate has run out"},
	{"early", "its certificate does not hold yet"},
	{"name", "its certificate is for another name"},
	{"stranger", "its certificate comes from an authority that nobody knows"},
	{"no chain", "it does not show the certificate in between"},
	{"old", "it speaks TLS 1.0 and 1.1 alone"},
	{"weak", "it offers a cipher suite that is weak"},
	{"client", "it wants a certificate of whoever comes"},
	{"plain", "it speaks no TLS any more"},
}

// authority signs the certificates of the estate, by one in between.
type authority struct {
	root, between *x509.Certificate
	key           *ecdsa.PrivateKey
	pem           []byte // of the root
}

// newAuthority reads the authority from a file, or makes it and keeps it there, so that who trusts it goes on to do so.
func newAuthority(file string, now time.Time) (*authority, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		if text, err = makeAuthority(now); err != nil {
			return nil, err
		}
		if file != "" {
			if err := os.WriteFile(file, text, 0o600); err != nil {
				return nil, err
			}
		}
	}
	a, err := readAuthority(text)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return a, nil
}

func readAuthority(text []byte) (*authority, error) {
	a := &authority{}
	var certificates []*x509.Certificate
	for block, rest := pem.Decode(text); block != nil; block, rest = pem.Decode(rest) {
		if block.Type == "CERTIFICATE" {
			c, err := x509.ParseCertificate(block.Bytes)
			if err != nil {
				return nil, err
			}
			certificates = append(certificates, c)
			continue
		}
		key, err := x509.ParseECPrivateKey(block.Bytes)
		if err != nil {
			return nil, err
		}
		a.key = key
	}
	if len(certificates) != 2 || a.key == nil {
		return nil, errors.New("it holds no authority")
	}
	a.root, a.between = certificates[0], certificates[1]
	a.pem = pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: a.root.Raw})
	return a, nil
}

const authorityYears = 10

// makeAuthority makes a root, a certificate in between that it signs, and the key of both.
func makeAuthority(now time.Time) ([]byte, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	plan := func(name string, serial int64) *x509.Certificate {
		return &x509.Certificate{SerialNumber: big.NewInt(serial),
			Subject:   pkix.Name{CommonName: name, Organization: []string{"Kittiwake Line"}},
			NotBefore: now.AddDate(0, -1, 0), NotAfter: now.AddDate(authorityYears, 0, 0), IsCA: true, BasicConstraintsValid: true,
			KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageCRLSign}
	}
	root := plan("Kittiwake Line authority", 1)
	rootRaw, err := x509.CreateCertificate(rand.Reader, root, root, key.Public(), key)
	if err != nil {
		return nil, err
	}
	betweenRaw, err := x509.CreateCertificate(rand.Reader, plan("Kittiwake Line services", 2), root, key.Public(), key)
	if err != nil {
		return nil, err
	}
	keyRaw, err := x509.MarshalECPrivateKey(key)
	if err != nil {
		return nil, err
	}
	out := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: rootRaw})
	out = append(out, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: betweenRaw})...)
	return append(out, pem.EncodeToMemory(&pem.Block{Type: "EC PRIVATE KEY", Bytes: keyRaw})...), nil
}

// certificate signs one for a name.
func (a *authority) certificate(name string, from, until time.Time, by *x509.Certificate, key *ecdsa.PrivateKey) (tls.Certificate, error) {
	plan := &x509.Certificate{SerialNumber: big.NewInt(until.Unix()), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name},
		NotBefore: from, NotAfter: until, KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	raw, err := x509.CreateCertificate(rand.Reader, plan, by, a.key.Public(), key)
	return tls.Certificate{Certificate: [][]byte{raw, a.between.Raw}, PrivateKey: a.key}, err
}

// bookingName is the name of the booking site.
const bookingName = "book.kittiwake.example"

// secured is the booking site by TLS. Its certificate runs out at a moment, which is a story of the estate.
func (a *authority) secured(origin, until time.Time, page func(mode string) http.Handler) func(net.Conn, string) {
	serve := overHTTP(func(string) http.Handler { return page("") })
	return func(c net.Conn, mode string) {
		if mode == "plain" {
			serve(c, "")
			return
		}
		config, err := a.config(origin, until, mode)
		if err != nil {
			c.Close()
			return
		}
		serve(tls.Server(c, config), "")
	}
}

func (a *authority) config(origin, until time.Time, mode string) (*tls.Config, error) {
	name, from, by, key := bookingName, origin.AddDate(0, -3, 0), a.between, a.key
	switch mode {
	case "expired":
		until = time.Now().Add(-26 * time.Hour)
	case "early":
		from = time.Now().Add(26 * time.Hour)
	case "name":
		name = "timetable.kittiwake.example"
	case "stranger":
		other, err := makeAuthority(origin)
		if err != nil {
			return nil, err
		}
		strange, err := readAuthority(other)
		if err != nil {
			return nil, err
		}
		by, key = strange.root, strange.key
	}
	certificate, err := a.certificate(name, from, until, by, key)
	if mode == "no chain" || mode == "stranger" {
		certificate.Certificate = certificate.Certificate[:1]
	}
	config := &tls.Config{Certificates: []tls.Certificate{certificate}, MinVersion: tls.VersionTLS12}
	switch mode {
	case "old":
		config.MinVersion, config.MaxVersion = tls.VersionTLS10, tls.VersionTLS11 //nolint:gosec // that is the fault
	case "weak":
		config.MaxVersion = tls.VersionTLS12
		config.CipherSuites = []uint16{tls.TLS_ECDHE_ECDSA_WITH_RC4_128_SHA, tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256}
	case "client":
		config.ClientAuth, config.MaxVersion = tls.RequireAnyClientCert, tls.VersionTLS12
	}
	return config, err
}

package app

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"log/slog"
	"math/big"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// certify writes a certificate of this machine with its key.
func certify(t *testing.T, dir string, serial int64) (file, key string, roots *x509.CertPool) {
	t.Helper()
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	is := &x509.Certificate{
		SerialNumber: big.NewInt(serial),
		Subject:      pkix.Name{CommonName: "owl.example"},
		NotBefore:    time.Now().Add(-time.Hour),
		NotAfter:     time.Now().Add(time.Hour),
		IPAddresses:  []net.IP{net.IPv4(127, 0, 0, 1)},
	}
	der, err := x509.CreateCertificate(rand.Reader, is, is, private.Public(), private)
	require.NoError(t, err)
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	require.NoError(t, err)
	file, key = filepath.Join(dir, "cert.pem"), filepath.Join(dir, "key.pem")
	require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: der}), 0o600))
	require.NoError(t, os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600))
	parsed, err := x509.ParseCertificate(der)
	require.NoError(t, err)
	roots = x509.NewCertPool()
	roots.AddCert(parsed)
	return file, key, roots
}

// A certificate that is exchanged is taken up; one that cannot be used is not.
func TestCertificatesAreReadAgain(t *testing.T) {
	dir, now := t.TempDir(), time.Now()
	file, key, _ := certify(t, dir, 1)
	c, err := openCertificate(file, key, func() time.Time { return now }, slog.New(slog.NewTextHandler(t.Output(), nil)))
	require.NoError(t, err)
	serial := func() int64 {
		got, err := c.get(nil)
		require.NoError(t, err)
		return got.Leaf.SerialNumber.Int64()
	}
	assert.Equal(t, int64(1), serial())
	certify(t, dir, 2)
	later := now.Add(time.Minute) // file systems may tell times coarsely
	require.NoError(t, os.Chtimes(file, later, later))
	assert.Equal(t, int64(1), serial(), "it is not looked at each connection")
	now = now.Add(lookAgain)
	assert.Equal(t, int64(2), serial())
	require.NoError(t, os.WriteFile(file, []byte("half of a certi"), 0o600))
	now = now.Add(lookAgain)
	assert.Equal(t, int64(2), serial(), "the one before stays")
	require.NoError(t, os.Remove(file))
	now = now.Add(lookAgain)
	assert.Equal(t, int64(2), serial())
	certify(t, dir, 3)
	now = now.Add(lookAgain)
	assert.Equal(t, int64(3), serial())
	_, err = openCertificate(filepath.Join(dir, "none"), key, time.Now, nil)
	assert.Error(t, err)
}

// Over TLS cookies belong to this host alone, and browsers are told to ask for nothing else.
func TestHTTPSOfOurOwn(t *testing.T) {
	r := build(t)
	_, err := r.People.Enrol(t.Context(), testkit.Anyone, people.Draft{Name: "ines", Secret: "night-watch"}, domain.AccessAdminister)
	require.NoError(t, err)
	var roots *x509.CertPool
	r.Config.Certificate, r.Config.Key, roots = certify(t, t.TempDir(), 1)
	r.Config.URL = strings.Replace(r.url, "http:", "https:", 1)
	r.run(t, nil)
	client := &http.Client{
		Transport:     &http.Transport{TLSClientConfig: &tls.Config{RootCAs: roots}, ForceAttemptHTTP2: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	form := url.Values{"name": {"ines"}, "password": {"night-watch"}, "trust": {"yes"}}
	res, err := client.PostForm(r.Config.URL+"/signin", form)
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, http.StatusSeeOther, res.StatusCode)
	assert.Equal(t, 2, res.ProtoMajor)
	assert.NotEmpty(t, res.Header.Get("Strict-Transport-Security"))
	named := map[string]bool{}
	for _, c := range res.Cookies() {
		named[c.Name] = c.Secure && c.HttpOnly
	}
	assert.True(t, named["__Host-owl"], "%v", named)
	plain, err := http.Get(r.url + "/signin")
	require.NoError(t, err)
	defer plain.Body.Close()
	assert.Equal(t, http.StatusBadRequest, plain.StatusCode, "nothing is told in the clear")
	old := &tls.Config{RootCAs: roots, MaxVersion: tls.VersionTLS11, MinVersion: tls.VersionTLS10}
	_, err = tls.Dial("tcp", strings.TrimPrefix(r.url, "http://"), old)
	assert.ErrorContains(t, err, "protocol version")
	res, err = client.Get(r.Config.URL + "/api/v1/places")
	require.NoError(t, err)
	defer res.Body.Close()
	assert.Equal(t, http.StatusUnauthorized, res.StatusCode)
}

// Asked by a name that is not ours, nothing is answered.
func TestAnotherNameIsNotAnswered(t *testing.T) {
	r := start(t)
	for _, path := range []string{"/signin", "/api/v1/places", "/static/owl.js", "/healthz"} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, r.url+path, nil)
		require.NoError(t, err)
		req.Host = "evil.example"
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, http.StatusMisdirectedRequest, res.StatusCode, path)
	}
}

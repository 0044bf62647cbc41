package certificate

import "crypto/tls"

// weakness is something that no service should offer any more, as far as the TLS of Go can still ask for it: TLS 1.0 and
// 1.1 (deprecated by RFC 8996), and with TLS 1.2 the suites that Go lists as insecure. SSL 3.0, export and anonymous
// suites cannot be asked for, and are not told.
type weakness struct {
	title   string
	version uint16
	suites  func(*tls.CipherSuite) bool
}

var weaknesses = []weakness{
	{"TLS 1.0", tls.VersionTLS10, nil},
	{"TLS 1.1", tls.VersionTLS11, nil},
	{"ciphers without forward secrecy", tls.VersionTLS12, func(c *tls.CipherSuite) bool { return !named(c, "ECDHE") }},
	{"RC4 or 3DES", tls.VersionTLS12, func(c *tls.CipherSuite) bool { return named(c, "RC4") || named(c, "3DES") }},
}

// config asks for the weakness and for nothing else.
func (w weakness) config() *tls.Config {
	out := &tls.Config{MinVersion: w.version, MaxVersion: w.version} //nolint:gosec // to find what is weak
	for _, list := range [][]*tls.CipherSuite{tls.CipherSuites(), tls.InsecureCipherSuites()} {
		for _, c := range list {
			if w.suites == nil || w.suites(c) {
				out.CipherSuites = append(out.CipherSuites, c.ID)
			}
		}
	}
	return out
}

// Package certificate is the way to look at certificates and at the secure connections that a service offers: TLS
// (RFC 8446, RFC 5246), at once or after STARTTLS (RFC 3207, RFC 4511).
package certificate

import (
	"crypto/x509"
	"fmt"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

// How the secure connection begins.
const (
	atOnce = "at once"
	smtp   = "SMTP"
	ldap   = "LDAP"
)

// client is the kind of credential with which a client shows who it is.
const client = "client-certificate"

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  "tls",
	Title: "TLS certificate",
	About: "Makes a secure connection, and looks at the certificates and at how well it is secured.",
	Credentials: []way.Credential{{Name: client, Title: "Client certificate", Fields: []field.Field{
		{Name: "certificate", Label: "Certificate", Kind: field.Text, Required: true, Help: "PEM, with those above it", Check: pemProblem},
		{Name: "key", Label: "Key", Kind: field.Secret, Required: true, Help: "PEM"},
	}}},
	Ask: []field.Field{
		field.Port("Port", "443"),
		{Name: "name", Label: "Name that is asked for", Kind: field.Text,
			Help: "sent to the server (SNI), and what the certificate must be for; empty for the address"},
		{Name: "begin", Label: "The secure connection begins", Kind: field.Choice, Choices: []string{atOnce, smtp, ldap}, Default: atOnce,
			Labels: map[string]string{smtp: "after STARTTLS of SMTP", ldap: "after StartTLS of LDAP"}},
		{Name: "authorities", Label: "Authorities that are trusted", Kind: field.Text, Check: pemProblem, Most: 64 << 10,
			Help: "PEM; empty for those that this machine trusts"},
		{Name: "weak", Label: "Look for weak versions and ciphers", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes"},
		{Name: "timeout", Label: "Wait for each connection", Kind: field.Duration, Default: "5s", Low: 0.1, High: 60},
	},
	Columns: func(way.Settings) []way.Column { return columns },
	Requests: func(ask way.Settings, _ int) float64 {
		if ask["weak"] == "no" {
			return 1
		}
		return 1 + float64(len(weaknesses))
	},
	Words: func(ask way.Settings, _ []way.Column) string {
		return fmt.Sprintf("A secure connection to port %s brings the certificates, which are checked", ask["port"])
	},
	Facts: map[string]string{"answers:tls": "a secure connection (TLS)"},
}

// columns are, besides those of every check: the days that the certificate holds on, and the first of its chain to run
// out does; for whom it is, from whom, until when; the version of the protocol; what is weak and still offered, and
// how much that is.
var columns = append(ways.CheckColumns[:3:3],
	way.Column{As: "days"}, way.Column{As: "chain_days"}, way.Column{As: "names"}, way.Column{As: "issuer"},
	way.Column{As: "until"}, way.Column{As: "version"}, way.Column{As: "weak"}, way.Column{As: "weaknesses"},
)

// Way carries it out over a way to connect, which is asked for each connection.
func Way(by dial.Func) ways.Way { return ways.Way{Way: Description, Ask: asker{by}.ask} }

func pemProblem(value string) string {
	if !x509.NewCertPool().AppendCertsFromPEM([]byte(way.Unescaped(value))) || !strings.Contains(value, "-----BEGIN") {
		return "Must hold certificates in PEM, from -----BEGIN CERTIFICATE----- on."
	}
	return ""
}

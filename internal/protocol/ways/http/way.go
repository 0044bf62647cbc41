// Package http is the way to collect by HTTP (RFC 9110): whether a page comes as it should, how long each phase takes,
// and what is in it.
package http

import (
	"fmt"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/fetch"
	"tirelessowl/internal/protocol/ways"
)

// Where the connection is made to.
const (
	toDevice = "device"
	toName   = "name"
)

// The kinds of credential.
const (
	basic  = "http-basic"
	bearer = "http-bearer"
)

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  "http",
	Title: "HTTP",
	About: "Fetches a page by HTTP or HTTPS, times each phase, and tells whether it is as it should be.",
	Credentials: []way.Credential{
		{Name: basic, Title: "HTTP user and password", Fields: []field.Field{
			{Name: "user", Label: "User", Kind: field.Text, Required: true},
			{Name: "password", Label: "Password", Kind: field.Secret, Required: true},
		}},
		{Name: bearer, Title: "HTTP token", Fields: []field.Field{
			{Name: "token", Label: "Token", Kind: field.Secret, Required: true, Help: "sent as Authorization: Bearer"},
		}},
	},
	Ask: []field.Field{
		{Name: "url", Label: "Address of the page", Kind: field.Text, Default: "http://{address}/", Check: fetch.URLProblem,
			Help: "such as https://{address}:8443/health; {address} stands for that of the device"},
		{Name: "to", Label: "Connect to", Kind: field.Choice, Choices: []string{toDevice, toName}, Default: toDevice,
			Labels: map[string]string{toDevice: "the device's address", toName: "what the name stands for"}},
		{Name: "method", Label: "Method", Kind: field.Choice, Default: "GET",
			Choices: []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}},
		{Name: "headers", Label: "Headers", Kind: field.Text, Help: `Name: value, several with \n between`, Check: fetch.HeadersProblem},
		{Name: "body", Label: "Body", Kind: field.Text, Help: `\r and \n are understood`},
		{Name: "status", Label: "Expected status", Kind: field.Text, Default: "200-299", Check: fetch.StatusProblem,
			Help: "codes and ranges, such as 200-299, 401"},
		{Name: "contains", Label: "Text that must be there", Kind: field.Text},
		{Name: "lacks", Label: "Text that must not be there", Kind: field.Text},
		{Name: "pattern", Label: "Pattern that must fit", Kind: field.Text, Check: fetch.PatternProblem,
			Help: "a regular expression (RE2)"},
		{Name: "redirects", Label: "Redirects that are followed", Kind: field.Whole, Default: "5", Low: 0, High: 10},
		{Name: "proxy", Label: "Proxy", Kind: field.Text, Check: fetch.ProxyProblem,
			Help: "such as http://192.0.2.8:3128; empty for none"},
		{Name: "verify", Label: "The certificate must hold", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes"},
		{Name: "timeout", Label: "Wait for all of it", Kind: field.Duration, Default: "10s", Low: 0.1, High: 60},
	},
	Columns:  func(way.Settings) []way.Column { return columns },
	Requests: func(way.Settings, int) float64 { return 1 },
	Words: func(ask way.Settings, _ []way.Column) string {
		return fmt.Sprintf("%s %s; the answer is judged, and each phase timed", ask["method"], ask["url"])
	},
	Facts: map[string]string{"answers:http": "an answer to HTTP"},
}

// columns are, besides those of every check: the status; the seconds that the lookup of the name, connecting, TLS and
// waiting for the first byte took, over all redirects; the bytes of the body, the body itself, and how many redirects
// were followed.
var columns = append(ways.CheckColumns[:3:3],
	way.Column{As: "status"}, way.Column{As: "lookup"}, way.Column{As: "connect"}, way.Column{As: "tls"},
	way.Column{As: "first"}, way.Column{As: "size"}, way.Column{As: "body"}, way.Column{As: "redirects"},
)

// Way carries it out over a way to connect, which is asked for each connection.
func Way(by dial.Func) ways.Way {
	return ways.Way{Way: Description, Ask: asker{by}.ask}
}

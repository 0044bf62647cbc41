// Package signin is the way to check whether people can sign in at a page: it fetches the page, finds the form, sends it
// as a browser would, and judges what comes.
package signin

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

// account is the kind of credential: who signs in.
const account = "web-sign-in"

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  "sign-in",
	Title: "Web sign-in",
	About: "Signs in at a page by its form, as people do in a browser, and judges the page that comes then.",
	Credentials: []way.Credential{{Name: account, Title: "Sign-in of a web page", Fields: []field.Field{
		{Name: "user", Label: "User", Kind: field.Text, Required: true},
		{Name: "password", Label: "Password", Kind: field.Secret, Required: true},
	}}},
	NeedsCredential: true,
	Ask: []field.Field{
		{Name: "url", Label: "Page with the form", Kind: field.Text, Default: "https://{address}/", Check: fetch.URLProblem,
			Help: "such as https://{address}:8443/login; {address} stands for that of the device"},
		{Name: "to", Label: "Connect to", Kind: field.Choice, Choices: []string{toDevice, toName}, Default: toDevice,
			Labels: map[string]string{toDevice: "the device's address", toName: "what the name stands for"},
			Help:   "the password goes only to addresses that its credential is bound to"},
		{Name: "success", Label: "Text that shows who is in", Kind: field.Text,
			Help: "in the page after signing in, markup included; empty: it must not ask for the password again"},
		{Name: "failure", Label: "Text that shows who is not", Kind: field.Text, Help: "such as Wrong password"},
		{Name: "pattern", Label: "Pattern that must fit then", Kind: field.Text, Check: fetch.PatternProblem,
			Help: "a regular expression (RE2)"},
		{Name: "status", Label: "Expected status", Kind: field.Text, Default: "200-299", Check: fetch.StatusProblem,
			Help: "codes and ranges, such as 200-299"},
		{Name: "form", Label: "Form", Kind: field.Text, Help: "its id or name; empty: it is found by itself"},
		{Name: "user", Label: "Field for the user", Kind: field.Text, Help: "its name or id; empty: it is found by itself"},
		{Name: "password", Label: "Field for the password", Kind: field.Text, Help: "its name or id; empty: it is found by itself"},
		{Name: "headers", Label: "Headers", Kind: field.Text, Help: `such as Accept-Language: en; several with \n between`,
			Check: fetch.HeadersProblem},
		{Name: "redirects", Label: "Redirects that are followed", Kind: field.Whole, Default: "8", Low: 0, High: 20},
		{Name: "proxy", Label: "Proxy", Kind: field.Text, Check: fetch.ProxyProblem, Help: "such as http://192.0.2.8:3128; empty for none"},
		{Name: "verify", Label: "The certificate must hold", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes"},
		{Name: "timeout", Label: "Wait for all of it", Kind: field.Duration, Default: "20s", Low: 0.1, High: 120},
	},
	Columns:  func(way.Settings) []way.Column { return columns },
	Requests: func(way.Settings, int) float64 { return 2 },
	Words: func(ask way.Settings, _ []way.Column) string {
		return fmt.Sprintf("Somebody signs in at %s; the page that comes then is judged, and all of it timed", ask["url"])
	},
}

// columns are, besides those of every check: the seconds until the form was there, and those from sending it to the page
// that came then; the status and the bytes of that page, and itself; how many redirects were followed in all.
var columns = append(ways.CheckColumns[:3:3], way.Column{As: "form"}, way.Column{As: "entry"}, way.Column{As: "status"},
	way.Column{As: "size"}, way.Column{As: "body"}, way.Column{As: "redirects"})

// Way carries it out over a way to connect, which is asked for each connection.
func Way(by dial.Func) ways.Way {
	return ways.Way{Way: Description, Ask: asker{by}.ask}
}

// Package ldap is the way to check directories by LDAP, version 3 (RFC 4511): whether they let somebody in, how fast,
// and whether they find what is there.
package ldap

import (
	"fmt"
	"strconv"
	"strings"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

// How a connection is secured.
const (
	plain    = "plain"
	startTLS = "StartTLS"
	secure   = "TLS"
)

// bind is the kind of credential: who is let in.
const bind = "ldap-bind"

var scopes = map[string]int{"the object": ldap.ScopeBaseObject, "one level": ldap.ScopeSingleLevel, "all below": ldap.ScopeWholeSubtree}

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  "ldap",
	Title: "LDAP directory",
	About: "Has a directory let somebody in, and looks for entries where that is wanted.",
	Credentials: []way.Credential{{Name: bind, Title: "LDAP name and password", Fields: []field.Field{
		{Name: "bind_name", Label: "Bind name", Kind: field.Text, Required: true,
			Help: "such as cn=owl,ou=services,dc=kittiwake,dc=example"},
		{Name: "password", Label: "Password", Kind: field.Secret, Required: true},
	}}},
	Ask: []field.Field{
		field.Port("Port", "389"),
		{Name: "security", Label: "Connection", Kind: field.Choice, Choices: []string{plain, startTLS, secure}, Default: plain},
		{Name: "name", Label: "Name of the certificate", Kind: field.Text, Help: "empty for the address; for StartTLS and TLS"},
		{Name: "verify", Label: "The certificate must hold", Kind: field.Choice, Choices: []string{"yes", "no"}, Default: "yes"},
		{Name: "base", Label: "Base", Kind: field.Text, Check: baseProblem, Help: "such as ou=people,dc=kittiwake,dc=example"},
		{Name: "filter", Label: "Filter of a search", Kind: field.Text, Check: filterProblem,
			Help: "such as (uid=ines); empty for no search"},
		{Name: "scope", Label: "Searched", Kind: field.Choice, Default: "all below",
			Choices: []string{"the object", "one level", "all below"}},
		{Name: "entries", Label: "Expected entries", Kind: field.Text, Default: "1-", Check: entriesProblem,
			Help: "how many a search must find, such as 1, 1-20 or 1-"},
		{Name: "timeout", Label: "Wait for all of it", Kind: field.Duration, Default: "5s", Low: 0.1, High: 60},
	},
	Columns:  func(way.Settings) []way.Column { return columns },
	Requests: func(way.Settings, int) float64 { return 1 },
	Words: func(ask way.Settings, _ []way.Column) string {
		if ask["filter"] == "" {
			return "The directory is asked to let somebody in"
		}
		return fmt.Sprintf("The directory lets somebody in, and looks for %s below %s", ask["filter"], ask["base"])
	},
	Facts: map[string]string{"answers:ldap": "an answer to LDAP"},
}

// columns are, besides those of every check: the seconds that letting in and searching took, and how many entries were found.
var columns = append(ways.CheckColumns[:3:3], way.Column{As: "bind"}, way.Column{As: "search"}, way.Column{As: "entries"})

// mostPacket bounds a message of a directory, in bytes. The library allows two gigabytes, for all that use it.
const mostPacket = 1 << 20

// Way carries it out over a way to connect, which is asked for each connection.
func Way(by dial.Func) ways.Way {
	ber.MaxPacketLengthBytes = mostPacket
	return ways.Way{Way: Description, Ask: asker{by}.ask}
}

func baseProblem(value string) string {
	if _, err := ldap.ParseDN(value); err != nil {
		return "Must be the name of an entry, such as ou=people,dc=kittiwake,dc=example."
	}
	return ""
}

func filterProblem(value string) string {
	if _, err := ldap.CompileFilter(value); err != nil {
		return "Must be a filter of a search, such as (uid=ines)."
	}
	return ""
}

// readEntries reads how many entries are expected; most is -1 for any number.
func readEntries(typed string) (least, most int, ok bool) {
	low, high, is := strings.Cut(strings.ReplaceAll(typed, " ", ""), "-")
	least, err := strconv.Atoi(low)
	switch {
	case err != nil || least < 0:
		return 0, 0, false
	case !is:
		return least, least, true
	case high == "":
		return least, -1, true
	}
	most, err = strconv.Atoi(high)
	return least, most, err == nil && most >= least
}

func entriesProblem(value string) string {
	if _, _, ok := readEntries(value); !ok {
		return "Must be a number, or from one to another, such as 1-20, or 1- for any from one on."
	}
	return ""
}

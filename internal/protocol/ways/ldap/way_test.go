package ldap

import (
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

const (
	owl  = "cn=owl,dc=pier,dc=example"
	lamp = "a lamp on the pier"
)

// directory answers as one does: it knows the owl, and some people below a base.
func directory(t *testing.T, people int) string {
	t.Helper()
	return waytest.Serve(t, func(c net.Conn) { converse(c, people) })
}

func converse(c net.Conn, people int) {
	for {
		p, err := ber.ReadPacket(c)
		if err != nil || len(p.Children) < 2 {
			return
		}
		say := func(tag ber.Tag, parts ...*ber.Packet) {
			m := ber.NewSequence("message")
			m.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagInteger, p.Children[0].Value, ""))
			answer := ber.Encode(ber.ClassApplication, ber.TypeConstructed, tag, nil, "")
			for _, part := range parts {
				answer.AppendChild(part)
			}
			m.AppendChild(answer)
			_, _ = c.Write(m.Bytes())
		}
		text := func(s string) *ber.Packet {
			return ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, s, "")
		}
		result := func(tag ber.Tag, code int, said string) {
			say(tag, ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagEnumerated, code, ""), text(""), text(said))
		}
		switch op := p.Children[1]; op.Tag {
		case ldap.ApplicationBindRequest:
			name, password := op.Children[1].Value.(string), op.Children[2].Data.String()
			switch {
			case strings.HasPrefix(name, "cn=old"):
				result(ldap.ApplicationBindResponse, ldap.LDAPResultProtocolError, "only LDAPv2 is spoken here")
			case strings.HasPrefix(name, "cn=careful"):
				result(ldap.ApplicationBindResponse, ldap.LDAPResultConfidentialityRequired, "")
			case strings.HasPrefix(name, "cn=gone"):
				return
			case name == "" || name == owl && password == lamp:
				result(ldap.ApplicationBindResponse, 0, "")
			default:
				result(ldap.ApplicationBindResponse, ldap.LDAPResultInvalidCredentials, "")
			}
		case ldap.ApplicationSearchRequest:
			base := op.Children[0].Value.(string)
			if base != "ou=people,dc=pier,dc=example" {
				result(ldap.ApplicationSearchResultDone, ldap.LDAPResultNoSuchObject, "")
				continue
			}
			for i := range people {
				say(ldap.ApplicationSearchResultEntry, text(fmt.Sprintf("uid=%d,%s", i, base)), ber.NewSequence("none"))
			}
			result(ldap.ApplicationSearchResultDone, 0, "")
		case ldap.ApplicationExtendedRequest:
			result(ldap.ApplicationExtendedResponse, ldap.LDAPResultUnavailable, "")
		default:
			return
		}
	}
}

func look(t *testing.T, ask way.Settings, name, password string) waytest.Seen {
	t.Helper()
	w := Way(waytest.Loopback(t))
	q := waytest.Question(t, w, ask)
	if name != "" {
		secrets := domain.Secrets{"password": domain.Secret(password)}
		q.Credential = way.Opened{Kind: bind, Settings: way.Settings{"bind_name": name}, Secrets: secrets}
	}
	got := ways.List{w}.Ask(t.Context(), q)
	if password != "" {
		assert.NotContains(t, fmt.Sprint(got, q.Exchange.Lines), password)
	}
	return waytest.Look(t, w, got)
}

func TestADirectoryLetsInAndFinds(t *testing.T) {
	port := directory(t, 3)
	x := look(t, way.Settings{"port": port}, owl, lamp)
	assert.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, "lets in", x.Says)
	assert.True(t, x.Has("bind"))
	assert.False(t, x.Has("search"), "nothing was searched")
	people := way.Settings{"port": port, "base": "ou=people,dc=pier,dc=example", "filter": "(uid=*)", "entries": "1-3"}
	x = look(t, people, owl, lamp)
	assert.Equal(t, verdict.Passes, x.Verdict, x.Says)
	assert.Equal(t, 3.0, x.By["entries"].Num)
	assert.True(t, x.Has("search"))
	people["entries"] = "4-"
	x = look(t, people, "", "")
	assert.Equal(t, verdict.Unexpected, x.Verdict)
	assert.Equal(t, "it finds 3 entries, where 4- is expected", x.Says)
	people["base"], people["entries"] = "ou=ghosts,dc=pier,dc=example", "0"
	assert.Equal(t, verdict.Passes, look(t, people, "", "").Verdict, "that there is none may be expected")
}

func TestWhatADirectoryRefusesIsToldApart(t *testing.T) {
	port := directory(t, 0)
	for name, c := range map[string]struct {
		verdict verdict.Verdict
		says    string
	}{
		owl:          {verdict.SignInFailed, "the bind name or its password is not taken"},
		"cn=careful": {verdict.SignInFailed, "it takes no password over a plain connection: use StartTLS or TLS"},
		"cn=old":     {verdict.ProtocolError, "a directory that speaks version 2 alone says so: only LDAPv2 is spoken here"},
		"cn=gone":    {verdict.ProtocolError, "it breaks off the connection, or what comes is no LDAP"},
	} {
		x := look(t, way.Settings{"port": port}, name, "wrong rope")
		assert.Equal(t, c.verdict, x.Verdict, "%s: %s", name, x.Says)
		assert.Contains(t, x.Says, c.says)
		assert.False(t, x.Has("total"))
	}
	x := look(t, way.Settings{"port": port, "security": startTLS}, owl, lamp)
	assert.Equal(t, verdict.ProtocolError, x.Verdict)
	assert.Contains(t, x.Says, "Unavailable")
	x = look(t, way.Settings{"port": port, "security": secure, "timeout": "500ms"}, owl, lamp)
	assert.Contains(t, []verdict.Verdict{verdict.TLSFailed, verdict.ProtocolError, verdict.TimedOut}, x.Verdict, x.Says)
}

// A server that promises a message of two gigabytes gets no room for it.
func TestAHostileDirectory(t *testing.T) {
	for name, bytes := range map[string]string{
		"a huge message": "\x30\x84\x7f\xff\xff\xff",
		"nonsense":       "HTTP/1.1 400 Bad Request\r\n\r\n",
		"deep":           strings.Repeat("\x30\x80", 5000),
	} {
		port := waytest.Serve(t, func(c net.Conn) {
			_, _ = c.Write([]byte(bytes))
			time.Sleep(300 * time.Millisecond)
		})
		x := look(t, way.Settings{"port": port, "timeout": "2s"}, owl, lamp)
		assert.Equal(t, verdict.ProtocolError, x.Verdict, "%s: %s", name, x.Says)
	}
}

func TestSettingsOfDirectoriesAreChecked(t *testing.T) {
	for name, wrong := range map[string]string{"base": "people", "filter": "(uid=", "entries": "5-1"} {
		_, errs := field.Check(Description.Ask, way.Settings{name: wrong})
		assert.NotEmpty(t, errs[name], name)
	}
}

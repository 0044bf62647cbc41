package sim

import (
	"fmt"
	"net"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"
)

// directoryModes are how the directory can fail.
var directoryModes = []Mode{
	{"nobody", "nobody's password is taken"},
	{"empty", "its people are gone"},
	{"old", "it speaks LDAP version 2 alone"},
	{"careful", "it takes no password over a plain connection"},
	{"slow", "each answer takes three seconds"},
	{"nonsense", "what it answers is no LDAP"},
}

// What a directory answers with (RFC 4511, 4.1.9), and to what.
const (
	resultGood         = 0
	resultProtocol     = 2
	resultCareful      = 13
	resultNoSuchObject = 32
	resultNotTaken     = 49

	askBind, sayBind      = 0, 1
	askSearch, sayEntry   = 3, 4
	sayDone               = 5
	directoryBase         = "dc=kittiwake,dc=example"
	directoryPeople       = "ou=people," + directoryBase
	directoryServices     = "ou=services," + directoryBase
	directoryBinds        = "cn=%s," + directoryServices
	mostDirectoryMessages = 100
)

var people = []string{"ines", "marek", "runa", "oskar", "lina", "tomas"}

// directory is as much of an LDAP server as signing in and looking for people needs.
func directory(who SignIn) func(net.Conn, string) {
	return func(c net.Conn, mode string) {
		defer c.Close()
		if mode == "nonsense" {
			_, _ = c.Write([]byte("ahoy\r\n"))
			return
		}
		for range mostDirectoryMessages {
			_ = c.SetDeadline(time.Now().Add(silence))
			p, err := ber.ReadPacket(c)
			if err != nil || len(p.Children) < 2 {
				return
			}
			if mode == "slow" {
				time.Sleep(3 * time.Second)
			}
			for _, answer := range answered(p, who, mode) {
				if _, err := c.Write(answer.Bytes()); err != nil {
					return
				}
			}
		}
	}
}

// answered are the answers to one message.
func answered(p *ber.Packet, who SignIn, mode string) (out []*ber.Packet) {
	say := func(tag ber.Tag, parts ...*ber.Packet) {
		m := ber.NewSequence("message")
		m.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagInteger, p.Children[0].Value, ""))
		answer := ber.Encode(ber.ClassApplication, ber.TypeConstructed, tag, nil, "")
		for _, part := range parts {
			answer.AppendChild(part)
		}
		m.AppendChild(answer)
		out = append(out, m)
	}
	result := func(tag ber.Tag, code int, said string) {
		say(tag, ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagEnumerated, code, ""), octets(""), octets(said))
	}
	op := p.Children[1]
	switch {
	case op.Tag == askBind && len(op.Children) > 2:
		name, _ := op.Children[1].Value.(string)
		code, said := bound(who, name, op.Children[2].Data.String(), mode)
		result(sayBind, code, said)
	case op.Tag == askSearch && len(op.Children) > 0:
		if base, _ := op.Children[0].Value.(string); base != directoryPeople {
			result(sayDone, resultNoSuchObject, "")
			return out
		}
		for _, uid := range people {
			if mode != "empty" {
				say(sayEntry, octets("uid="+uid+","+directoryPeople), ber.NewSequence("no attributes"))
			}
		}
		result(sayDone, resultGood, "")
	}
	return out
}

func octets(s string) *ber.Packet {
	return ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, s, "")
}

func bound(who SignIn, name, password, mode string) (code int, said string) {
	switch {
	case mode == "old":
		return resultProtocol, "only LDAPv2 is spoken here"
	case mode == "careful" && password != "":
		return resultCareful, ""
	case name == "" && password == "":
		return resultGood, ""
	case mode == "nobody" || !(SignIn{fmt.Sprintf(directoryBinds, who.User), who.Password}).is(name, password):
		return resultNotTaken, ""
	}
	return resultGood, ""
}

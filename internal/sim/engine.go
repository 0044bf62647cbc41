package sim

import (
	"crypto/hmac"
	"io"
	"log"

	"github.com/gosnmp/gosnmp"
)

// SNMPUser is one that an engine of version 3 knows.
type SNMPUser struct {
	Name         string
	Auth         gosnmp.SnmpV3AuthProtocol
	AuthPassword string
	Priv         gosnmp.SnmpV3PrivProtocol
	PrivPassword string
}

// NewSNMPUser is one with SHA-256 and AES-128.
func NewSNMPUser(name, authPassword, privPassword string) SNMPUser {
	return SNMPUser{name, gosnmp.SHA256, authPassword, gosnmp.AES, privPassword}
}

// level are the flags that messages of the user bear.
func (a SNMPUser) level() gosnmp.SnmpV3MsgFlags {
	switch {
	case a.Priv > gosnmp.NoPriv:
		return gosnmp.AuthPriv
	case a.Auth > gosnmp.NoAuth:
		return gosnmp.AuthNoPriv
	}
	return gosnmp.NoAuthNoPriv
}

// Engine answers requests of SNMP version 3 for one user (RFC 3414 section 3.2).
type Engine struct {
	ID   string
	User SNMPUser
	// Clock is how often it was booted, and for how many seconds it runs.
	Clock func() (boots, seconds uint32)
	// Spoil changes an answer before it is protected; nil changes nothing.
	Spoil func(*gosnmp.SnmpPacket)
}

// What an engine reports instead of answering (RFC 3414 section 5).
const (
	unsupportedLevel = ".1.3.6.1.6.3.15.1.1.1.0"
	notInTimeWindow  = ".1.3.6.1.6.3.15.1.1.2.0"
	unknownUserName  = ".1.3.6.1.6.3.15.1.1.3.0"
	unknownEngineID  = ".1.3.6.1.6.3.15.1.1.4.0"
	wrongDigest      = ".1.3.6.1.6.3.15.1.1.5.0"
	decryptionError  = ".1.3.6.1.6.3.15.1.1.6.0"
)

// timeWindow is how old, and how young, a request may be, in seconds.
const timeWindow = 150

// Answer is what is sent for a message; nil for what is no request of version 3. reply makes
// the answer to a request that is let in.
func (e Engine) Answer(b []byte, reply func(*gosnmp.SnmpPacket) *gosnmp.SnmpPacket) []byte {
	head, given := e.head(b)
	if given == nil || head.MsgFlags&gosnmp.Reportable == 0 {
		return nil
	}
	level, mine := head.MsgFlags&gosnmp.AuthPriv, e.params()
	switch {
	case given.AuthoritativeEngineID != e.ID:
		return e.report(head, unknownEngineID, gosnmp.NoAuthNoPriv)
	case given.UserName != e.User.Name:
		return e.report(head, unknownUserName, gosnmp.NoAuthNoPriv)
	case level != e.User.level():
		return e.report(head, unsupportedLevel, gosnmp.NoAuthNoPriv)
	case level&gosnmp.AuthNoPriv != 0 && !e.authentic(b, given.AuthenticationParameters, mine.SecretKey):
		return e.report(head, wrongDigest, gosnmp.NoAuthNoPriv)
	case level&gosnmp.AuthNoPriv != 0 && !timely(given, mine):
		return e.report(head, notInTimeWindow, gosnmp.AuthNoPriv)
	}
	req, err := reader(mine, level).SnmpDecodePacket(b)
	if err != nil {
		return e.report(head, decryptionError, gosnmp.AuthNoPriv)
	}
	out := reply(req)
	if out == nil {
		return nil
	}
	return e.sealed(out, head, level)
}

func silentLogger() gosnmp.Logger { return gosnmp.NewLogger(log.New(io.Discard, "", 0)) }

func reader(p *gosnmp.UsmSecurityParameters, level gosnmp.SnmpV3MsgFlags) *gosnmp.GoSNMP {
	return &gosnmp.GoSNMP{Version: gosnmp.Version3, SecurityModel: gosnmp.UserSecurityModel, MsgFlags: level, SecurityParameters: p,
		Logger: p.Logger}
}

// head reads what stands before the request. Of a message that is protected the rest fails,
// since no key is known here.
func (e Engine) head(b []byte) (*gosnmp.SnmpPacket, *gosnmp.UsmSecurityParameters) {
	open := &gosnmp.UsmSecurityParameters{UserName: "anybody", AuthenticationProtocol: gosnmp.NoAuth, PrivacyProtocol: gosnmp.NoPriv,
		Logger: silentLogger()}
	p, err := reader(open, gosnmp.NoAuthNoPriv).SnmpDecodePacket(b)
	if p == nil || p.Version != gosnmp.Version3 || err != nil && p.MsgFlags&gosnmp.AuthPriv == gosnmp.NoAuthNoPriv {
		return nil, nil
	}
	given, _ := p.SecurityParameters.(*gosnmp.UsmSecurityParameters)
	return p, given
}

// params are those of the user at the engine, with the clock of now.
func (e Engine) params() *gosnmp.UsmSecurityParameters {
	boots, seconds := e.Clock()
	p := &gosnmp.UsmSecurityParameters{
		UserName:                 e.User.Name,
		AuthoritativeEngineID:    e.ID,
		AuthoritativeEngineBoots: boots,
		AuthoritativeEngineTime:  seconds,
		AuthenticationProtocol:   e.User.Auth,
		AuthenticationPassphrase: e.User.AuthPassword,
		PrivacyProtocol:          e.User.Priv,
		PrivacyPassphrase:        e.User.PrivPassword,
		Logger:                   silentLogger(),
	}
	_ = p.InitSecurityKeys() // without a password there are none
	return p
}

// authentic checks the code of a message, which stands where its value does first.
func (e Engine) authentic(b []byte, code string, key []byte) bool {
	for i := 0; code != "" && i+len(code) <= len(b); i++ {
		if string(b[i:i+len(code)]) != code {
			continue
		}
		blank := append([]byte(nil), b...)
		clear(blank[i : i+len(code)])
		sum := hmac.New(e.User.Auth.HashType().New, key)
		sum.Write(blank)
		made := sum.Sum(nil)
		return len(made) >= len(code) && string(made[:len(code)]) == code
	}
	return false
}

func timely(given, mine *gosnmp.UsmSecurityParameters) bool {
	off := int64(given.AuthoritativeEngineTime) - int64(mine.AuthoritativeEngineTime)
	return given.AuthoritativeEngineBoots == mine.AuthoritativeEngineBoots && off <= timeWindow && off >= -timeWindow
}

// sealed protects an answer to a message.
func (e Engine) sealed(p, to *gosnmp.SnmpPacket, level gosnmp.SnmpV3MsgFlags) []byte {
	p.Version, p.SecurityModel, p.MsgFlags, p.MsgID = gosnmp.Version3, gosnmp.UserSecurityModel, level, to.MsgID
	p.ContextEngineID, p.ContextName, p.SecurityParameters = e.ID, to.ContextName, e.params()
	p.Logger = silentLogger()
	if e.Spoil != nil {
		e.Spoil(p)
	}
	if p.MsgFlags&gosnmp.AuthPriv == gosnmp.AuthPriv {
		if err := p.SecurityParameters.InitPacket(p); err != nil {
			return nil
		}
	}
	if u, ok := p.SecurityParameters.(*gosnmp.UsmSecurityParameters); ok && p.MsgFlags&gosnmp.AuthNoPriv == 0 {
		u.AuthenticationProtocol, u.PrivacyProtocol = gosnmp.NoAuth, gosnmp.NoPriv
	}
	b, err := p.MarshalMsg()
	if err != nil {
		return nil
	}
	return b
}

func (e Engine) report(to *gosnmp.SnmpPacket, of string, level gosnmp.SnmpV3MsgFlags) []byte {
	return e.sealed(&gosnmp.SnmpPacket{
		PDUType:   gosnmp.Report,
		RequestID: to.RequestID,
		Variables: []gosnmp.SnmpPDU{{Name: of, Type: gosnmp.Counter32, Value: uint32(1)}},
	}, to, level)
}

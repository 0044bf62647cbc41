package snmp

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/usm"
)

// ErrDenied is returned when an agent answers, and does not accept the credential.
var ErrDenied = errors.New("the agent does not accept the credential")

// Flags of a message (RFC 3412 section 6.4).
const (
	flagAuth       = 1
	flagPriv       = 2
	flagReportable = 4
)

const (
	version3      = 3
	securityModel = 3     // the user-based one (RFC 3411 section 5)
	maxMessage    = 65507 // what UDP carries
)

// envelope is a message of version 3 around its PDU (RFC 3412 section 6, RFC 3414 section 2.4).
type envelope struct {
	id          uint32
	flags       byte
	engine      []byte
	boots, time uint32
	user        []byte
	code        []byte // of authentication
	salt        []byte
	context     string
	pdu         []byte
}

// sealed is a message as it is sent.
func (m envelope) sealed(k usm.Keys, salt uint64) []byte {
	scoped := wrapped(tagSequence, octetString(m.engine), octetString([]byte(m.context)), m.pdu)
	var params []byte
	if m.flags&flagPriv != 0 {
		var data []byte
		data, params = k.Encrypt(scoped, m.boots, m.time, salt)
		scoped = octetString(data)
	}
	behind := octetString(params)
	security := wrapped(tagSequence, octetString(m.engine), wholeNumber(m.boots), wholeNumber(m.time), octetString(m.user),
		octetString(make([]byte, k.Code())), behind)
	head := wrapped(tagSequence, wholeNumber(m.id), wholeNumber(maxMessage), octetString([]byte{m.flags}), wholeNumber(securityModel))
	out := wrapped(tagSequence, wholeNumber(version3), head, octetString(security), scoped)
	if m.flags&flagAuth != 0 {
		k.Sign(out, len(out)-len(scoped)-len(behind)-k.Code())
	}
	return out
}

// opened reads a message. It is authentic where it bears the flag of it, and else may be
// from anybody; one that claims to be authentic and is not is an error.
func opened(b []byte, k usm.Keys) (m envelope, err error) {
	all := reading(b)
	body := all.inside(tagSequence)
	version := body.number()
	head := body.inside(tagSequence)
	m.id = head.number()
	head.number() // the largest message that it takes
	flags := head.next(tagOctets)
	model := head.number()
	security := body.inside(tagOctets).inside(tagSequence)
	m.engine = security.next(tagOctets)
	m.boots, m.time = security.number(), security.number()
	m.user, m.code, m.salt = security.next(tagOctets), security.next(tagOctets), security.next(tagOctets)
	broken := errors.Join(body.err, head.err, security.err)
	if broken != nil || version != version3 || model != securityModel || len(flags) != 1 {
		return m, errNotSNMP
	}
	m.flags = flags[0]
	if m.flags&flagAuth != 0 && (len(m.code) != k.Code() || !k.Authentic(b, all.at(m.code))) {
		return m, errors.New("the message is not authentic")
	}
	scoped := body.rest
	if m.flags&flagPriv != 0 {
		if scoped, err = k.Decrypt(body.next(tagOctets), m.boots, m.time, m.salt); err != nil || body.err != nil {
			return m, errors.Join(err, body.err)
		}
	}
	inner := reading(scoped).inside(tagSequence)
	inner.next(tagOctets) // the engine of the context
	m.context = string(inner.next(tagOctets))
	m.pdu = inner.rest
	return m, inner.err
}

// User is somebody whom agents know, with what is asked for. The context names a part of what
// an agent tells of; it is usually empty.
type User struct {
	usm.User
	Context string
}

// level are the flags that a user's messages bear.
func (u User) level() (flags byte) {
	if u.Auth != usm.NoAuth {
		flags |= flagAuth
	}
	if u.Privacy != usm.NoPrivacy {
		flags |= flagPriv
	}
	return flags
}

// askUser sends a request of version 3 and waits for its answer. An engine that is not known
// yet is asked for first; one that became another, or whose clock went another way, once more.
func (c *Client) askUser(ctx context.Context, t Target, p *gosnmp.SnmpPacket) (*gosnmp.SnmpPacket, error) {
	masters, err := c.engines.masters(t.User.User)
	if err != nil {
		return nil, err
	}
	var asked error
	for range 3 {
		e, fresh, err := c.engineAt(ctx, t)
		if err != nil {
			return nil, err
		}
		answer, err := c.askEngine(ctx, t, e, e.keys(t.User.User, masters), p)
		if errors.Is(err, ErrNoAnswer) {
			c.engines.forget(t.Address, e) // its clock may have begun anew, and ours not fit any more
			if fresh {
				return nil, ErrUnread
			}
		}
		var told *report
		if !errors.As(err, &told) || !told.mends() {
			return answer, err
		}
		if told.of == unknownEngine {
			c.engines.forget(t.Address, e)
		}
		asked = err
	}
	return nil, asked
}

// askEngine is one request to an engine.
func (c *Client) askEngine(ctx context.Context, t Target, e *engine, k usm.Keys, p *gosnmp.SnmpPacket) (*gosnmp.SnmpPacket, error) {
	level := t.User.level()
	build := func(id uint32) ([]byte, error) {
		pdu, err := pduOf(p, id)
		boots, seconds := e.clock(time.Now())
		m := envelope{id: id, flags: level | flagReportable, engine: e.id, boots: boots, time: seconds,
			user: []byte(t.User.Name), context: t.User.Context, pdu: pdu}
		return m.sealed(k, c.salt.Add(1)), err
	}
	read := func(b []byte) (*gosnmp.SnmpPacket, error) {
		m, err := opened(b, k)
		if err != nil {
			return nil, err
		}
		authentic := m.flags&flagAuth != 0
		if told := reportOf(m.pdu); told != nil {
			return nil, e.told(told, m, authentic || level&flagAuth == 0)
		}
		if m.flags&level != level || !bytes.Equal(m.engine, e.id) || string(m.user) != t.User.Name {
			return nil, errNotSNMP // less protected than what was asked, or of somebody else
		}
		if authentic && !e.timely(m.boots, m.time, time.Now()) {
			return nil, fmt.Errorf("the message is older than %s", window)
		}
		return c.decode(community(m.pdu))
	}
	return c.exchange(ctx, t, build, read)
}

// ErrUnread is an ErrDenied of agents that told their engine just before and are silent then: what they
// cannot decrypt, or is for a context that they do not have, some pass over.
var ErrUnread = fmt.Errorf("%w: it tells who it is, and is silent to this user: "+
	"the password of privacy, its kind, or the context may be another one", ErrDenied)

// engineAt is the engine of a target: known, or asked for just now (RFC 3414 section 4).
func (c *Client) engineAt(ctx context.Context, t Target) (e *engine, fresh bool, err error) {
	if e := c.engines.at(t.Address); e != nil {
		return e, false, nil
	}
	var found *engine
	build := func(id uint32) ([]byte, error) {
		pdu, err := pduOf(&gosnmp.SnmpPacket{PDUType: gosnmp.GetRequest}, id)
		return envelope{id: id, flags: flagReportable, pdu: pdu}.sealed(usm.Keys{}, 0), err
	}
	read := func(b []byte) (*gosnmp.SnmpPacket, error) {
		m, err := opened(b, usm.Keys{})
		if err != nil || reportOf(m.pdu) == nil {
			return nil, errNotSNMP
		}
		if len(m.engine) < minEngine || len(m.engine) > maxEngine {
			return nil, final{fmt.Errorf("the agent's engine id has %d bytes, and must have %d to %d", len(m.engine), minEngine, maxEngine)}
		}
		found = newEngine(bytes.Clone(m.engine), m.boots, m.time, time.Now())
		return &gosnmp.SnmpPacket{}, nil
	}
	if _, err := c.exchange(ctx, t, build, read); err != nil {
		return nil, false, err
	}
	return c.engines.keep(t.Address, found), true, nil
}

// EngineID asks an agent for the id of its engine, with no credential (RFC 3414 section 4).
func (c *Client) EngineID(ctx context.Context, t Target) ([]byte, error) {
	e, _, err := c.engineAt(ctx, t)
	if err != nil {
		return nil, err
	}
	return e.id, nil
}

// pduOf is a request without what is around it: the library makes it within a message of
// version 2.
func pduOf(p *gosnmp.SnmpPacket, id uint32) ([]byte, error) {
	plain := *p
	plain.Version, plain.Community, plain.RequestID = gosnmp.Version2c, "", id
	b, err := plain.MarshalMsg()
	if err != nil {
		return nil, fmt.Errorf("encode: %w", err)
	}
	body := reading(b).inside(tagSequence)
	body.number()
	body.next(tagOctets)
	return body.rest, body.err
}

// community puts a PDU into a message of version 2, which the library reads.
func community(pdu []byte) []byte { return wrapped(tagSequence, wholeNumber(1), octetString(nil), pdu) }

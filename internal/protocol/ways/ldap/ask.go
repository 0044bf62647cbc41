package ldap

import (
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

type asker struct{ by dial.Func }

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	patience := q.Ask.Duration("timeout")
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	var checked ways.Checked
	began := time.Now()
	err := a.talk(ctx, q, &checked)
	if ctx.Err() != nil {
		err = ctx.Err() // what the library makes of a connection that was closed
	}
	if err == nil {
		checked.Seconds("total", time.Since(began))
	}
	checked, unable := checked.Judged(err, patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
	return derive.Fetched{Rows: []derive.Row{checked.Row(columns)}}, nil
}

func (a asker) talk(ctx context.Context, q way.Question, c *ways.Checked) error {
	at, err := q.At(q.Ask["port"])
	if err != nil {
		return err
	}
	q.Exchange.Sent(time.Now(), "connect to %s, %s", at, q.Ask["security"])
	conn, err := a.by(ctx, "tcp", at.String())
	if err != nil {
		return err
	}
	defer conn.Close()
	stop := context.AfterFunc(ctx, func() { _ = conn.SetDeadline(time.Unix(1, 0)) })
	defer stop()
	l, err := opened(ctx, conn, q)
	if err != nil {
		return err
	}
	defer l.Close()
	if err := letIn(l, q, c); err != nil {
		return err
	}
	if q.Ask["filter"] == "" {
		c.Says = "lets in"
		return nil
	}
	return search(l, q, c)
}

// opened is a connection to the directory, secured as it was asked for.
func opened(ctx context.Context, conn net.Conn, q way.Question) (*ldap.Conn, error) {
	config := &tls.Config{ServerName: cmp.Or(q.Ask["name"], q.Address.Unmap().String()),
		InsecureSkipVerify: q.Ask["verify"] == "no"} //nolint:gosec // it was asked for
	if q.Ask["security"] == secure {
		secured := tls.Client(conn, config)
		if err := secured.HandshakeContext(ctx); err != nil {
			return nil, err
		}
		conn = secured
	}
	l := ldap.NewConn(conn, q.Ask["security"] == secure)
	l.SetTimeout(q.Ask.Duration("timeout"))
	l.Start()
	if q.Ask["security"] != startTLS {
		return l, nil
	}
	if err := l.StartTLS(config); err != nil {
		l.Close()
		return nil, inWords(err)
	}
	return l, nil
}

// letIn binds: with a credential as its name, else as nobody (RFC 4513, 5.1.1).
func letIn(l *ldap.Conn, q way.Question, c *ways.Checked) (err error) {
	began := time.Now()
	if q.Credential.Kind == bind {
		q.Exchange.Sent(time.Now(), "bind as %s", q.Credential.Settings["bind_name"])
		err = l.Bind(q.Credential.Settings["bind_name"], q.Credential.Secrets["password"].Reveal())
	} else {
		q.Exchange.Sent(time.Now(), "bind as nobody")
		err = l.UnauthenticatedBind("")
	}
	if err != nil {
		return inWords(err)
	}
	c.Seconds("bind", time.Since(began))
	return nil
}

// mostEntries bounds what a search brings.
const mostEntries = 10_000

func search(l *ldap.Conn, q way.Question, c *ways.Checked) error {
	q.Exchange.Sent(time.Now(), "search for %s below %s", q.Ask["filter"], q.Ask["base"])
	began := time.Now()
	limit := int(q.Ask.Duration("timeout").Seconds()) + 1
	found, err := l.Search(ldap.NewSearchRequest(q.Ask["base"], scopes[q.Ask["scope"]], ldap.NeverDerefAliases, mostEntries, limit,
		false, q.Ask["filter"], []string{"1.1"}, nil)) // 1.1: no attributes (RFC 4511, 4.5.1.8)
	if err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject) {
		return inWords(err)
	}
	n := 0
	if found != nil {
		n = len(found.Entries)
	}
	c.Seconds("search", time.Since(began))
	c.Number("entries", float64(n))
	least, most, _ := readEntries(q.Ask["entries"])
	if n < least || most >= 0 && n > most {
		return verdict.Fail(verdict.Unexpected,
			fmt.Sprintf("it finds %s, where %s is expected", text.Count(int64(n), "entry", "entries"), q.Ask["entries"]))
	}
	c.Says = "lets in, and finds what is expected"
	return nil
}

// inWords tells apart what a directory answers (RFC 4511, appendix A).
func inWords(err error) error {
	// What the library says of a connection has ports in it, which differ each time.
	broken := verdict.Fail(verdict.ProtocolError, "it breaks off the connection, or what comes is no LDAP")
	var said *ldap.Error
	if !errors.As(err, &said) {
		return broken
	}
	detail := ""
	if said.Err != nil {
		detail = text.Brief(said.Err.Error(), 200)
	}
	switch said.ResultCode {
	case ldap.ErrorNetwork:
		if _, why, failed := strings.Cut(detail, "TLS handshake failed"); failed {
			return verdict.Fail(verdict.TLSFailed, "no secure connection comes about"+why)
		}
		return broken
	case ldap.LDAPResultInvalidCredentials:
		return verdict.Fail(verdict.SignInFailed, "the bind name or its password is not taken")
	case ldap.LDAPResultInsufficientAccessRights, ldap.LDAPResultInappropriateAuthentication:
		return verdict.Fail(verdict.SignInFailed, "it lets us in, but not to that: "+ldap.LDAPResultCodeMap[said.ResultCode])
	case ldap.LDAPResultStrongAuthRequired, ldap.LDAPResultConfidentialityRequired:
		return verdict.Fail(verdict.SignInFailed, "it takes no password over a plain connection: use StartTLS or TLS")
	case ldap.LDAPResultProtocolError:
		return verdict.Fail(verdict.ProtocolError, "it does not take that; a directory that speaks version 2 alone says so: "+detail)
	}
	return verdict.Fail(verdict.ProtocolError, "the directory answers with an error: "+ldap.LDAPResultCodeMap[said.ResultCode])
}

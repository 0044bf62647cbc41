package certificate

import (
	"bytes"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/textproto"
	"strings"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
)

// named tells whether a suite's name holds a word.
func named(c *tls.CipherSuite, word string) bool { return strings.Contains(c.Name, word) }

// startTLS asks a service to go on securely, as its protocol wants.
func startTLS(conn net.Conn, q way.Question) error {
	switch q.Ask["begin"] {
	case smtp:
		return startSMTP(conn, q)
	case ldap:
		return startLDAP(conn, q)
	}
	return nil
}

// startSMTP is STARTTLS of RFC 3207.
func startSMTP(conn net.Conn, q way.Question) error {
	// What comes is bounded: a server may talk without end.
	talk := textproto.NewConn(struct {
		io.Reader
		io.WriteCloser
	}{io.LimitReader(conn, 64<<10), conn})
	answer := func(code int) error {
		_, said, err := talk.ReadResponse(code)
		if err == nil {
			return nil
		}
		if said != "" {
			return verdict.Fail(verdict.ProtocolError, "it says “"+text.Brief(said, mostShown)+"”, where it should greet, or begin TLS")
		}
		return err
	}
	if err := answer(220); err != nil {
		return err
	}
	for _, step := range []struct {
		say  string
		code int
	}{{"EHLO tireless-owl", 250}, {"STARTTLS", 220}} {
		q.Exchange.Sent(time.Now(), "%s", step.say)
		if err := talk.PrintfLine("%s", step.say); err != nil {
			return err
		}
		if err := answer(step.code); err != nil {
			return err
		}
	}
	return nil
}

// startLDAP is StartTLS of RFC 4511, section 4.14: an extended request, and an answer whose result is 0.
func startLDAP(conn net.Conn, q way.Question) error {
	const oid = "1.3.6.1.4.1.1466.20037"
	request := append([]byte{0x30, byte(7 + len(oid)), 0x02, 0x01, 0x01, 0x77, byte(2 + len(oid)), 0x80, byte(len(oid))}, oid...)
	q.Exchange.Sent(time.Now(), "extended request %s (StartTLS)", oid)
	if _, err := conn.Write(request); err != nil {
		return err
	}
	head := make([]byte, 2)
	if _, err := io.ReadFull(conn, head); err != nil {
		return err
	}
	length := int(head[1])
	if head[0] != 0x30 || head[1] > 0x84 {
		return errNoDirectory
	}
	if head[1] >= 0x80 { // up to four further bytes have the length (X.690, 8.1.3.5)
		more := make([]byte, head[1]&0x7f)
		if _, err := io.ReadFull(conn, more); err != nil {
			return err
		}
		length = 0
		for _, b := range more {
			length = length<<8 | int(b)
		}
	}
	if length > mostAnswer {
		return errNoDirectory
	}
	body := make([]byte, length)
	if _, err := io.ReadFull(conn, body); err != nil {
		return err
	}
	return resultOf(body)
}

// mostAnswer bounds an answer of a directory, in bytes.
const mostAnswer = 16 << 10

var errNoDirectory = verdict.Fail(verdict.ProtocolError, "what comes is no answer of a directory")

// resultOf reads the result of an extended response: behind the number of the message stands 0x78, a length, and an
// enumeration of one byte.
func resultOf(body []byte) error {
	at := bytes.IndexByte(body, 0x78)
	if len(body) < 3 || body[0] != 0x02 || at < 0 {
		return errNoDirectory
	}
	if i := bytes.Index(body[at:], []byte{0x0a, 0x01}); i >= 0 && at+i+2 < len(body) {
		if result := body[at+i+2]; result != 0 {
			return verdict.Fail(verdict.ProtocolError, fmt.Sprintf("the directory begins no TLS: its result is %d", result))
		}
		return nil
	}
	return errNoDirectory
}

package ways

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"syscall"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
)

// CheckColumns are what the check of every service brings first: its verdict as a number (verdict.Words), why in
// words, and how long the whole took in seconds, where it came to its end.
var CheckColumns = []way.Column{{As: verdict.Column}, {As: "says"}, {As: "total"}}

// Checked is what a check of a service came to.
type Checked struct {
	Verdict verdict.Verdict
	Says    string
	// Numbers and Texts are by the names of the columns; what is not there was not measured.
	Numbers map[string]float64
	Texts   map[string]string
}

// Row has the values in the order of columns that begin with CheckColumns. That a service is of no use is a value, and
// no failure of asking.
func (c Checked) Row(columns []way.Column) derive.Row {
	row := derive.Row{Values: make([]derive.Value, len(columns))}
	for i, x := range columns {
		if n, ok := c.Numbers[x.As]; ok {
			row.Values[i] = derive.Value{Kind: derive.Gauge, Num: n}
		} else if s, ok := c.Texts[x.As]; ok {
			row.Values[i] = derive.Value{Kind: derive.Text, Text: s}
		}
	}
	row.Values[0] = derive.Value{Kind: derive.Gauge, Num: float64(c.Verdict)}
	row.Values[1] = derive.Value{Kind: derive.Text, Text: c.Says}
	return row
}

// Seconds notes a time.
func (c *Checked) Seconds(column string, took time.Duration) { c.Number(column, took.Seconds()) }

// Number notes a number.
func (c *Checked) Number(column string, n float64) {
	if c.Numbers == nil {
		c.Numbers = map[string]float64{}
	}
	c.Numbers[column] = n
}

// Text notes a text.
func (c *Checked) Text(column, said string) {
	if c.Texts == nil {
		c.Texts = map[string]string{}
	}
	c.Texts[column] = said
}

// Judged is a check that came to an error, or to none. unable is returned where it is not the service that failed: this
// machine may not talk to it.
func (c Checked) Judged(err error, patience time.Duration) (_ Checked, unable error) {
	var barred *dial.Refused
	if errors.As(err, &barred) {
		return c, Fail(derive.Unable, barred)
	}
	if err == nil {
		c.Verdict = verdict.Passes
		return c, nil
	}
	c.Verdict, c.Says = VerdictOf(err, patience)
	return c, nil
}

// VerdictOf tells apart why a service could not be used, with a text in plain words.
func VerdictOf(err error, patience time.Duration) (verdict.Verdict, string) {
	var said *verdict.Failure
	var name *net.DNSError
	var timed net.Error
	switch {
	case errors.As(err, &said):
		return said.Verdict, said.Said
	case errors.As(err, &name) && name.IsNotFound:
		return verdict.NameNotFound, fmt.Sprintf("the name %s stands for no address", name.Name)
	case errors.As(err, &name) && name.IsTimeout:
		return verdict.NameNotFound, fmt.Sprintf("no name server answers what %s stands for", name.Name)
	case errors.As(err, &name):
		return verdict.NameNotFound, fmt.Sprintf("what %s stands for could not be found: %s", name.Name, name.Err)
	case errors.Is(err, syscall.ECONNREFUSED):
		return verdict.Refused, "nothing listens there: the connection is refused"
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return verdict.NoWay, "somebody on the way says that there is none"
	}
	if failed, why := tlsFailure(err); failed {
		return verdict.TLSFailed, why
	}
	switch {
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, os.ErrDeadlineExceeded), errors.As(err, &timed) && timed.Timeout():
		return verdict.TimedOut, fmt.Sprintf("it does not answer within %s", patience)
	case errors.Is(err, syscall.ECONNRESET), errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return verdict.ProtocolError, "it breaks off the connection before it has answered"
	}
	return verdict.ProtocolError, "what comes is not of the protocol: " + innermost(err)
}

// tlsFailure tells whether no secure connection came about, and why.
func tlsFailure(err error) (failed bool, why string) {
	var (
		host    x509.HostnameError
		unknown x509.UnknownAuthorityError
		invalid x509.CertificateInvalidError
		plain   tls.RecordHeaderError
		alert   tls.AlertError
		other   *tls.CertificateVerificationError
		said    *net.OpError // of an alert: its type is not exported
	)
	switch {
	case errors.As(err, &host):
		return true, "the certificate is not for this name: " + names(host)
	case errors.As(err, &unknown):
		return true, "the certificate comes from an authority that is not trusted here"
	case errors.As(err, &invalid) && invalid.Reason == x509.Expired:
		return true, "the certificate has run out, or does not hold yet: " + invalid.Detail
	case errors.As(err, &invalid):
		return true, "the certificate does not hold: " + invalid.Error()
	case errors.As(err, &plain):
		return true, "what answers there does not speak TLS"
	case errors.As(err, &alert):
		return true, "it breaks off the secure connection: " + alert.Error()
	case errors.As(err, &said) && (said.Op == "remote error" || said.Op == "local error"):
		return true, "it breaks off the secure connection: " + said.Err.Error()
	case errors.As(err, &other):
		return true, "the certificate does not hold: " + other.Unwrap().Error()
	}
	return false, ""
}

func names(err x509.HostnameError) string {
	if c := err.Certificate; len(c.DNSNames) > 0 {
		return "it is for " + text.Some(c.DNSNames, 3)
	}
	return "it names none in the way that counts (a subject alternative name)"
}

// innermost is what an error says at its root: what is around it, such as the ports of a connection, differs each time.
func innermost(err error) string {
	for {
		next := errors.Unwrap(err)
		if next == nil {
			return err.Error()
		}
		err = next
	}
}

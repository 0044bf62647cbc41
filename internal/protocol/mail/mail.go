// Package mail sends messages by SMTP.
package mail

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/textproto"
	"strings"
	"time"

	gomail "github.com/wneessen/go-mail"
	"github.com/wneessen/go-mail/smtp"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Server is where messages are handed over.
type Server struct {
	Host     string
	Port     int
	From     string
	User     string
	Password domain.Secret
	// Encryption is one of Encryptions; the empty one is StartTLS.
	Encryption string
	// Dial opens connections; nil for that of the machine.
	Dial func(ctx context.Context, network, address string) (net.Conn, error)
	// Roots are whose certificates are trusted; nil for those of the machine.
	Roots *x509.CertPool
}

// How a connection is encrypted.
const (
	StartTLS = "STARTTLS" // demanded before anything is said (RFC 3207)
	FromTLS  = "TLS"      // from its begin (RFC 8314, section 3)
	NoTLS    = "none"
)

// Encryptions are all of them, the usual one first.
func Encryptions() []string { return []string{StartTLS, FromTLS, NoTLS} }

// Message is one e-mail.
type Message struct {
	To, Subject, Body string
	// ID makes the Message-ID: the same message sent twice shows the same,
	// so that mail programs show it once.
	ID string
}

// How long each phase may take. A server that was handed a whole message may do
// much before it answers: only its answer tells whether it has taken it
// (RFC 5321, 4.5.3.2.6). What was said before matters less, so that it may be
// shorter than the RFC allows.
const (
	connectLimit = 20 * time.Second
	commandLimit = time.Minute
	bodyLimit    = 3 * time.Minute
	answerLimit  = 10 * time.Minute
	quitLimit    = 2 * time.Second
)

// mostSaid is how much a server may say while it takes one message, in bytes.
const mostSaid = 1 << 18

var errTalkative = fmt.Errorf("the mail server says more than %d bytes", mostSaid)

// rationed is a connection on which the peer may say so much.
type rationed struct {
	net.Conn
	left int
}

func (c *rationed) Read(p []byte) (int, error) {
	if c.left <= 0 {
		return 0, errTalkative
	}
	n, err := c.Conn.Read(p[:min(len(p), c.left)])
	c.left -= n
	return n, err
}

// dial returns a way to connect whose connections end with the context: the library looks
// at it only while it dials.
func (s Server) dial(until context.Context) gomail.DialContextFunc {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		open := s.Dial
		if open == nil {
			open = (&net.Dialer{}).DialContext
		}
		plain, err := open(ctx, network, address)
		if err != nil {
			return nil, err
		}
		context.AfterFunc(until, func() { _ = plain.Close() })
		conn := &rationed{plain, mostSaid}
		if s.Encryption == FromTLS {
			return tls.Client(conn, s.secure()), nil
		}
		return conn, nil
	}
}

// secure is what is demanded of an encrypted connection.
func (s Server) secure() *tls.Config {
	return &tls.Config{ServerName: s.Host, RootCAs: s.Roots, MinVersion: tls.VersionTLS12}
}

// Send hands a message over. permanent tells that trying again is useless. It is
// sent when the server says so after the message; what follows changes nothing.
func (s Server) Send(ctx context.Context, m Message) (outcome string, permanent bool, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	msg := gomail.NewMsg(gomail.WithNoDefaultUserAgent()) // of which library and version it is concerns nobody
	if err := msg.From(s.From); err != nil {
		return "", true, fmt.Errorf("sender: %w", err)
	}
	if err := msg.To(m.To); err != nil {
		return "", true, fmt.Errorf("recipient: %w", err)
	}
	msg.Subject(m.Subject)
	msg.SetMessageIDWithValue(m.ID)
	msg.SetDate()
	msg.SetBodyString(gomail.TypeTextPlain, m.Body)
	policy := gomail.TLSMandatory
	if s.Encryption == NoTLS || s.Encryption == FromTLS {
		policy = gomail.NoTLS
	}
	opts := []gomail.Option{
		gomail.WithPort(s.Port),
		gomail.WithTimeout(connectLimit),
		gomail.WithTLSPolicy(policy),
		gomail.WithHELO("tireless-owl.local"),
		gomail.WithTLSConfig(s.secure()),
		gomail.WithDialContextFunc(s.dial(ctx)),
	}
	if s.User != "" {
		opts = append(
			opts,
			gomail.WithSMTPAuth(gomail.SMTPAuthPlain),
			gomail.WithUsername(s.User),
			gomail.WithPassword(s.Password.Reveal()),
		)
	}
	client, err := gomail.NewClient(s.Host, opts...)
	if err != nil {
		return "", true, err
	}
	start := time.Now()
	conn, err := client.DialToSMTPClientWithContext(ctx)
	if err != nil {
		return "", false, brief(err)
	}
	defer conn.Close()
	err = transact(conn, msg, s.From, m.To)
	var answer *textproto.Error
	if err == nil || errors.As(err, &answer) { // it answers in order, and politeness ends in order
		_ = conn.UpdateDeadline(quitLimit)
		_ = conn.Quit()
	}
	if err != nil {
		return "", answer != nil && answer.Code >= 500, brief(err)
	}
	return "accepted by the mail server in " + units.Format(time.Since(start).Seconds(), "s"), false, nil
}

// mostTold is how much of what a server says is told, in bytes.
const mostTold = 300

var errUnencrypted = errors.New("the mail server offers no encryption by STARTTLS: nothing was sent; choose TLS, or none")

// brief is an error whose text is kept and shown: a server may say anything in it.
func brief(err error) error {
	if strings.Contains(err.Error(), "does not support STARTTLS") { // the library has no other sign of it
		return errUnencrypted
	}
	return errors.New(text.Brief(err.Error(), mostTold))
}

// transact is one mail transaction (RFC 5321, 3.3). Its error is nil when the
// server took the message, and only then.
func transact(conn *smtp.Client, msg *gomail.Msg, from, to string) error {
	sender, err := msg.GetSender(false)
	if err != nil {
		return fmt.Errorf("sender %s: %w", from, err)
	}
	recipients, err := msg.GetRecipients()
	if err != nil {
		return fmt.Errorf("recipient %s: %w", to, err)
	}
	within := func(limit time.Duration, what string, f func() error) error {
		err := conn.UpdateDeadline(limit)
		if err == nil {
			err = f()
		}
		if err != nil {
			err = fmt.Errorf("%s: %w", what, err)
		}
		return err
	}
	if err := within(commandLimit, "sender "+from, func() error { return conn.Mail(sender) }); err != nil {
		return err
	}
	for _, r := range recipients {
		if err := within(commandLimit, "recipient "+to, func() error { return conn.Rcpt(r) }); err != nil {
			return err
		}
	}
	body, err := conn.Data()
	if err != nil {
		return fmt.Errorf("message: %w", err)
	}
	if err := within(bodyLimit, "message", func() error { _, err := msg.WriteTo(body); return err }); err != nil {
		return err
	}
	return within(answerLimit, "message", body.Close)
}

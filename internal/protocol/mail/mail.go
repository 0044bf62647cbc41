// Package mail sends messages by SMTP.
package mail

import (
	"context"
	"errors"
	"fmt"
	"net"
	"time"

	gomail "github.com/wneessen/go-mail"

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
	TLS      bool // demand STARTTLS
}

// Message is one e-mail.
type Message struct {
	To, Subject, Body string
	// ID makes the Message-ID: the same message sent twice shows the same,
	// so that mail programs show it once.
	ID string
}

const timeout = 20 * time.Second

// dialer returns a way to connect whose connections end with the context:
// the library looks at it only while it dials.
func dialer(until context.Context) gomail.DialContextFunc {
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		conn, err := (&net.Dialer{}).DialContext(ctx, network, address)
		if err == nil {
			context.AfterFunc(until, func() { _ = conn.Close() })
		}
		return conn, err
	}
}

// Send hands a message over. permanent tells that trying again is useless.
func (s Server) Send(ctx context.Context, m Message) (outcome string, permanent bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, timeout)
	defer cancel()
	msg := gomail.NewMsg()
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
	policy := gomail.NoTLS
	if s.TLS {
		policy = gomail.TLSMandatory
	}
	opts := []gomail.Option{gomail.WithPort(s.Port), gomail.WithTimeout(timeout), gomail.WithTLSPolicy(policy), gomail.WithHELO("tireless-owl.local"), gomail.WithDialContextFunc(dialer(ctx))}
	if s.User != "" {
		opts = append(opts, gomail.WithSMTPAuth(gomail.SMTPAuthPlain), gomail.WithUsername(s.User), gomail.WithPassword(s.Password.Reveal()))
	}
	client, err := gomail.NewClient(s.Host, opts...)
	if err != nil {
		return "", true, err
	}
	start := time.Now()
	if err := client.DialAndSendWithContext(ctx, msg); err != nil {
		var sendErr *gomail.SendError
		return "", errors.As(err, &sendErr) && !sendErr.IsTemp() && sendErr.ErrorCode() >= 500, err
	}
	return "accepted by the mail server in " + units.Format(time.Since(start).Seconds(), "s"), false, nil
}

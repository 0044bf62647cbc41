// Package mail is the channel that tells by e-mail.
package mail

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	netmail "net/mail"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/channels"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/mail"
)

// Kind describes this kind of channel; servers are connected to by a way that is given.
func Kind(by dial.Func) channels.Kind {
	through := post{by}
	return channels.Kind{
		Kind: channel.Kind{
			Name:  "mail",
			Title: "Mail",
			About: "Sends e-mail through a mail server (SMTP, RFC 5321).",
			Settings: []field.Field{
				{Name: "host", Label: "Mail server", Kind: field.Text, Required: true, Destination: true},
				destination(field.Port("Port", "25")),
				{Name: "from", Label: "Sender", Kind: field.Text, Required: true, Help: "such as owl@kittiwake.example", Check: address},
				{Name: "user", Label: "User, where it asks for one", Kind: field.Text},
				{Name: "password", Label: "Password", Kind: field.Secret},
				{
					Name:        "encryption",
					Label:       "Encryption",
					Kind:        field.Choice,
					Choices:     mail.Encryptions(),
					Default:     mail.StartTLS,
					Help:        "STARTTLS (RFC 3207) is demanded, TLS (RFC 8314) begins at once; either way the certificate is checked",
					Destination: true,
				},
			},
			Carries:   []domain.DeliveryKind{domain.DeliverMessage},
			Recipient: &field.Field{Name: "to", Label: "Address", Kind: field.Text, Required: true, Check: address},
		},
		Send: through.send,
		Try:  through.try,
	}
}

// post is the channel at work.
type post struct{ dial dial.Func }

func destination(f field.Field) field.Field {
	f.Destination = true
	return f
}

func address(value string) string {
	a, err := netmail.ParseAddress(value)
	if err != nil || !plain(a.Address) {
		return "Must be a mail address such as owl@kittiwake.example."
	}
	return ""
}

// plain tells whether what stands before the @ does without quotes: what needs them
// (RFC 5321, 4.1.2) few servers take.
func plain(address string) bool {
	local := address[:strings.LastIndexByte(address, '@')]
	return local != "" && !strings.ContainsAny(local, "\" \t<>()[]:;@\\,")
}

func (p post) server(at channel.Opened) mail.Server {
	port, _ := strconv.Atoi(at.Settings["port"])
	return mail.Server{Host: at.Settings["host"], Port: port, From: at.Settings["from"], User: at.Settings["user"],
		Password: at.Secrets["password"], Encryption: at.Settings["encryption"], Dial: p.dial}
}

func (p post) send(ctx context.Context, at channel.Opened, m channel.Message) (channel.Receipt, error) {
	outcome, final, err := p.server(at).Send(ctx, mail.Message{To: m.Recipient, Subject: m.Subject, Body: m.Body, ID: messageID(m.Key)})
	if final {
		err = channels.Permanent(err)
	}
	return channel.Receipt{Outcome: outcome}, err
}

// messageID makes a Message-ID of a delivery's key: the same message sent
// twice shows the same, so that mail programs show it once.
func messageID(key string) string {
	sum := sha256.Sum256([]byte(key))
	return "owl-" + hex.EncodeToString(sum[:16]) + "@tireless-owl.local"
}

// tryLimit is how long somebody who tries a channel may have to wait.
const tryLimit = 30 * time.Second

func (p post) try(ctx context.Context, at channel.Opened, to string) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, tryLimit)
	defer cancel()
	outcome, _, err := p.server(at).Send(ctx, mail.Message{To: to, Subject: "Test of this channel",
		Body: "This message was sent from the channel's page to see whether " +
			"it arrives.\n", ID: messageID("test " + time.Now().Format(time.RFC3339Nano))})
	return outcome, err
}

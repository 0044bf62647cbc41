// Package desk is the channel to a ticket desk: it opens tickets and notes on
// them what happens.
package desk

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strings"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/channels"
	"tirelessowl/internal/protocol/desk"
	"tirelessowl/internal/protocol/dial"
)

// Kind describes this kind of channel; desks are connected to by a way that is given.
func Kind(by dial.Func) channels.Kind {
	counter := counter{dial.Client(by, desk.Patience)}
	return channels.Kind{
		Kind: channel.Kind{
			Name:  "desk",
			Title: "Ticket desk",
			About: "Opens a ticket for an incident and notes on it what happens, over the desk's REST API.",
			Settings: []field.Field{
				{Name: "url", Label: "Address of the desk", Kind: field.Text, Required: true, Destination: true, Check: webAddress},
				{Name: "token", Label: "Token", Kind: field.Secret},
			},
			Carries: []domain.DeliveryKind{domain.DeliverTicket, domain.DeliverNote},
		},
		Send: counter.send,
		Try: func(ctx context.Context, at channel.Opened, _ string) (string, error) {
			return "the desk answers and takes the token", counter.open(at).Check(ctx)
		},
	}
}

// counter is the channel at work.
type counter struct{ http *http.Client }

func webAddress(value string) string {
	u, err := url.Parse(value)
	switch {
	case err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "":
		return "Must be an address that begins with http:// or https://."
	case u.User != nil:
		return "Must be without a name or password in it: a token has its own field."
	case u.RawQuery != "" || u.Fragment != "" || strings.HasSuffix(value, "#") || strings.HasSuffix(value, "?"):
		return "Must end with its path: what stands behind ? or # is not used."
	}
	return ""
}

func (c counter) open(at channel.Opened) desk.Desk {
	return desk.Desk{URL: at.Settings["url"], Token: at.Secrets["token"], HTTP: c.http}
}

func (c counter) send(ctx context.Context, at channel.Opened, m channel.Message) (channel.Receipt, error) {
	if m.Kind == domain.DeliverNote {
		if _, err := c.open(at).Note(ctx, m.Ticket, m.Key, m.Body); err != nil {
			return channel.Receipt{}, marked(err)
		}
		return channel.Receipt{Outcome: "noted on " + m.Ticket}, nil
	}
	t, err := c.open(
		at,
	).Open(ctx, desk.Ticket{
		Kind: "incident", Title: m.Subject, Body: m.Body, Link: m.Reference, Label: m.Level.String(), Reference: m.Reference,
	})
	if err != nil {
		return channel.Receipt{}, marked(err)
	}
	return channel.Receipt{Outcome: "ticket " + t.Number, Ticket: &channel.Ticket{Number: t.Number, URL: t.URL, State: t.State}}, nil
}

// marked tells the errors that another attempt will not mend.
func marked(err error) error {
	var refused interface{ Permanent() bool }
	if errors.As(err, &refused) && refused.Permanent() {
		return channels.Permanent(err)
	}
	return err
}

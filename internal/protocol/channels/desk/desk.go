// Package desk is the channel to a ticket desk: it opens tickets and notes on
// them what happens.
package desk

import (
	"context"
	"errors"
	"strings"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/channels"
	"tirelessowl/internal/protocol/desk"
)

// Kind describes this kind of channel.
var Kind = channels.Kind{
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
	Send: send,
	Try: func(ctx context.Context, at channel.Opened, _ string) (string, error) {
		return "the desk answers and takes the token", open(at).Check(ctx)
	},
}

func webAddress(value string) string {
	if !strings.HasPrefix(value, "http://") && !strings.HasPrefix(value, "https://") {
		return "Must begin with http:// or https://."
	}
	return ""
}

func open(at channel.Opened) desk.Desk {
	return desk.Desk{URL: at.Settings["url"], Token: at.Secrets["token"]}
}

func send(ctx context.Context, at channel.Opened, m channel.Message) (channel.Receipt, error) {
	if m.Kind == domain.DeliverNote {
		if _, err := open(at).Note(ctx, m.Ticket, m.Key, m.Body); err != nil {
			return channel.Receipt{}, marked(err)
		}
		return channel.Receipt{Outcome: "noted on " + m.Ticket}, nil
	}
	t, err := open(
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

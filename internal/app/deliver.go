package app

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/protocol/desk"
	"tirelessowl/internal/protocol/mail"
	"tirelessowl/internal/store"
)

// deliverer carries deliveries to mail servers and desks.
type deliverer struct {
	store *store.Store
	url   string
}

// Deliver implements engine.Deliverer.
func (d deliverer) Deliver(ctx context.Context, x domain.Delivery) (engine.Receipt, bool, error) {
	channel, secret, err := d.store.Channels.One(ctx, x.ChannelID)
	if err != nil {
		return engine.Receipt{}, false, fmt.Errorf("its channel: %w", err)
	}
	switch x.Kind {
	case domain.DeliverMail:
		outcome, permanent, err := d.mailServer(channel, secret).Send(ctx, mail.Message{To: x.Recipient, Subject: x.Subject, Body: x.Body,
			ID: fmt.Sprintf("owl-delivery-%d@tireless-owl.local", x.ID)})
		return engine.Receipt{Outcome: outcome}, permanent, err
	case domain.DeliverTicket:
		return d.ticket(ctx, x, desk.Desk{URL: channel.Settings["url"], Token: secret})
	}
	return d.note(ctx, x, desk.Desk{URL: channel.Settings["url"], Token: secret})
}

func (d deliverer) mailServer(c domain.Channel, secret domain.Secret) mail.Server {
	port, _ := strconv.Atoi(c.Settings["port"])
	return mail.Server{Host: c.Settings["host"], Port: port, From: c.Settings["from"], User: c.Settings["user"], Password: secret, TLS: c.Settings["tls"] == "yes"}
}

// reference names an incident at the desk; it holds the address of this
// installation, so that two of them can share a desk.
func (d deliverer) reference(incident domain.ID) string {
	return fmt.Sprintf("%s/incidents/%d", d.url, incident)
}

func (d deliverer) ticket(ctx context.Context, x domain.Delivery, at desk.Desk) (engine.Receipt, bool, error) {
	ref := d.reference(x.IncidentID)
	t, err := at.Open(ctx, desk.Ticket{Kind: "incident", Title: x.Subject, Body: x.Body, Link: ref, Label: x.Level.String(), Reference: ref})
	if err != nil {
		return engine.Receipt{}, permanent(err), err
	}
	return engine.Receipt{Outcome: "ticket " + t.Number, Ticket: &domain.Ticket{IncidentID: x.IncidentID, ChannelID: x.ChannelID, Number: t.Number,
		URL: t.URL, State: t.State, CreatedAt: time.Now().UTC()}}, false, nil
}

func (d deliverer) note(ctx context.Context, x domain.Delivery, at desk.Desk) (engine.Receipt, bool, error) {
	ticket, err := d.store.Tickets.Of(ctx, x.IncidentID)
	if err != nil {
		return engine.Receipt{}, false, err
	}
	_, err = at.Note(ctx, ticket.Number, fmt.Sprintf("%s/deliveries/%d", d.url, x.ID), x.Body)
	if err != nil {
		return engine.Receipt{}, permanent(err), err
	}
	return engine.Receipt{Outcome: "noted on " + ticket.Number}, false, nil
}

func permanent(err error) bool {
	refused, ok := err.(interface{ Permanent() bool })
	return ok && refused.Permanent()
}

// TestChannel tries a channel from its own page and says how it went.
func (d deliverer) TestChannel(ctx context.Context, id domain.ID, to string) (string, error) {
	channel, secret, err := d.store.Channels.One(ctx, id)
	if err != nil {
		return "", err
	}
	if channel.Kind == domain.ChannelDesk {
		return "the desk answers and takes the token", desk.Desk{URL: channel.Settings["url"], Token: secret}.Check(ctx)
	}
	outcome, _, err := d.mailServer(channel, secret).Send(ctx, mail.Message{To: to, Subject: "Test of the channel “" + channel.Name + "”",
		Body: "This message was sent from the channel's page to see whether it arrives.\n", ID: fmt.Sprintf("owl-test-%d@tireless-owl.local", time.Now().UnixNano())})
	return outcome, err
}

func domainSecret(s string) domain.Secret { return domain.Secret(s) }

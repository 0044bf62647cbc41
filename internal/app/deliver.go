package app

import (
	"context"
	"errors"
	"fmt"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/channels"
	"tirelessowl/internal/store"
)

// deliverer carries deliveries to their channels, of whatever kind those are.
type deliverer struct {
	store    *store.Store
	channels channels.List
	url      string
}

// Deliver implements engine.Deliverer.
func (d deliverer) Deliver(ctx context.Context, x domain.Delivery) (channel.Receipt, bool, error) {
	at, secrets, err := d.store.Channels.One(ctx, x.ChannelID)
	if errors.Is(err, domain.ErrNotFound) {
		return channel.Receipt{}, true, errors.New("its channel was removed")
	}
	if err != nil {
		return channel.Receipt{}, false, fmt.Errorf("its channel: %w", err)
	}
	m, err := d.message(ctx, x)
	if err != nil {
		return channel.Receipt{}, false, err
	}
	r, err := d.channels.Send(ctx, at.Kind, channel.Opened{Settings: at.Settings, Secrets: secrets}, m)
	return r, channels.IsPermanent(err), err
}

// message makes what a channel takes of a delivery. Its key and reference hold
// the address of this installation, so that two of them can share a desk.
func (d deliverer) message(ctx context.Context, x domain.Delivery) (channel.Message, error) {
	m := channel.Message{
		Kind:      x.Kind,
		Key:       fmt.Sprintf("%s/deliveries/%d", d.url, x.ID),
		Reference: fmt.Sprintf("%s/incidents/%d", d.url, x.IncidentID),
		Recipient: x.Recipient,
		Subject:   x.Subject,
		Body:      x.Body,
		Level:     x.Level,
	}
	if x.Kind != domain.DeliverNote {
		return m, nil
	}
	ticket, err := d.store.Tickets.Of(ctx, x.IncidentID)
	m.Ticket = ticket.Number
	return m, err
}

// Package channel describes ways to tell someone: their settings, what they
// carry and who may be told, as data. How it is done is a protocol's affair.
package channel

import (
	"slices"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

// Kind is one kind of channel, described.
type Kind struct {
	Name  string
	Title string
	About string
	// Settings are those of a channel, the secret ones included.
	Settings []field.Field
	// Carries are the kinds of delivery that it can take.
	Carries []domain.DeliveryKind
	// Recipient is how a recipient is written; nil where a channel has no
	// recipients of its own: what it tells, it tells to all who look there.
	Recipient *field.Field
}

// Takes tells whether the kind can take a kind of delivery.
func (k Kind) Takes(d domain.DeliveryKind) bool { return slices.Contains(k.Carries, d) }

// Kinds are all kinds of channels that there are.
type Kinds []Kind

// Of returns a kind by its name; ok is false when there is none.
func (k Kinds) Of(name string) (Kind, bool) {
	for _, kind := range k {
		if kind.Name == name {
			return kind, true
		}
	}
	return Kind{}, false
}

// Opened is a channel with its secrets, ready to be used.
type Opened struct {
	Settings map[string]string
	Secrets  domain.Secrets
}

// Message is one delivery on its way.
type Message struct {
	Kind domain.DeliveryKind
	// Key names the delivery and Reference the incident, both the same at each
	// attempt and different from those of other installations: a message that
	// is sent again must not be taken for another one.
	Key, Reference string
	Recipient      string
	Subject, Body  string
	Level          domain.Level
	// Ticket is the number of the incident's ticket, for notes.
	Ticket string
}

// Receipt is the outcome of one attempt.
type Receipt struct {
	Outcome string  // in words
	Ticket  *Ticket // when the attempt opened or found one
}

// Ticket is a record at a desk.
type Ticket struct{ Number, URL, State string }

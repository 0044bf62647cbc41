package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Delivery is one message on its way, with its outcome.
type Delivery struct {
	ID         int64     `json:"id" example:"300"`
	IncidentID int64     `json:"incident_id" example:"91"`
	Plan       string    `json:"plan" example:"Everything"`
	Step       string    `json:"step"`
	Event      string    `json:"event" example:"alert"`
	Level      Level     `json:"level"`
	Kind       string    `json:"kind" enum:"message,ticket,note" example:"message"`
	ChannelID  Ref       `json:"channel_id"`
	Recipient  string    `json:"recipient" example:"night@harbour.example"`
	Subject    string    `json:"subject"`
	Body       string    `json:"body"`
	State      string    `json:"state" enum:"waiting,sent,failed" example:"sent"`
	Attempts   int       `json:"attempts" example:"1"`
	Error      string    `json:"error" example:""`
	Outcome    string    `json:"outcome"`
	CreatedAt  Moment    `json:"created_at"`
	NextTryAt  Moment    `json:"next_try_at"`
	DoneAt     Moment    `json:"done_at"`
	Why        why.Trace `json:"why"`
}

func deliveryOf(d domain.Delivery) Delivery {
	return Delivery{
		ID:         d.ID,
		IncidentID: d.IncidentID,
		Plan:       d.Plan,
		Step:       d.Step,
		Event:      string(d.Event),
		Level:      Level(d.Level),
		Kind:       string(d.Kind),
		ChannelID:  Ref(d.ChannelID),
		Recipient:  d.Recipient,
		Subject:    d.Subject,
		Body:       d.Body,
		State:      string(d.State),
		Attempts:   d.Attempts,
		Error:      d.Error,
		Outcome:    d.Outcome,
		CreatedAt:  Moment{d.CreatedAt},
		NextTryAt:  Moment{d.NextTryAt},
		DoneAt:     Moment{d.DoneAt},
		Why:        d.Why,
	}
}

func (d Delivery) at(string) (string, domain.ID) { return "", d.ID }

// Ticket is an incident's record at the desk.
type Ticket struct {
	ID         int64  `json:"id" example:"8"`
	IncidentID int64  `json:"incident_id" example:"91"`
	ChannelID  Ref    `json:"channel_id"`
	Number     string `json:"number" example:"T-1024"`
	URL        string `json:"url" example:"https://desk.harbour.example/tickets/1024"`
	State      string `json:"state" example:"open"`
	CreatedAt  Moment `json:"created_at"`
}

func ticketOf(t domain.Ticket) Ticket {
	return Ticket{t.ID, t.IncidentID, Ref(t.ChannelID), t.Number, t.URL, t.State, Moment{t.CreatedAt}}
}

func (t Ticket) at(string) (string, domain.ID) { return "", t.ID }

// DeliveryFilter picks deliveries.
type DeliveryFilter struct {
	Paging
	State      string `query:"state" enum:"waiting,sent,failed"`
	IncidentID int64  `query:"incident_id" minimum:"1"`
}

// TicketFilter picks tickets.
type TicketFilter struct {
	Paging
	State string `query:"state" maxLength:"100" doc:"As the desk says"`
}

func (a *api) deliveries() {
	pages(a, operation{http.MethodGet, "/deliveries", "List deliveries", domain.AreaRespond, domain.AccessSee}, orders{"-id"},
		func(ctx context.Context, in DeliveryFilter, p domain.Page) ([]Delivery, int64, error) {
			f := domain.DeliveryFilter{State: domain.DeliveryState(in.State), IncidentID: in.IncidentID, Page: &p}
			found, total, err := a.Respond.Deliveries(ctx, caller(ctx), f)
			return every(found, deliveryOf), total, err
		})
	add(a, operation{http.MethodGet, "/deliveries/{id}", "Read a delivery", domain.AreaRespond, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Delivery], error) {
			d, err := a.Respond.Delivery(ctx, caller(ctx), in.ID)
			return one(deliveryOf(d), err)
		})
	add(a, operation{http.MethodPost, "/deliveries/{id}/retry", "Deliver again what failed for good", domain.AreaRespond,
		domain.AccessOperate},
		func(ctx context.Context, in *ByID) (*Body[Delivery], error) {
			if err := a.Respond.Retry(ctx, caller(ctx), in.ID); err != nil {
				return nil, err
			}
			d, err := a.Respond.Delivery(ctx, caller(ctx), in.ID)
			return one(deliveryOf(d), err)
		})
	pages(a, operation{http.MethodGet, "/tickets", "List tickets", domain.AreaRespond, domain.AccessSee}, orders{"-id"},
		func(ctx context.Context, in TicketFilter, p domain.Page) ([]Ticket, int64, error) {
			found, total, err := a.Respond.Tickets(ctx, caller(ctx), domain.TicketFilter{State: in.State, Page: &p})
			return every(found, ticketOf), total, err
		})
}

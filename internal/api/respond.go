package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
)

func (a *api) incidents() {
	const tag = "incidents"
	type filter struct {
		Page
		State    string `query:"state" enum:"open,acknowledged,resolved" required:"false"`
		DeviceID int64  `query:"device_id"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/incidents", tag, "Incidents, newest first",
		func(ctx context.Context, in *filter) (*Body[Items[domain.Incident]], error) {
			f := store.IncidentFilter{DeviceID: in.DeviceID, Limit: in.Limit, Offset: in.Offset}
			if in.State != "" {
				f.States = []domain.IncidentState{domain.IncidentState(in.State)}
			}
			list, total, err := a.Store.Incidents.Find(ctx, f)
			out, err := items(list, err)
			out.Body.Total = &total
			return out, err
		})
	add(a, domain.AccessSee, http.MethodGet, "/incidents/{id}", tag, "One incident with alerts, story, deliveries and ticket",
		func(ctx context.Context, in *ByID) (*Body[respond.Dossier], error) {
			return one(a.Respond.Incident(ctx, in.ID))
		})
	type words struct {
		ByID
		Body struct {
			Text string `json:"text" maxLength:"10000"`
		}
	}
	again := func(ctx context.Context, id domain.ID, err error) (*Body[respond.Dossier], error) {
		if err != nil {
			return nil, err
		}
		return one(a.Respond.Incident(ctx, id))
	}
	add(a, domain.AccessOperate, http.MethodPost, "/incidents/{id}/acknowledge", tag, "Take an incident on",
		func(ctx context.Context, in *ByID) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Acknowledge(ctx, in.ID, caller(ctx).Name))
		})
	add(a, domain.AccessOperate, http.MethodPost, "/incidents/{id}/comment", tag, "Add words to the story",
		func(ctx context.Context, in *words) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Comment(ctx, in.ID, caller(ctx).Name, in.Body.Text))
		})
	add(a, domain.AccessOperate, http.MethodPost, "/incidents/{id}/resolve", tag, "End an incident by hand",
		func(ctx context.Context, in *words) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Resolve(ctx, in.ID, caller(ctx).Name, in.Body.Text))
		})
	type alertFilter struct {
		DeviceID int64 `query:"device_id"`
		Open     bool  `query:"open" doc:"Only those that last"`
		Limit    int   `query:"limit" minimum:"1" maximum:"1000" default:"100"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/alerts", tag, "Alerts, newest first",
		func(ctx context.Context, in *alertFilter) (*Body[Items[domain.Alert]], error) {
			return items(a.Store.Alerts.Find(ctx, in.DeviceID, in.Open, in.Limit))
		})
	type deliveryFilter struct {
		Page
		State string `query:"state" enum:"waiting,sent,failed" required:"false"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/deliveries", tag, "Deliveries, newest first",
		func(ctx context.Context, in *deliveryFilter) (*Body[Items[domain.Delivery]], error) {
			return items(a.Store.Deliveries.Find(ctx, domain.DeliveryState(in.State), in.Limit, in.Offset))
		})
	add(a, domain.AccessSee, http.MethodGet, "/tickets", tag, "Tickets, newest first",
		func(ctx context.Context, in *Page) (*Body[Items[domain.Ticket]], error) {
			return items(a.Store.Tickets.Find(ctx, nil, in.Limit))
		})
}

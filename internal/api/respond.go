package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
)

func (a *api) incidents() {
	const tag = "incidents"
	type filter struct {
		Page
		State    string `query:"state"     enum:"open,acknowledged,resolved" required:"false"`
		DeviceID int64  `query:"device_id"`
		Tag      string `query:"tag"`
	}
	add(a, domain.AreaRespond, domain.AccessSee, http.MethodGet, "/incidents", tag, "Incidents, newest first",
		func(ctx context.Context, in *filter) (*Body[Items[domain.Incident]], error) {
			f := domain.IncidentFilter{DeviceID: in.DeviceID, Tag: in.Tag, Limit: in.Limit, Offset: in.Offset}
			if in.State != "" {
				f.States = []domain.IncidentState{domain.IncidentState(in.State)}
			}
			found, total, err := a.Respond.Incidents(ctx, caller(ctx), f)
			list := make([]domain.Incident, len(found))
			for i, x := range found {
				list[i] = x.Incident
			}
			out, err := items(list, err)
			out.Body.Total = &total
			return out, err
		})
	add(
		a,
		domain.AreaRespond,
		domain.AccessSee,
		http.MethodGet,
		"/incidents/{id}",
		tag,
		"One incident with alerts, story, deliveries and ticket",
		func(ctx context.Context, in *ByID) (*Body[respond.Dossier], error) {
			return one(a.Respond.Incident(ctx, caller(ctx), in.ID))
		},
	)
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
		return one(a.Respond.Incident(ctx, caller(ctx), id))
	}
	add(a, domain.AreaRespond, domain.AccessOperate, http.MethodPost, "/incidents/{id}/acknowledge", tag, "Take an incident on",
		func(ctx context.Context, in *ByID) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Acknowledge(ctx, caller(ctx), in.ID))
		})
	add(a, domain.AreaRespond, domain.AccessOperate, http.MethodPost, "/incidents/{id}/comment", tag, "Add words to the story",
		func(ctx context.Context, in *words) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Comment(ctx, caller(ctx), in.ID, in.Body.Text))
		})
	add(a, domain.AreaRespond, domain.AccessOperate, http.MethodPost, "/incidents/{id}/resolve", tag, "End an incident by hand",
		func(ctx context.Context, in *words) (*Body[respond.Dossier], error) {
			return again(ctx, in.ID, a.Respond.Resolve(ctx, caller(ctx), in.ID, in.Body.Text))
		})
	type alertFilter struct {
		DeviceID int64 `query:"device_id"`
		Open     bool  `query:"open"      doc:"Only those that last"`
		Limit    int   `query:"limit"                                minimum:"1" maximum:"1000" default:"100"`
	}
	add(a, domain.AreaRespond, domain.AccessSee, http.MethodGet, "/alerts", tag, "Alerts, newest first",
		func(ctx context.Context, in *alertFilter) (*Body[Items[domain.Alert]], error) {
			return items(a.Respond.Alerts(ctx, caller(ctx), in.DeviceID, in.Open, in.Limit))
		})
	type deliveryFilter struct {
		Page
		State string `query:"state" enum:"waiting,sent,failed" required:"false"`
	}
	add(a, domain.AreaRespond, domain.AccessSee, http.MethodGet, "/deliveries", tag, "Deliveries, newest first",
		func(ctx context.Context, in *deliveryFilter) (*Body[Items[domain.Delivery]], error) {
			return items(a.Respond.Deliveries(ctx, caller(ctx), domain.DeliveryState(in.State), in.Limit, in.Offset))
		})
	add(a, domain.AreaRespond, domain.AccessSee, http.MethodGet, "/tickets", tag, "Tickets, newest first",
		func(ctx context.Context, in *Page) (*Body[Items[domain.Ticket]], error) {
			return items(a.Respond.Tickets(ctx, caller(ctx), in.Limit))
		})
}

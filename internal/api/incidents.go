package api

import (
	"context"
	"net/http"
	"strconv"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
)

// Incident is the alerts that belong to one cause.
type Incident struct {
	ID             int64     `json:"id" example:"91"`
	DeviceID       int64     `json:"device_id" example:"12"`
	Device         string    `json:"device" example:"gr-sw-1"`
	Cause          string    `json:"cause"`
	Title          string    `json:"title" example:"/srv is nearly full"`
	Level          Level     `json:"level" doc:"Now, while an alert lasts; afterwards its worst"`
	Worst          Level     `json:"worst" doc:"Of the present episode"`
	State          string    `json:"state" enum:"open,acknowledged,resolved" example:"open"`
	OpenedAt       Moment    `json:"opened_at"`
	EpisodeAt      Moment    `json:"episode_at" doc:"Begin of the present episode: opened, or reopened"`
	AcknowledgedAt Moment    `json:"acknowledged_at"`
	AcknowledgedBy string    `json:"acknowledged_by" example:"Ines"`
	FellAt         Moment    `json:"fell_at" doc:"When its level last fell within the episode"`
	FellTo         *Level    `json:"fell_to" doc:"The level that it fell to"`
	RecoveredAt    Moment    `json:"recovered_at" doc:"null while an alert lasts"`
	ResolvedAt     Moment    `json:"resolved_at"`
	ResolvedBy     string    `json:"resolved_by" example:""`
	Reopened       int       `json:"reopened" example:"0"`
	Tags           []string  `json:"tags" nullable:"false"`
	Why            why.Trace `json:"why"`
}

func incidentOf(in domain.Incident, device string) Incident {
	out := Incident{
		ID:             in.ID,
		DeviceID:       in.DeviceID,
		Device:         device,
		Cause:          in.Cause,
		Title:          in.Title,
		Level:          Level(in.Level),
		Worst:          Level(in.Worst),
		State:          string(in.State),
		OpenedAt:       Moment{in.OpenedAt},
		EpisodeAt:      Moment{in.EpisodeAt},
		AcknowledgedAt: Moment{in.AcknowledgedAt},
		AcknowledgedBy: in.AcknowledgedBy,
		FellAt:         Moment{in.FellAt},
		RecoveredAt:    Moment{in.RecoveredAt},
		ResolvedAt:     Moment{in.ResolvedAt},
		ResolvedBy:     in.ResolvedBy,
		Reopened:       in.Reopened,
		Tags:           append([]string{}, in.Tags...),
		Why:            in.Why,
	}
	if !in.FellAt.IsZero() {
		fell := Level(in.FellTo)
		out.FellTo = &fell
	}
	return out
}

func (in Incident) at(order string) (string, domain.ID) {
	switch order {
	case "opened":
		return keyOf(in.OpenedAt.Time), in.ID
	case "level":
		return strconv.Itoa(int(in.Level)), in.ID
	}
	return "", in.ID
}

// Alert is one rule in trouble on one series, from start to end.
type Alert struct {
	ID         int64     `json:"id" example:"201"`
	RuleID     Ref       `json:"rule_id"`
	SeriesID   int64     `json:"series_id" example:"815"`
	DeviceID   int64     `json:"device_id" example:"12"`
	IncidentID int64     `json:"incident_id" example:"91"`
	Level      Level     `json:"level"`
	Cause      string    `json:"cause"`
	Title      string    `json:"title" example:"/srv is nearly full"`
	FirstBadAt Moment    `json:"first_bad_at"`
	OpenedAt   Moment    `json:"opened_at"`
	EndedAt    Moment    `json:"ended_at" doc:"null while it lasts"`
	Value      float64   `json:"value" example:"91.5"`
	Limit      float64   `json:"limit" example:"90"`
	Unit       string    `json:"unit" example:"%"`
	Why        why.Trace `json:"why"`
}

func alertOf(x domain.Alert) Alert {
	return Alert{
		ID:         x.ID,
		RuleID:     Ref(x.RuleID),
		SeriesID:   x.SeriesID,
		DeviceID:   x.DeviceID,
		IncidentID: x.IncidentID,
		Level:      Level(x.Level),
		Cause:      x.Cause,
		Title:      x.Title,
		FirstBadAt: Moment{x.FirstBadAt},
		OpenedAt:   Moment{x.OpenedAt},
		EndedAt:    Moment{x.EndedAt},
		Value:      x.Value,
		Limit:      x.Limit,
		Unit:       x.Unit,
		Why:        x.Why,
	}
}

func (x Alert) at(order string) (string, domain.ID) {
	if order == "opened" {
		return keyOf(x.OpenedAt.Time), x.ID
	}
	return "", x.ID
}

// Event is one entry of an incident's story.
type Event struct {
	ID         int64     `json:"id" example:"512"`
	At         Moment    `json:"at"`
	Kind       string    `json:"kind" example:"alert"`
	Level      Level     `json:"level"`
	Text       string    `json:"text"`
	Detail     string    `json:"detail"`
	By         string    `json:"by" example:""`
	AlertID    Ref       `json:"alert_id"`
	DeliveryID Ref       `json:"delivery_id"`
	Why        why.Trace `json:"why"`
}

func eventOf(e domain.Event) Event {
	return Event{e.ID, Moment{e.At}, string(e.Kind), Level(e.Level), e.Text, e.Detail, e.By, Ref(e.AlertID), Ref(e.DeliveryID), e.Why}
}

// Dossier is an incident with all that belongs to it.
type Dossier struct {
	Incident
	Removed    bool       `json:"removed" doc:"The device is no longer watched" example:"false"`
	Alerts     []Alert    `json:"alerts" nullable:"false"`
	Events     []Event    `json:"events" nullable:"false" doc:"Its story, in the order of time"`
	Deliveries []Delivery `json:"deliveries" nullable:"false"`
	Ticket     *Ticket    `json:"ticket,omitempty"`
	Earlier    []Incident `json:"earlier" nullable:"false" doc:"Of the same device and cause"`
}

func dossierOf(d respond.Dossier) Dossier {
	out := Dossier{
		Incident:   incidentOf(d.Incident, d.Device.Name),
		Removed:    d.Removed,
		Alerts:     every(d.Alerts, alertOf),
		Events:     every(d.Events, eventOf),
		Deliveries: every(d.Deliveries, deliveryOf),
		Earlier:    every(d.Earlier, func(in domain.Incident) Incident { return incidentOf(in, d.Device.Name) }),
	}
	if d.Ticket != nil {
		ticket := ticketOf(*d.Ticket)
		out.Ticket = &ticket
	}
	return out
}

// IncidentFilter picks incidents.
type IncidentFilter struct {
	Paging
	State    string `query:"state" enum:"open,acknowledged,resolved"`
	AtLeast  string `query:"at_least" doc:"Of this level and above" enum:"notice,warning,critical"`
	DeviceID int64  `query:"device_id" minimum:"1"`
	Tag      string `query:"tag" maxLength:"100"`
	Search   string `query:"q" maxLength:"200" doc:"Part of the title or of the device's name; role=standby; #tag"`
}

// AlertFilter picks alerts.
type AlertFilter struct {
	Paging
	DeviceID int64 `query:"device_id" minimum:"1"`
	Open     bool  `query:"open" doc:"Only those that last"`
}

// Words are what somebody adds to a story.
type Words struct {
	ByID
	Body struct {
		Text string `json:"text" maxLength:"10000" example:"The card is exchanged."`
	}
}

func (a *api) incidents() {
	pages(a, operation{http.MethodGet, "/incidents", "List incidents", domain.AreaRespond, domain.AccessSee},
		orders{"-opened", "-level", "id"},
		func(ctx context.Context, in IncidentFilter, p domain.Page) ([]Incident, int64, error) {
			f := domain.IncidentFilter{
				AtLeast:  levelOf(in.AtLeast),
				DeviceID: in.DeviceID,
				Tag:      in.Tag,
				Search:   in.Search,
				Page:     &p,
			}
			if in.State != "" {
				f.States = []domain.IncidentState{domain.IncidentState(in.State)}
			}
			found, total, err := a.Respond.Incidents(ctx, caller(ctx), f)
			return every(found, func(x respond.Listed) Incident { return incidentOf(x.Incident, x.Device) }), total, err
		})
	add(a, operation{http.MethodGet, "/incidents/{id}", "Read an incident with its alerts, story, deliveries and ticket",
		domain.AreaRespond, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Dossier], error) { return a.dossier(ctx, in.ID, nil) })
	add(a, operation{http.MethodPost, "/incidents/{id}/acknowledge", "Take an incident on", domain.AreaRespond, domain.AccessOperate},
		func(ctx context.Context, in *ByID) (*Body[Dossier], error) {
			return a.dossier(ctx, in.ID, a.Respond.Acknowledge(ctx, caller(ctx), in.ID))
		})
	add(a, operation{http.MethodPost, "/incidents/{id}/comment", "Add words to the story", domain.AreaRespond, domain.AccessOperate},
		func(ctx context.Context, in *Words) (*Body[Dossier], error) {
			return a.dossier(ctx, in.ID, a.Respond.Comment(ctx, caller(ctx), in.ID, in.Body.Text))
		})
	add(a, operation{http.MethodPost, "/incidents/{id}/resolve", "End an incident by hand", domain.AreaRespond, domain.AccessOperate},
		func(ctx context.Context, in *Words) (*Body[Dossier], error) {
			return a.dossier(ctx, in.ID, a.Respond.Resolve(ctx, caller(ctx), in.ID, in.Body.Text))
		})
	pages(a, operation{http.MethodGet, "/alerts", "List alerts", domain.AreaRespond, domain.AccessSee}, orders{"-opened", "id"},
		func(ctx context.Context, in AlertFilter, p domain.Page) ([]Alert, int64, error) {
			f := domain.AlertFilter{DeviceID: in.DeviceID, Open: in.Open, Page: &p}
			found, total, err := a.Respond.Alerts(ctx, caller(ctx), f)
			return every(found, alertOf), total, err
		})
	add(a, operation{http.MethodGet, "/alerts/{id}", "Read an alert", domain.AreaRespond, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Alert], error) {
			x, err := a.Respond.Alert(ctx, caller(ctx), in.ID)
			return one(alertOf(x), err)
		})
}

// dossier is an incident as it is after something was done to it, unless that failed.
func (a *api) dossier(ctx context.Context, id domain.ID, failed error) (*Body[Dossier], error) {
	if failed != nil {
		return nil, failed
	}
	d, err := a.Respond.Incident(ctx, caller(ctx), id)
	return one(dossierOf(d), err)
}

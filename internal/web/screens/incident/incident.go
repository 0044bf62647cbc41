// Package incident is incidents, deliveries and response plans.
package incident

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screens/device"
	"tirelessowl/internal/web/ui"
)

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS

// Screen is responding.
type Screen struct {
	Render  *render.Renderer
	Respond *respond.Service
	Store   *store.Store
}

// Routes mounts the screen.
func (s Screen) Routes(r chi.Router) {
	r.Get("/incidents", s.Render.Handle(s.list))
	r.Get("/incidents/{id}", s.Render.Handle(s.page))
	r.Get("/respond/deliveries", s.Render.Handle(s.deliveries))
	r.Get("/respond/plans", s.Render.Handle(s.plans))
	r.Group(func(r chi.Router) {
		r.Use(middleware.Needs(domain.AccessOperate))
		r.Post("/incidents/{id}/acknowledge", s.Render.Handle(s.acknowledge))
		r.Post("/incidents/{id}/comment", s.Render.Handle(s.comment))
		r.Post("/incidents/{id}/resolve", s.Render.Handle(s.resolve))
		r.Post("/respond/deliveries/{id}/retry", s.Render.Handle(s.retry))
	})
	r.Group(func(r chi.Router) {
		r.Use(middleware.Needs(domain.AccessConfigure))
		r.Post("/respond/plans/new", s.Render.Handle(s.makePlan))
		r.Post("/respond/plans/{id}", s.Render.Handle(s.switchPlan))
		r.Post("/respond/plans/{id}/recipients", s.Render.Handle(s.recipients))
	})
}

type listView struct {
	Show     string
	Rows     []rowView
	State, Q string
	ui.Paging
	ui.Sorting
}

type rowView struct {
	domain.Incident
	Device string
	Ticket *domain.Ticket
}

// Lasted is how long the present or last episode lasted.
func (v rowView) Lasted() time.Duration {
	if v.State == domain.IncidentResolved {
		return v.ResolvedAt.Sub(v.EpisodeAt)
	}
	return time.Since(v.EpisodeAt)
}

const pageSize = 50

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	page := ui.PageNumber(q)
	v := listView{Show: "list", State: q.Get("state"), Q: q.Get("q"), Sorting: ui.Sorting{Path: "/incidents", Query: q, Sort: q.Get("sort")}}
	f := store.IncidentFilter{Search: v.Q, Sort: v.Sort, Limit: pageSize, Offset: page * pageSize}
	switch v.State {
	case "all":
	case "resolved":
		f.States = []domain.IncidentState{domain.IncidentResolved}
	default:
		v.State = "open"
		f.States = []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged}
	}
	rows, total, err := s.Store.Incidents.Find(r.Context(), f)
	if err != nil {
		return err
	}
	if v.Rows, err = s.rows(r, rows); err != nil {
		return err
	}
	v.Paging = ui.NewPaging("/incidents", q, page, pageSize, len(rows), total)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "incident", "incident-table", v)
	}
	return s.Render.Page(w, r, "incident", render.Frame{Title: "Incidents", Area: "respond", Body: v})
}

func (s Screen) rows(r *http.Request, in []domain.Incident) ([]rowView, error) {
	ids, devices := []domain.ID{0}, []domain.ID{}
	for _, x := range in {
		ids, devices = append(ids, x.ID), append(devices, x.DeviceID)
	}
	names, err := s.Store.Devices.Names(r.Context(), devices)
	if err != nil {
		return nil, err
	}
	tickets, err := s.Store.Tickets.Find(r.Context(), ids, len(ids))
	if err != nil {
		return nil, err
	}
	by := map[domain.ID]*domain.Ticket{}
	for _, t := range tickets {
		by[t.IncidentID] = &t
	}
	out := make([]rowView, len(in))
	for i, x := range in {
		out[i] = rowView{x, names[x.DeviceID], by[x.ID]}
	}
	return out, nil
}

type pageView struct {
	Show    string
	In      respond.Dossier
	Story   []entry
	May     domain.Access
	Charts  []ui.Chart
	Current []currentView
	Comment string
	Problem string
	// Acted is true when the form is sent back with the story.
	Acted   bool
	Runbook string
	Met     string // what asking the device meets now
	Lasted  time.Duration
}

// currentView is a present value beside its limit.
type currentView struct {
	Title, Value, Limit string
	Ended               bool
	Level               domain.Level
	AlertID             domain.ID
}

// entry is one line of the story, from events and deliveries.
type entry struct {
	At           time.Time
	Health       domain.Health // for the sign; empty for a dot
	Text, Detail string
	URL          string
	WhyKind      string
	WhyID        domain.ID
	Problem      bool
	// Form is how the time is shown: with the date where it is not of today.
	Form string
}

func (s Screen) view(r *http.Request) (pageView, error) {
	id, err := device.ID(r)
	if err != nil {
		return pageView{}, err
	}
	in, err := s.Respond.Incident(r.Context(), id)
	if err != nil {
		return pageView{}, err
	}
	v := pageView{Show: "page", In: in, May: middleware.Who(r.Context()).Level, Story: story(in)}
	v.Lasted = rowView{Incident: in.Incident}.Lasted()
	return v, s.present(r, &v)
}

// present adds the series in question, as charts and as values now.
func (s Screen) present(r *http.Request, v *pageView) error {
	var ids []domain.ID
	for _, a := range v.In.Alerts {
		if !slices.Contains(ids, a.SeriesID) {
			ids = append(ids, a.SeriesID)
		}
	}
	rules, err := s.Store.Rules.All(r.Context())
	if err != nil {
		return err
	}
	byID := map[domain.ID]rule.Rule{}
	for _, x := range rules {
		byID[x.ID] = x
	}
	latest := s.Store.Values.LatestIn(ids)
	for i, a := range v.In.Alerts {
		of, known := byID[a.RuleID]
		if v.Runbook == "" && known {
			hint, err := s.Respond.Hint(r.Context(), a.DeviceID, of.Kit)
			if err != nil {
				return err
			}
			v.Met, v.Runbook = hint.Met, hint.Runbook(of.Runbook)
		}
		last := !slices.ContainsFunc(v.In.Alerts[i+1:], func(b domain.Alert) bool { return b.SeriesID == a.SeriesID && b.RuleID == a.RuleID })
		if now, ok := latest[a.SeriesID]; ok && last {
			x := currentView{Title: a.Title, Value: of.Write(now.Value), Ended: !a.EndedAt.IsZero(), Level: a.Level, AlertID: a.ID}
			if !known {
				x.Value = units.Format(now.Value, a.Unit)
			}
			if _, drawn := of.Condition.(rule.Drawn); drawn || !known {
				x.Limit = units.Format(a.Limit, a.Unit)
			}
			v.Current = append(v.Current, x)
		}
	}
	span := "6h"
	for _, x := range device.Spans {
		if x.Length > time.Since(v.In.EpisodeAt)*5/4 {
			span = x.Name
			break
		}
		span = x.Name
	}
	for _, id := range ids[:min(2, len(ids))] {
		if x, err := s.Store.Series.One(r.Context(), id); err == nil {
			v.Charts = append(v.Charts, ui.Chart{Title: x.Name, Sub: v.In.Device.Name, URL: fmt.Sprintf("/chart?span=%s&series=%d", span, id), Live: true})
		}
	}
	return nil
}

// story merges events and deliveries in the order of time.
func story(in respond.Dossier) []entry {
	var out []entry
	for _, e := range in.Events {
		x := entry{At: e.At, Text: e.Text, Detail: e.Detail}
		switch e.Kind {
		case domain.EventAlert, domain.EventRaised, domain.EventReopened, domain.EventEased:
			x.Health = domain.HealthOf(e.Level)
		case domain.EventRecovered:
			x.Health = domain.Fine
		}
		if len(e.Why.Facts) > 0 {
			x.WhyKind, x.WhyID = "event", e.ID
		}
		out = append(out, x)
	}
	for _, d := range in.Deliveries {
		out = append(out, delivered(d, in.Ticket))
	}
	slices.SortStableFunc(out, func(a, b entry) int { return cmp.Compare(a.At.UnixMilli(), b.At.UnixMilli()) })
	for i := range out {
		out[i].Form = "clock"
		if time.Since(out[i].At) > 18*time.Hour {
			out[i].Form = "day"
		}
	}
	return out
}

func delivered(d domain.Delivery, ticket *domain.Ticket) entry {
	x := entry{At: d.CreatedAt, WhyKind: "delivery", WhyID: d.ID, Detail: d.Outcome}
	switch d.Kind {
	case domain.DeliverMessage:
		x.Text = "Message to " + d.Recipient
	case domain.DeliverTicket:
		x.Text = "Ticket"
		if ticket != nil {
			x.Text, x.URL = "Ticket "+ticket.Number, ticket.URL
		}
	case domain.DeliverNote:
		x.Text = "Note on the ticket"
	}
	switch {
	case d.State == domain.DeliverySent:
		x.At = d.DoneAt
	case d.State == domain.DeliveryFailed:
		x.Problem, x.Detail = true, fmt.Sprintf("failed for good after %d attempts: %s", d.Attempts, d.Error)
	case d.Error != "":
		x.Problem, x.Detail = true, fmt.Sprintf("attempt %d failed: %s; the next one at %s", d.Attempts, d.Error, d.NextTryAt.Format("15:04:05 UTC"))
	default:
		x.Detail = "on its way"
	}
	return x
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	switch {
	case render.IsFragment(r) && r.URL.Query().Get("part") == "current":
		return s.Render.Fragment(w, http.StatusOK, "incident", "current", v)
	case render.IsFragment(r):
		return s.Render.Fragment(w, http.StatusOK, "incident", "incident", v)
	}
	return s.Render.Page(w, r, "incident", render.Frame{Title: v.In.Title, Area: "respond", Body: v})
}

// act does something with an incident and shows it again, with what was
// typed kept when it was wrong.
func (s Screen) act(w http.ResponseWriter, r *http.Request, f func(id domain.ID, by, text string) error) error {
	id, err := device.ID(r)
	if err != nil {
		return err
	}
	text := r.PostFormValue("text")
	failed := f(id, middleware.Who(r.Context()).Display, text)
	v, err := s.view(r)
	if err != nil {
		return err
	}
	v.Acted = true
	var fields domain.FieldErrors
	switch {
	case errors.As(failed, &fields):
		v.Problem, v.Comment = fields["text"], text
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "incident", "acted", v)
	case errors.Is(failed, domain.ErrConflict):
		v.Problem, v.Comment = strings.TrimPrefix(failed.Error(), "conflict: "), text
	case failed != nil:
		return failed
	case !r.PostForm.Has("text"): // acknowledged: what is being typed stays
		return s.Render.Fragment(w, http.StatusOK, "incident", "incident", v)
	}
	return s.Render.Fragment(w, http.StatusOK, "incident", "acted", v)
}

func (s Screen) acknowledge(w http.ResponseWriter, r *http.Request) error {
	return s.act(w, r, func(id domain.ID, by, _ string) error { return s.Respond.Acknowledge(r.Context(), id, by) })
}

func (s Screen) comment(w http.ResponseWriter, r *http.Request) error {
	return s.act(w, r, func(id domain.ID, by, text string) error { return s.Respond.Comment(r.Context(), id, by, text) })
}

func (s Screen) resolve(w http.ResponseWriter, r *http.Request) error {
	return s.act(w, r, func(id domain.ID, by, text string) error { return s.Respond.Resolve(r.Context(), id, by, text) })
}

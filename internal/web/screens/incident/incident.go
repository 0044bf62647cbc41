// Package incident is incidents, deliveries and response plans.
package incident

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/incident"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is responding.
type Screen struct {
	Render  *render.Renderer
	Respond *respond.Service
	// Watch says why values are what they are.
	Watch *watch.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, operate, configure = domain.AreaRespond, domain.AccessOperate, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"incident": files},
		Menu: []render.Entry{
			{Title: "Incidents", Path: listPath, Area: area},
			{Title: "Deliveries", Path: deliveriesPath, Area: area},
			{Title: "Response plans", Path: plansPath, Area: area, Whole: true},
		},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get("/incidents/{id}", area, s.page),
			screen.Get(deliveriesPath, area, s.deliveries),
			screen.Get(plansPath, area, s.plans),
			screen.Post("/incidents/{id}/acknowledge", area, operate, s.acknowledge),
			screen.Post("/incidents/{id}/comment", area, operate, s.comment),
			screen.Post("/incidents/{id}/resolve", area, operate, s.resolve),
			screen.Post("/respond/deliveries/{id}/retry", area, operate, s.retry),
			screen.Post("/respond/plans/new", area, configure, s.makePlan),
			screen.Post("/respond/plans/{id}", area, configure, s.switchPlan),
			screen.Post("/respond/plans/{id}/recipients", area, configure, s.recipients),
		},
	}
}

const (
	listPath       = "/incidents"
	deliveriesPath = "/respond/deliveries"
	plansPath      = "/respond/plans"
)

type listView struct {
	Show     string
	Rows     []rowView
	State, Q string
	Each     bool // a row for each of several alike
	ui.Paging
	ui.Sorting
}

// Bar narrows the list.
func (v listView) Bar() ui.FilterBar {
	return ui.FilterBar{
		Path: "/incidents", Target: "incident-table", Sort: v.Sort, Search: v.Q,
		Placeholder: "Title, device, #tag …", Label: "Filter incidents",
		Flags:  []ui.FilterFlag{{Name: "each", Label: "each one", Set: v.Each}},
		Hidden: []ui.Pair{{A: "state", B: v.State}},
	}
}

type rowView struct{ respond.Repeated }

// Alike leads to all incidents of the same device and cause.
func (v rowView) Alike() string {
	return fmt.Sprintf("%s?state=all&each=1&device=%d&cause=%s", listPath, v.DeviceID, url.QueryEscape(v.Cause))
}

// Lasted is how long the present or last episode lasted.
func (v rowView) Lasted() time.Duration { return lasted(v.Incident) }

func lasted(in domain.Incident) time.Duration {
	if in.State == domain.IncidentResolved {
		return in.ResolvedAt.Sub(in.EpisodeAt)
	}
	return time.Since(in.EpisodeAt)
}

const pageSize = 50

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	page := ui.PageNumber(q)
	v := listView{Show: "list", State: q.Get("state"), Q: q.Get("q"), Sorting: ui.Sorting{Path: listPath, Query: q, Sort: q.Get("sort")}}
	f := domain.IncidentFilter{Search: v.Q, Sort: v.Sort, Limit: pageSize, Offset: page * pageSize}
	v.Each, f.Cause = q.Get("each") != "", q.Get("cause")
	f.DeviceID, _ = strconv.ParseInt(q.Get("device"), 10, 64)
	switch v.State {
	case "all":
	case "resolved":
		f.States = []domain.IncidentState{domain.IncidentResolved}
	default:
		v.State = "open"
		f.States = []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged}
	}
	rows, total, err := s.rows(r, f, v.Each)
	if err != nil {
		return err
	}
	for _, x := range rows {
		v.Rows = append(v.Rows, rowView{x})
	}
	v.Paging = ui.NewPaging(listPath, q, page, pageSize, len(rows), total)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "incident", "incident-table", v)
	}
	return s.Render.Page(w, r, "incident", render.Frame{Title: "Incidents", Area: domain.AreaRespond, Tab: listPath, Body: v})
}

// rows are incidents, those that came again and again as one row or each by itself.
func (s Screen) rows(r *http.Request, f domain.IncidentFilter, each bool) (out []respond.Repeated, total int64, err error) {
	who := middleware.Who(r.Context())
	if !each {
		return s.Respond.Repeats(r.Context(), who, f)
	}
	found, total, err := s.Respond.Incidents(r.Context(), who, f)
	for _, x := range found {
		out = append(out, respond.Repeated{Listed: x, Times: 1, FirstAt: x.OpenedAt})
	}
	return out, total, err
}

type pageView struct {
	Show    string
	In      respond.Dossier
	Story   []entry
	May     domain.Access
	Charts  []ui.Chart
	Strips  []stripView
	Current []currentView
	Comment string
	Problem string
	// Acted is true when the form is sent back with the story.
	Acted   bool
	Runbook string
	Met     string // what asking the device meets now
	Lasted  time.Duration
}

// Stands says how bad it is, and has been.
func (v pageView) Stands() string {
	out := text.UpperFirst(v.In.Level.String())
	if v.In.Worst != v.In.Level {
		out += fmt.Sprintf(" now, %s at its worst", v.In.Worst)
	}
	return out
}

// currentView is a present value beside its limit.
type currentView struct {
	Title, Value, Limit string
	// Says is why the value is what it is, where its kit has that told.
	Says    string
	Ended   bool
	Level   domain.Level
	AlertID domain.ID
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
	id, err := screen.ID(r)
	if err != nil {
		return pageView{}, err
	}
	who := middleware.Who(r.Context())
	in, err := s.Respond.Incident(r.Context(), who, id)
	if err != nil {
		return pageView{}, err
	}
	v := pageView{Show: "page", In: in, May: who.Level(domain.AreaRespond, in.Device.Spot()), Story: story(in)}
	v.Lasted = lasted(in.Incident)
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
	who := middleware.Who(r.Context())
	judged, err := s.Respond.Judged(r.Context(), who, v.In.Alerts)
	if err != nil {
		return err
	}
	says, err := s.because(r, judged)
	if err != nil {
		return err
	}
	for i, a := range v.In.Alerts {
		of, known := judged.Rules[a.RuleID]
		if v.Runbook == "" && known {
			hint, err := s.Respond.Hint(r.Context(), who, a.DeviceID, of.Kit)
			if err != nil {
				return err
			}
			v.Met, v.Runbook = hint.Met, hint.Runbook(of.Runbook)
		}
		last := !slices.ContainsFunc(
			v.In.Alerts[i+1:],
			func(b domain.Alert) bool { return b.SeriesID == a.SeriesID && b.RuleID == a.RuleID },
		)
		if now, ok := judged.Latest[a.SeriesID]; ok && last {
			x := currentView{Title: a.Title, Value: of.Write(now.Value), Ended: !a.EndedAt.IsZero(), Level: a.Level, AlertID: a.ID,
				Says: says[a.SeriesID]}
			if !known {
				x.Value = units.Format(now.Value, a.Unit)
			}
			if _, drawn := of.Condition.(rule.Drawn); drawn || !known {
				x.Limit = units.Format(a.Limit, a.Unit)
			}
			v.Current = append(v.Current, x)
		}
	}
	from, to := incident.Around(v.In.Incident, time.Now().UTC())
	over := !v.In.RecoveredAt.IsZero() || !v.In.ResolvedAt.IsZero()
	span := fmt.Sprintf("from=%d", from.Unix())
	if over {
		span += fmt.Sprintf("&to=%d", to.Unix())
	}
	for _, id := range ids[:min(2, len(ids))] {
		x, ok := judged.Series[id]
		switch {
		case !ok:
		case x.Kind.Stands():
			strip, err := s.strip(r, x, from)
			if errors.Is(err, domain.ErrForbidden) || errors.Is(err, domain.ErrNotFound) {
				continue
			}
			if err != nil {
				return err
			}
			v.Strips = append(v.Strips, strip)
		default:
			v.Charts = append(
				v.Charts,
				ui.Chart{
					Title: x.Name,
					Sub:   v.In.Device.Name,
					URL:   fmt.Sprintf("/chart?%s&series=%d", span, id),
					Live:  !over,
				},
			)
		}
	}
	return nil
}

// because says why the values in question are what they are, to those who may see values.
func (s Screen) because(r *http.Request, judged respond.Judged) (map[domain.ID]string, error) {
	var rows []watch.ListedValue
	for id, x := range judged.Series {
		rows = append(rows, watch.ListedValue{SeriesID: int64(id), Kit: x.Kit, Reading: x.Reading})
	}
	says, err := s.Watch.Becauses(r.Context(), middleware.Who(r.Context()), rows)
	if errors.Is(err, domain.ErrForbidden) {
		return nil, nil
	}
	return says, err
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
		x.Problem, x.Detail = true, fmt.Sprintf(
			"attempt %d failed: %s; the next one at %s",
			d.Attempts,
			d.Error,
			d.NextTryAt.Format("15:04:05 UTC"),
		)
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
	return s.Render.Page(w, r, "incident", render.Frame{Title: v.In.Title, Area: domain.AreaRespond, Body: v})
}

// act does something with an incident and shows it again, with what was
// typed kept when it was wrong.
func (s Screen) act(w http.ResponseWriter, r *http.Request, f func(who access.Actor, id domain.ID, text string) error) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	text := r.PostFormValue("text")
	failed := f(middleware.Who(r.Context()), id, text)
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
	return s.act(w, r, func(who access.Actor, id domain.ID, _ string) error {
		return s.Respond.Acknowledge(r.Context(), who, id)
	})
}

func (s Screen) comment(w http.ResponseWriter, r *http.Request) error {
	return s.act(w, r, func(who access.Actor, id domain.ID, text string) error {
		return s.Respond.Comment(r.Context(), who, id, text)
	})
}

func (s Screen) resolve(w http.ResponseWriter, r *http.Request) error {
	return s.act(w, r, func(who access.Actor, id domain.ID, text string) error {
		return s.Respond.Resolve(r.Context(), who, id, text)
	})
}

// Package why is the drawer that explains: a health, an alert, a delivery,
// or why there was none.
package why

import (
	"cmp"
	"embed"
	"fmt"
	"io/fs"
	"net/http"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the drawer.
type Screen struct {
	Render  *render.Renderer
	Watch   *watch.Service
	Respond *respond.Service
	People  *people.Service
	Find    *find.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"why": files},
		Routes:    []screen.Route{screen.Open("/why/{kind}/{id}", s.show)},
	}
}

type view struct {
	Trace   why.Trace
	Subject string
}

func (s Screen) show(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	v, err := s.trace(r, chi.URLParam(r, "kind"), id)
	if err != nil {
		return err
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "why", "drawer", v)
	}
	return s.Render.Page(w, r, "why", render.Frame{Title: v.Trace.Question, Body: v})
}

func (s Screen) trace(r *http.Request, kind string, id domain.ID) (view, error) {
	ctx := r.Context()
	who := middleware.Who(ctx)
	switch kind {
	case "device":
		d, _, t, err := s.Watch.Why(ctx, who, id)
		return view{t, d.Name}, err
	case "transition":
		t, err := s.Watch.Transition(ctx, who, id)
		return view{t.Why, t.Reason}, err
	case "alert":
		a, err := s.Respond.Alert(ctx, who, id)
		return view{a.Why, a.Title}, err
	case "event":
		e, err := s.Respond.Event(ctx, who, id)
		return view{e.Why, e.Text}, err
	case "delivery":
		d, err := s.Respond.Delivery(ctx, who, id)
		d.Why.Because(outcome(d), d.Error, nil)
		return view{d.Why, d.Subject}, err
	case "find":
		t, f, err := s.Find.Why(ctx, who, id)
		return view{t, cmp.Or(f.Name, f.Address)}, err
	case "incident":
		return s.incident(r, id)
	case "series":
		return s.series(r, id)
	}
	return view{}, domain.ErrNotFound
}

// series explains a value.
func (s Screen) series(r *http.Request, id domain.ID) (view, error) {
	x, err := s.Watch.Series(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return view{}, err
	}
	t, err := s.Watch.WhyValue(r.Context(), middleware.Who(r.Context()), id)
	return view{t, x.Name}, err
}

func outcome(d domain.Delivery) string {
	switch d.State {
	case domain.DeliverySent:
		return "It arrived: " + d.Outcome
	case domain.DeliveryFailed:
		return fmt.Sprintf("It failed for good after %d attempts", d.Attempts)
	}
	return fmt.Sprintf("It is on its way, after %d attempts", d.Attempts)
}

// incident joins the traces of an incident: why it is one, why its alerts
// opened, and who was told or not.
func (s Screen) incident(r *http.Request, id domain.ID) (view, error) {
	in, err := s.Respond.Incident(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return view{}, err
	}
	t := why.Trace{Question: "Why this incident, and who was told?", Answer: in.Title}
	for _, a := range in.Alerts {
		t.Include("Alert: "+a.Title, a.Why)
	}
	t.Include("One incident or several?", in.Why)
	for _, e := range in.Events {
		for _, f := range e.Why.Facts {
			if len(f.Facts) > 0 && f.Detail != "" && e.Kind != domain.EventFirstBad && isPlan(f.Text) {
				t.Facts = append(t.Facts, f)
			}
		}
	}
	return view{t, in.Device.Name}, nil
}

func isPlan(heading string) bool { return len(heading) > 3 && heading[:3] == "Who" }

package incident

import (
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

type deliveriesView struct {
	Show  string
	Rows  []domain.Delivery
	State string
	May   domain.Access
	ui.Paging
}

func (s Screen) deliveries(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	who := middleware.Who(r.Context())
	rows, _, err := s.Respond.Deliveries(r.Context(), who, domain.DeliveryFilter{
		State:  domain.DeliveryState(q.Get("state")),
		Limit:  pageSize + 1,
		Offset: ui.PageNumber(q) * pageSize,
	})
	if err != nil {
		return err
	}
	v := deliveriesView{Show: "deliveries", State: q.Get("state"), May: highest(who)}
	v.Rows, v.Paging = ui.CutPage(deliveriesPath, q, pageSize, rows)
	return s.Render.Page(w, r, "incident", render.Frame{Title: "Deliveries", Area: domain.AreaRespond, Tab: deliveriesPath, Body: v})
}

func (s Screen) retry(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Respond.Retry(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	http.Redirect(w, r, deliveriesPath, http.StatusSeeOther)
	return nil
}

// highest is the highest level that an actor has anywhere, for what is decided row by row.
func highest(who access.Actor) (best domain.Access) {
	for _, level := range domain.AllAccess() {
		if !who.Scope(domain.AreaRespond, level).None() {
			best = level
		}
	}
	return best
}

type plansView struct {
	Show     string
	Plans    []plan.Plan
	Channels map[domain.ID]string
	May      domain.Access
}

// planForm is who a plan's messages go to, as it was typed.
type planForm struct {
	ID      domain.ID
	To      string
	From    domain.Level
	Tags    string
	Version int
	Levels  []domain.Level
	Errors  domain.FieldErrors
	// Present is the form as somebody else has made it meanwhile; nil for nobody.
	Present *planForm
	Saved   bool
	May     domain.Access
}

// ToField is where the recipients are typed.
func (f planForm) ToField() ui.FieldView {
	return ui.Typed(fmt.Sprintf("plan-%d-", f.ID), "to", "Messages go to", f.To, "", f.Errors["to"])
}

// FromField is where it is chosen from which level on.
func (f planForm) FromField() ui.FieldView {
	return ui.Chosen(fmt.Sprintf("plan-%d-", f.ID), "from", "From level", f.From.String(), f.LevelOptions(), "", "")
}

// TagsField is where it is typed for which incidents the plan is.
func (f planForm) TagsField() ui.FieldView {
	const help = "One of them is enough; an incident has those of its device, part, reading and rule."
	out := ui.Typed(fmt.Sprintf("plan-%d-", f.ID), "tags", "Only for incidents with the tags", f.Tags, help, f.Errors["tags"])
	out.Default = "all incidents"
	return out
}

// LevelOptions are the levels from which on messages can be sent.
func (f planForm) LevelOptions() (out []ui.Option) {
	for _, l := range f.Levels {
		out = append(out, ui.Option{Value: l.String(), Title: l.String()})
	}
	return out
}

// Form returns the form of a plan that sends messages; nil for others.
func (v plansView) Form(p plan.Plan) *planForm {
	for _, step := range p.Steps {
		if step.Kind == domain.DeliverMessage && !step.OnlyTold {
			return &planForm{
				ID:      p.ID,
				To:      strings.Join(step.To, ", "),
				From:    step.AtLeast,
				Tags:    strings.Join(p.Tags, ", "),
				Version: p.Version,
				Levels:  levels,
				May:     v.May,
			}
		}
	}
	return nil
}

var levels = []domain.Level{domain.LevelNotice, domain.LevelWarning, domain.LevelCritical}

func (s Screen) recipients(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	f := planForm{ID: id, To: r.PostFormValue("to"), Tags: r.PostFormValue("tags"), Levels: levels}
	f.May = middleware.Who(r.Context()).Level(domain.AreaRespond, domain.At(0))
	if f.From, err = domain.ParseLevel(r.PostFormValue("from")); err != nil {
		f.From = domain.LevelWarning
	}
	f.Version, _ = strconv.Atoi(r.PostFormValue("version"))
	audience := respond.Audience{To: f.To, From: f.From, Tags: f.Tags, Version: f.Version}
	err = s.Respond.SetAudience(r.Context(), middleware.Who(r.Context()), id, audience)
	changed := errors.Is(err, domain.ErrChanged)
	if err == nil || changed {
		present, err := s.presentPlan(r, id)
		if err != nil {
			return err
		}
		f.Version = present.Version
		if changed {
			f.Present = present
			return s.Render.Fragment(w, http.StatusUnprocessableEntity, "incident", "plan-form", f)
		}
	}
	if errors.As(err, &f.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "incident", "plan-form", f)
	}
	if err != nil {
		return err
	}
	f.Saved = true
	return s.Render.Fragment(w, http.StatusOK, "incident", "plan-form", f)
}

// presentPlan is the form of a plan as it is now.
func (s Screen) presentPlan(r *http.Request, id domain.ID) (*planForm, error) {
	plans, err := s.Respond.Plans(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return nil, err
	}
	for _, p := range plans {
		if f := (plansView{}).Form(p); p.ID == id && f != nil {
			return f, nil
		}
	}
	return nil, domain.ErrNotFound
}

func (s Screen) makePlan(w http.ResponseWriter, r *http.Request) error {
	if _, err := s.Respond.MakePlan(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	http.Redirect(w, r, plansPath, http.StatusSeeOther)
	return nil
}

func (s Screen) plans(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	plans, err := s.Respond.Plans(r.Context(), who)
	if err != nil {
		return err
	}
	channels, err := s.Respond.ChannelNames(r.Context(), who)
	if err != nil {
		return err
	}
	v := plansView{"plans", plans, channels, who.Level(domain.AreaRespond, domain.At(0))}
	return s.Render.Page(w, r, "incident", render.Frame{Title: "Response plans", Area: domain.AreaRespond, Tab: plansPath, Body: v})
}

func (s Screen) switchPlan(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	enabled, err := ui.YesOrNo(r, "enabled")
	if err != nil {
		return err
	}
	if err := s.Respond.SetPlanEnabled(r.Context(), middleware.Who(r.Context()), id, enabled); err != nil {
		return err
	}
	http.Redirect(w, r, plansPath, http.StatusSeeOther)
	return nil
}

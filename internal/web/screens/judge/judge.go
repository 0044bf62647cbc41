// Package judge is rules, rehearsals and the timeline of changes.
package judge

import (
	"embed"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/judge"
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

// Screen is judging.
type Screen struct {
	Render *render.Renderer
	Judge  *judge.Service
	Store  *store.Store
}

// Routes mounts the screen.
func (s Screen) Routes(r chi.Router) {
	r.Get("/judge", s.Render.Handle(s.rules))
	r.Get("/judge/rules/{id}", s.Render.Handle(s.edit))
	r.Post("/judge/rules/{id}/rehearse", s.Render.Handle(s.rehearse))
	r.Get("/judge/transitions", s.Render.Handle(s.transitions))
	r.With(middleware.Needs(domain.AccessConfigure)).Post("/judge/rules/{id}", s.Render.Handle(s.save))
}

type rulesView struct {
	Show  string
	Rules []rule.Rule
	Noise map[domain.ID]store.RuleNoise
}

func (s Screen) rules(w http.ResponseWriter, r *http.Request) error {
	rules, err := s.Judge.Rules(r.Context())
	if err != nil {
		return err
	}
	noise, err := s.Store.Rules.Noise(r.Context(), time.Now().UTC().AddDate(0, 0, -7))
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "Judge", Area: "judge", Body: rulesView{"rules", rules, noise}})
}

// form is the rule as it was typed.
type form struct {
	Name, Title, Runbook, Side string
	InARow, RecoverInARow      string
	Enabled                    bool
	Levels                     []levelForm
}

type levelForm struct {
	Level                    domain.Level
	Raise, Recover           string
	RaiseError, RecoverError string
}

type editView struct {
	Show      string
	Rule      rule.Rule
	Form      form
	Words     string
	Errors    domain.FieldErrors
	Saved     bool
	May       domain.Access
	Rehearsal *judge.Rehearsal
}

func formOf(r rule.Rule) form {
	f := form{Name: r.Name, Title: r.Title, Runbook: r.Runbook, Side: string(r.Side), InARow: strconv.Itoa(r.InARow), RecoverInARow: strconv.Itoa(r.RecoverInARow), Enabled: r.Enabled}
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		lf := levelForm{Level: l}
		if limit, ok := r.Limits[l]; ok {
			lf.Raise, lf.Recover = number(limit.Raise), number(limit.Recover)
		}
		f.Levels = append(f.Levels, lf)
	}
	return f
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', -1, 64) }

// read takes the form; what is no number becomes an error at its field.
func read(r *http.Request, old rule.Rule) (rule.Rule, form, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	f := form{Name: r.PostFormValue("name"), Title: r.PostFormValue("title"), Runbook: r.PostFormValue("runbook"), Side: r.PostFormValue("side"),
		InARow: r.PostFormValue("in_a_row"), RecoverInARow: r.PostFormValue("recover_in_a_row"), Enabled: r.PostFormValue("enabled") != ""}
	x := old
	x.Name, x.Title, x.Runbook, x.Side, x.Enabled = strings.TrimSpace(f.Name), strings.TrimSpace(f.Title), strings.TrimSpace(f.Runbook), rule.Side(f.Side), f.Enabled
	x.InARow, _ = strconv.Atoi(strings.TrimSpace(f.InARow))
	x.RecoverInARow, _ = strconv.Atoi(strings.TrimSpace(f.RecoverInARow))
	x.Limits = map[domain.Level]rule.Limit{}
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		lf := levelForm{Level: l, Raise: r.PostFormValue("raise_" + l.String()), Recover: r.PostFormValue("recover_" + l.String())}
		f.Levels = append(f.Levels, lf)
		if strings.TrimSpace(lf.Raise) == "" && strings.TrimSpace(lf.Recover) == "" {
			continue
		}
		limit := rule.Limit{Raise: parse(errs, "raise_"+l.String(), lf.Raise)}
		limit.Recover = limit.Raise
		if strings.TrimSpace(lf.Recover) != "" {
			limit.Recover = parse(errs, "recover_"+l.String(), lf.Recover)
		}
		x.Limits[l] = limit
	}
	for field, text := range x.Validate() {
		if errs[field] == "" {
			errs[field] = text
		}
	}
	for i := range f.Levels {
		f.Levels[i].RaiseError, f.Levels[i].RecoverError = errs["raise_"+f.Levels[i].Level.String()], errs["recover_"+f.Levels[i].Level.String()]
	}
	return x, f, errs
}

// parse reads a number with a decimal point or comma.
func parse(errs domain.FieldErrors, field, text string) float64 {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(text), ",", ".", 1), 64)
	if err != nil {
		errs[field] = "Must be a number, such as 90 or 0.5."
	}
	return v
}

func (s Screen) edit(w http.ResponseWriter, r *http.Request) error {
	x, err := s.rule(r)
	if err != nil {
		return err
	}
	v := editView{Show: "edit", Rule: x, Form: formOf(x), Words: x.Words(), Errors: domain.FieldErrors{}, May: middleware.Who(r.Context()).Level}
	return s.Render.Page(w, r, "judge", render.Frame{Title: x.Name, Area: "judge", Body: v})
}

func (s Screen) rule(r *http.Request) (rule.Rule, error) {
	id, err := device.ID(r)
	if err != nil {
		return rule.Rule{}, err
	}
	return s.Judge.Rule(r.Context(), id)
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	old, err := s.rule(r)
	if err != nil {
		return err
	}
	x, f, errs := read(r, old)
	v := editView{Show: "edit", Rule: x, Form: f, Errors: errs, Words: old.Words(), May: middleware.Who(r.Context()).Level}
	if len(errs) == 0 {
		x, err = s.Judge.Save(r.Context(), x)
		if err != nil && !errors.As(err, &v.Errors) {
			return err
		}
	}
	if len(v.Errors) > 0 {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "judge", "rule-form", v)
	}
	v.Rule, v.Form, v.Words, v.Saved = x, formOf(x), x.Words(), true
	return s.Render.Fragment(w, http.StatusOK, "judge", "rule-form", v)
}

// rehearsed is the time that rehearsals look back over.
const rehearsed = 14 * 24 * time.Hour

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	old, err := s.rule(r)
	if err != nil {
		return err
	}
	x, _, errs := read(r, old)
	if len(errs) > 0 {
		return s.Render.Fragment(w, http.StatusOK, "judge", "rehearse-wrong", errs.Error())
	}
	then, err := s.Judge.Rehearse(r.Context(), x, rehearsed)
	if err != nil {
		return err
	}
	now, err := s.Judge.Rehearse(r.Context(), old, rehearsed)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "judge", "rehearsal", struct {
		Then, Now judge.Rehearsal
		Rule      rule.Rule
		Same      bool
	}{then, now, x, x.Words() == old.Words()})
}

type timelineView struct {
	Show    string
	Rows    []changeView
	Q, To   string
	States  []domain.Health
	Devices bool
	ui.Paging
}

type changeView struct {
	domain.Transition
	Device string
}

const pageSize = 100

func (s Screen) transitions(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := timelineView{Show: "timeline", Q: q.Get("q"), To: q.Get("to"), States: domain.AllHealth(), Devices: q.Get("devices") != ""}
	rows, err := s.Store.Transitions.Find(r.Context(), store.TransitionFilter{Search: v.Q, To: domain.Health(v.To), Devices: v.Devices, Limit: pageSize + 1, Offset: ui.PageNumber(q) * pageSize})
	if err != nil {
		return err
	}
	var devices []domain.ID
	for _, t := range rows {
		devices = append(devices, t.DeviceID)
	}
	names, err := s.Store.Devices.Names(r.Context(), devices)
	if err != nil {
		return err
	}
	rows, v.Paging = ui.CutPage("/judge/transitions", q, pageSize, rows)
	for _, t := range rows {
		v.Rows = append(v.Rows, changeView{t, names[t.DeviceID]})
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "judge", "changes", v)
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "Changes of health", Area: "judge", Body: v})
}

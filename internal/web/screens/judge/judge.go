// Package judge is rules, rehearsals and the timeline of changes.
package judge

import (
	"embed"
	"errors"
	"io/fs"
	"maps"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is judging.
type Screen struct {
	Render *render.Renderer
	Judge  *judge.Service
	Watch  *watch.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"judge": files},
		Menu: []render.Entry{
			{Title: "Rules", Path: rulesPath, Area: domain.AreaJudge},
			{Title: "Changes of health", Path: changesPath, Area: domain.AreaJudge, Asks: domain.AreaWatch},
		},
		Routes: []screen.Route{
			screen.Get(rulesPath, domain.AreaJudge, s.rules),
			screen.Get(changesPath, domain.AreaWatch, s.transitions),
			screen.Get("/judge/rules/{id}", domain.AreaJudge, s.edit),
			screen.Post("/judge/rules/{id}", domain.AreaJudge, domain.AccessConfigure, s.save),
			screen.Post("/judge/rules/{id}/rehearse", domain.AreaJudge, domain.AccessSee, s.rehearse),
		},
	}
}

const (
	rulesPath   = "/judge"
	changesPath = "/judge/transitions"
)

// may is what may be done with rules, which are the same for all places.
func may(r *http.Request) domain.Access {
	return middleware.Who(r.Context()).Level(domain.AreaJudge, domain.At(0))
}

type rulesView struct {
	Show  string
	Rules []rule.Rule
	Noise map[domain.ID]judge.Noise
}

func (s Screen) rules(w http.ResponseWriter, r *http.Request) error {
	rules, err := s.Judge.Rules(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	noise, err := s.Judge.Noise(r.Context(), middleware.Who(r.Context()), time.Now().UTC().AddDate(0, 0, -7))
	if err != nil {
		return err
	}
	return s.Render.Page(
		w,
		r,
		"judge",
		render.Frame{Title: "Judge", Area: domain.AreaJudge, Tab: rulesPath, Body: rulesView{"rules", rules, noise}},
	)
}

// form is the rule as it was typed.
type form struct {
	Name      string            `form:"name"`
	Title     string            `form:"title"`
	Runbook   string            `form:"runbook"`
	Enabled   bool              `form:"enabled"`
	Tags      string            `form:"tags"`
	Version   int               `form:"version"`
	Condition map[string]string // values of the fields of its kind
}

type editView struct {
	Show   string
	Rule   rule.Rule
	Kind   rule.Kind
	Form   form
	Fields []ui.FieldView
	Rows   []ui.FieldRow
	Words  string
	Errors domain.FieldErrors
	Saved  bool
	// Meanwhile says in words what somebody else has made of the rule; empty for nobody.
	Meanwhile string
	May       domain.Access
	Rehearsal *judge.Rehearsal
}

// NameField is where its name is typed.
func (v editView) NameField() ui.FieldView {
	return ui.Typed("rule-", "name", "Name", v.Form.Name, "", v.Errors["name"])
}

// TitleField is where it is typed what its alerts are called.
func (v editView) TitleField() ui.FieldView {
	return ui.Typed("rule-", "title", "Alerts are called", v.Form.Title, "{device} and {part} stand for the names.", v.Errors["title"])
}

// RunbookField is where it is typed what to do.
func (v editView) RunbookField() ui.FieldView {
	return ui.TypedLines("rule-", "runbook", "What to do", v.Form.Runbook, 2, "", v.Errors["runbook"])
}

// TagsField is where its tags are typed.
func (v editView) TagsField() ui.FieldView {
	const help = "With commas between. Its incidents have them, and plans may be for some tags only."
	return ui.Typed("rule-", "tags", "Tags", v.Form.Tags, help, v.Errors["tags"])
}

// Other are the problems that belong to no single field.
func (v editView) Other() (out []string) {
	for _, name := range []string{"limits", "levels", "condition"} {
		if text := v.Errors[name]; text != "" {
			out = append(out, text)
		}
	}
	return out
}

func (s Screen) editView(r *http.Request, x rule.Rule, f form, errs domain.FieldErrors) editView {
	kind, fields, _ := s.Judge.Form(x)
	v := editView{Show: "edit", Rule: x, Kind: kind, Form: f, Words: x.Words(), Errors: errs, May: may(r)}
	v.Fields, v.Rows = ui.Rows(ui.Fields("rule-", fields, f.Condition, errs))
	return v
}

func (s Screen) formOf(r rule.Rule) form {
	_, _, values := s.Judge.Form(r)
	return form{Name: r.Name, Title: r.Title, Runbook: r.Runbook, Enabled: r.Enabled, Version: r.Version, Condition: values,
		Tags: strings.Join(r.Tags, ", ")}
}

// read takes the form; what is wrong becomes an error at its field.
func (s Screen) read(r *http.Request, old rule.Rule) (rule.Rule, form, domain.FieldErrors, error) {
	f := form{Condition: map[string]string{}}
	typed, err := ui.Form(r, &f)
	if err != nil {
		return old, f, typed, err
	}
	_, fields, _ := s.Judge.Form(old)
	for _, x := range fields {
		f.Condition[x.Name] = r.PostFormValue(x.Name)
	}
	x := old
	x.Name, x.Title, x.Runbook, x.Enabled, x.Version = f.Name, f.Title, f.Runbook, f.Enabled, f.Version
	x, errs := s.Judge.Read(x, f.Condition)
	tags, problem := tag.Read(f.Tags)
	if x.Tags = tags; problem != "" {
		errs["tags"] = problem
	}
	for field, problem := range x.Validate() {
		if errs[field] == "" {
			errs[field] = problem
		}
	}
	maps.Copy(errs, typed)
	return x, f, errs, nil
}

func (s Screen) edit(w http.ResponseWriter, r *http.Request) error {
	x, err := s.rule(r)
	if err != nil {
		return err
	}
	v := s.editView(r, x, s.formOf(x), domain.FieldErrors{})
	return s.Render.Page(w, r, "judge", render.Frame{Title: x.Name, Area: domain.AreaJudge, Body: v})
}

func (s Screen) rule(r *http.Request) (rule.Rule, error) {
	id, err := screen.ID(r)
	if err != nil {
		return rule.Rule{}, err
	}
	return s.Judge.Rule(r.Context(), middleware.Who(r.Context()), id)
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	old, err := s.rule(r)
	if err != nil {
		return err
	}
	x, f, errs, err := s.read(r, old)
	if err != nil {
		return err
	}
	if len(errs) == 0 {
		tried := x
		x, err = s.Judge.Save(r.Context(), middleware.Who(r.Context()), x)
		if errors.Is(err, domain.ErrChanged) {
			v := s.editView(r, tried, f, domain.FieldErrors{})
			v.Meanwhile, v.Form.Version = old.Words(), old.Version
			return s.Render.Fragment(w, http.StatusUnprocessableEntity, "judge", "rule-form", v)
		}
		if err != nil && !errors.As(err, &errs) {
			return err
		}
	}
	if len(errs) > 0 {
		v := s.editView(r, x, f, errs)
		v.Words = old.Words()
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "judge", "rule-form", v)
	}
	v := s.editView(r, x, s.formOf(x), domain.FieldErrors{})
	v.Saved = true
	return s.Render.Fragment(w, http.StatusOK, "judge", "rule-form", v)
}

// rehearsed is the time that rehearsals look back over.
const rehearsed = 14 * 24 * time.Hour

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	old, err := s.rule(r)
	if err != nil {
		return err
	}
	x, _, errs, err := s.read(r, old)
	if err != nil {
		return err
	}
	if len(errs) > 0 {
		return s.Render.Fragment(w, http.StatusOK, "judge", "rehearse-wrong", errs.Error())
	}
	then, err := s.Judge.Rehearse(r.Context(), middleware.Who(r.Context()), x, rehearsed)
	if err != nil {
		return err
	}
	now, err := s.Judge.Rehearse(r.Context(), middleware.Who(r.Context()), old, rehearsed)
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
	Rows    []ui.Change
	Q, To   string
	States  []domain.Health
	Devices bool
	ui.Paging
}

// Bar narrows the list.
func (v timelineView) Bar() ui.FilterBar {
	return ui.FilterBar{
		Path: changesPath, Target: "changes", Search: v.Q,
		Placeholder: "Device or reason", Label: "Filter changes",
		Choices: []ui.FilterChoice{
			{Name: "to", Label: "Changed to", Any: "to any state", Value: v.To, Options: ui.Options(v.States)},
		},
		Flags: []ui.FilterFlag{{Name: "devices", Label: "devices only", Set: v.Devices}},
	}
}

const pageSize = 100

func (s Screen) transitions(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := timelineView{Show: "timeline", Q: q.Get("q"), To: q.Get("to"), States: domain.AllHealth(), Devices: q.Get("devices") != ""}
	found, err := s.Watch.Transitions(
		r.Context(),
		middleware.Who(r.Context()),
		domain.TransitionFilter{
			Search:  v.Q,
			To:      domain.Health(v.To),
			Devices: v.Devices,
			Limit:   pageSize + 1,
			Offset:  ui.PageNumber(q) * pageSize,
		},
	)
	if err != nil {
		return err
	}
	rows, paging := ui.CutPage(changesPath, q, pageSize, found.Rows)
	v.Rows, v.Paging = ui.Changes(rows, found.Names), paging
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "judge", "changes", v)
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "Changes of health", Area: domain.AreaJudge, Tab: changesPath, Body: v})
}

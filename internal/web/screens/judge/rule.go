package judge

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"strconv"
	"strings"

	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/web/gather"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// form is the rule as it was typed.
type form struct {
	Name      string            `form:"name"`
	Title     string            `form:"title"`
	Runbook   string            `form:"runbook"`
	Enabled   bool              `form:"enabled"`
	Tags      string            `form:"tags"`
	Version   int               `form:"version"`
	Condition map[string]string // values of the fields of its kind
	// Of a new rule.
	Kit     string    `form:"kit"`
	Reading string    `form:"reading"`
	Kind    string    `form:"kind"`
	Device  domain.ID `form:"device"` // where it was asked for
	Alone   domain.ID `form:"alone"`  // that it is for; 0 for all
}

type editView struct {
	Show string
	Rule rule.Rule
	judge.About
	Kind   rule.Kind
	Form   form
	Fields []ui.FieldView
	Rows   []ui.FieldRow
	Words  string
	Errors domain.FieldErrors
	Saved  bool
	// Meanwhile says in words what somebody else has made of the rule; empty for nobody.
	Meanwhile string
	Notice    string
	MayAll    bool
	MayGather bool   // who looks sees changes that are made together
	Whose     string // the device that a new rule may be for alone
}

// New tells whether the rule is not made yet.
func (v editView) New() bool { return v.Rule.ID == 0 }

// URL is where the form goes.
func (v editView) URL() string {
	if v.New() {
		return newPath
	}
	return "/judge/rules/" + strconv.FormatInt(v.Rule.ID, 10)
}

// Lacks says why a new rule cannot be made here; empty where it can.
func (v editView) Lacks() string {
	switch {
	case !v.New() || v.May.Allows(domain.AccessConfigure):
		return ""
	case v.Form.Device == 0:
		return "A rule for all devices needs the level “configure” for the whole tree. " +
			"One for a device alone is made on the page of its reading."
	}
	return "To make a rule needs the level “configure” here."
}

// Headline is what the page is called.
func (v editView) Headline() string {
	if v.New() {
		return "New rule"
	}
	return v.Rule.Name
}

// Crumbs is the way to the page.
func (v editView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Judge", URL: rulesPath}, {Title: v.Headline()}}
}

// Sub says what it is about.
func (v editView) Sub() string {
	out := v.About.Reading + ", " + strings.ToLower(v.Kind.Title)
	if v.Rule.Unit != "" {
		out += " in " + v.Rule.Unit
	}
	if !v.New() {
		out += ", for " + cmp.Or(v.Device, "all devices")
	}
	return out
}

// Removal asks whether to remove the rule.
func (v editView) Removal() string {
	return "Remove the rule " + v.Rule.Name + "? Trouble that it sees now ends; what it raised stays in the history."
}

// Own tells whether people made the rule, and not a kit.
func (v editView) Own() bool { return v.Rule.Key == "" && !v.New() }

// NameField is where its name is typed.
func (v editView) NameField() ui.FieldView {
	return ui.Typed("rule-", "name", "Name", v.Form.Name, "", v.Errors["name"])
}

// AloneField is where it is chosen for which devices a new rule is.
func (v editView) AloneField() ui.FieldView {
	var options []ui.Option
	if v.Form.Device != 0 {
		options = append(options, ui.Option{Value: fmt.Sprint(v.Form.Device), Title: v.Whose + " alone"})
	}
	if v.MayAll {
		options = append(options, ui.Option{Value: "0", Title: "all devices that have the reading"})
	}
	return ui.Chosen("rule-", "alone", "For", fmt.Sprint(v.Form.Alone), options, "", v.Errors["alone"])
}

// Fixed tells that there is nothing to choose of for which devices it is.
func (v editView) Fixed() bool { return !v.New() || len(v.AloneField().Options) < 2 }

// TitleField is where it is typed what its alerts are called.
func (v editView) TitleField() ui.FieldView {
	const help = "{device} and {part} stand for the names. Empty: its own name with both."
	return ui.Typed("rule-", "title", "Alerts are called", v.Form.Title, help, v.Errors["title"])
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
	for _, name := range []string{"limits", "levels", "condition", "rule"} {
		if text := v.Errors[name]; text != "" {
			out = append(out, text)
		}
	}
	return out
}

func (s Screen) editView(r *http.Request, x rule.Rule, f form, errs domain.FieldErrors) (editView, error) {
	who := middleware.Who(r.Context())
	about, err := s.Judge.About(r.Context(), who, x)
	if err != nil {
		return editView{}, err
	}
	kind, fields, _ := s.Judge.Form(r.Context(), x)
	v := editView{Show: "edit", Rule: x, About: about[0], Kind: kind, Form: f, Errors: errs}
	_, alone := own.DeviceOf(x.Kit)
	v.MayGather = gather.May(r)
	v.MayAll = !alone && who.May(area, domain.AccessConfigure, domain.At(0))
	if len(x.Condition.Validate()) == 0 {
		v.Words = x.Words()
	}
	v.Fields, v.Rows = ui.Rows(ui.Fields("rule-", fields, f.Condition, errs))
	return v, nil
}

func (s Screen) formOf(ctx context.Context, r rule.Rule) form {
	_, _, values := s.Judge.Form(ctx, r)
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
	_, fields, _ := s.Judge.Form(r.Context(), old)
	for _, x := range fields {
		f.Condition[x.Name] = r.PostFormValue(x.Name)
	}
	x := old
	x.Name, x.Title, x.Runbook, x.Enabled, x.Version = f.Name, f.Title, f.Runbook, f.Enabled, f.Version
	x, errs := s.Judge.Read(r.Context(), x, f.Condition)
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
	v, err := s.editView(r, x, s.formOf(r.Context(), x), domain.FieldErrors{})
	if err != nil {
		return err
	}
	v.Saved = r.URL.Query().Get("made") != ""
	return s.Render.Page(w, r, "judge", render.Frame{Title: x.Name, Area: area, Body: v})
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
	saved := x
	if len(errs) == 0 && gather.Asked(r) {
		if err = s.gather(w, r, x); err == nil {
			return nil
		}
	} else if len(errs) == 0 {
		saved, err = s.Judge.Save(r.Context(), middleware.Who(r.Context()), x)
	}
	if err != nil && !errors.Is(err, domain.ErrChanged) && !errors.As(err, &errs) {
		return err
	}
	if err == nil && len(errs) == 0 {
		v, err := s.editView(r, saved, s.formOf(r.Context(), saved), domain.FieldErrors{})
		if err != nil {
			return err
		}
		v.Saved = true
		return s.Render.Fragment(w, http.StatusOK, "judge", "rule-form", v)
	}
	v, failed := s.editView(r, x, f, errs)
	if failed != nil {
		return failed
	}
	if v.Words = old.Words(); errors.Is(err, domain.ErrChanged) {
		v.Meanwhile, v.Form.Version = old.Words(), old.Version
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "judge", "rule-form", v)
}

// gather puts a rule among changes that are gathered.
func (s Screen) gather(w http.ResponseWriter, r *http.Request, x rule.Rule) error {
	if errs := x.Validate(); len(errs) > 0 {
		return errs
	}
	e, err := changes.EditOf(x)
	if err != nil {
		return err
	}
	return gather.Put(w, r, s.Changes, e)
}

// remove takes a rule away that people made.
func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	x, err := s.rule(r)
	if err != nil {
		return err
	}
	version, _ := strconv.Atoi(r.PostFormValue("version"))
	if gather.Asked(r) {
		return gather.Put(w, r, s.Changes, domain.Edit{Rule: &domain.RuleEdit{ID: x.ID, Name: x.Name, Version: version, Remove: true}})
	}
	wrong := s.Judge.Remove(r.Context(), middleware.Who(r.Context()), x.ID, version)
	if wrong == nil {
		http.Redirect(w, r, rulesPath, http.StatusSeeOther)
		return nil
	}
	errs := domain.FieldErrors{}
	notice, wrong := ui.Refused(wrong, &errs)
	if wrong != nil {
		return wrong
	}
	v, err := s.editView(r, x, s.formOf(r.Context(), x), errs)
	if err != nil {
		return err
	}
	v.Notice = notice
	return s.Render.Page(w, r, "judge", render.Frame{Title: x.Name, Area: area, Body: v})
}

// newRule is the blank rule that a query or form asks for; ok is false where it names no reading.
func (s Screen) newRule(r *http.Request) (x rule.Rule, f form, ok bool, err error) {
	f.Kit, f.Reading, f.Kind = r.FormValue("kit"), r.FormValue("reading"), r.FormValue("kind")
	f.Device, _ = strconv.ParseInt(r.FormValue("device"), 10, 64)
	f.Alone = f.Device
	if alone := r.PostFormValue("alone"); alone != "" {
		f.Alone, _ = strconv.ParseInt(alone, 10, 64)
	}
	if f.Kit == "" || f.Reading == "" {
		return x, f, false, nil
	}
	x, err = s.Judge.Blank(r.Context(), middleware.Who(r.Context()), f.Kit, f.Reading, f.Alone, f.Kind)
	return x, f, true, err
}

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	x, f, ok, err := s.newRule(r)
	if err != nil {
		return err
	}
	if !ok {
		return s.choose(w, r)
	}
	filled := s.formOf(r.Context(), x)
	filled.Kit, filled.Reading, filled.Kind, filled.Device, filled.Alone = f.Kit, f.Reading, x.Condition.Kind(), f.Device, x.DeviceID
	v, err := s.newView(r, x, filled, domain.FieldErrors{})
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: v.Headline(), Area: area, Body: v})
}

// newView is the form of a rule that is not made yet.
func (s Screen) newView(r *http.Request, x rule.Rule, f form, errs domain.FieldErrors) (editView, error) {
	v, err := s.editView(r, x, f, errs)
	if err != nil || f.Device == 0 {
		return v, err
	}
	at := x
	at.DeviceID = f.Device
	whose, err := s.Judge.About(r.Context(), middleware.Who(r.Context()), at)
	if err == nil {
		v.Whose = whose[0].Device
	}
	return v, err
}

func (s Screen) make(w http.ResponseWriter, r *http.Request) error {
	blank, _, ok, err := s.newRule(r)
	if err != nil {
		return err
	}
	if !ok {
		return domain.FieldErrors{"reading": "Choose a reading first."}
	}
	x, f, errs, err := s.read(r, blank)
	if err != nil {
		return err
	}
	if len(errs) == 0 && gather.Asked(r) {
		if err = s.gather(w, r, x); err == nil {
			return nil
		}
		if !errors.As(err, &errs) {
			return err
		}
	} else if len(errs) == 0 {
		var made rule.Rule
		if made, err = s.Judge.Make(r.Context(), middleware.Who(r.Context()), x); err == nil {
			w.Header().Set("HX-Redirect", fmt.Sprintf("/judge/rules/%d?made=yes", made.ID))
			return nil
		}
		if !errors.As(err, &errs) {
			return err
		}
	}
	v, err := s.newView(r, x, f, errs)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "judge", "rule-form", v)
}

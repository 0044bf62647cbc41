package fitting

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/web/gather"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// ruleView is the page of a rule: its form, with what it would do beside it.
type ruleView struct {
	Show string
	domain.FittingRule
	Kits   []kitChoice
	Words  []fitting.Vocable
	May    bool
	Notice string
	Errors domain.FieldErrors
	// Losing is what removing it would do, in words.
	Losing string
}

// kitChoice is a kit, with what the rule says of it.
type kitChoice struct {
	Name, Title, Says string
}

// Says are what a rule may say of a kit.
func (kitChoice) Choices() []ui.Option {
	return []ui.Option{{Title: "says nothing"}, {Value: fits, Title: "fits it"}, {Value: keepsOff, Title: "keeps it off"}}
}

const fits, keepsOff = "fits", "keeps-off"

// Crumbs is the way to the page.
func (v ruleView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Collect", URL: "/collect"}, {Title: "Fitting rules", URL: listPath}, {Title: v.Headline()}}
}

// Headline names the page.
func (v ruleView) Headline() string {
	if v.ID == 0 {
		return "New fitting rule"
	}
	return v.Name
}

// NameField is where its name is typed.
func (v ruleView) NameField() ui.FieldView {
	return ui.Typed("rule-", "name", "Name", v.Name, "", v.Errors["name"])
}

// WhenField is where its condition is typed.
func (v ruleView) WhenField() ui.FieldView {
	const help = `A condition in CEL, such as kind == "switch" && "North Pier" in places`
	f := ui.TypedLines("rule-", "when", "Devices for which", v.When, 4, help, v.Errors["when"])
	f.Mono = true
	return f
}

// Rehearsing is where it is told what it would do.
func (v ruleView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "trial", URL: listPath + "/trial", Form: "fitting-form", On: "input delay:400ms from:body, change"}
}

// Removal asks whether to remove it.
func (v ruleView) Removal() string {
	return "Remove the fitting rule " + v.Name + "? " + v.Losing
}

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	rule := domain.FittingRule{When: q.Get("when")}
	if kit := q.Get("kit"); kit != "" {
		rule.Fits = []string{kit}
	}
	return s.show(w, r, rule)
}

func (s Screen) one(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	rule, err := s.Fitting.Rule(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	return s.show(w, r, rule)
}

func (s Screen) show(w http.ResponseWriter, r *http.Request, rule domain.FittingRule) error {
	v, err := s.view(r, rule)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "fitting", render.Frame{Title: v.Headline(), Area: area, Tab: listPath, Body: v})
}

func (s Screen) view(r *http.Request, rule domain.FittingRule) (v ruleView, err error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	v = ruleView{Show: "rule", FittingRule: rule, May: who.May(area, domain.AccessConfigure, domain.At(0))}
	if v.Words, err = s.Fitting.Words(ctx, who); err != nil {
		return v, err
	}
	for _, k := range s.Fitting.Kits.Kits() {
		c := kitChoice{Name: k.Name, Title: k.Title}
		switch {
		case slices.Contains(rule.Fits, k.Name):
			c.Says = fits
		case slices.Contains(rule.KeepsOff, k.Name):
			c.Says = keepsOff
		}
		v.Kits = append(v.Kits, c)
	}
	slices.SortStableFunc(v.Kits, func(a, b kitChoice) int { return rank(a) - rank(b) })
	if rule.ID == 0 {
		return v, nil
	}
	would, err := s.Fitting.RehearseRemoval(ctx, who, rule.ID)
	v.Losing = text.UpperFirst(would.Why.Answer) + "."
	return v, err
}

// rank puts kits first of which a rule says something.
func rank(c kitChoice) int {
	if c.Says == "" {
		return 1
	}
	return 0
}

type typed struct {
	ID      domain.ID `form:"id"`
	Name    string    `form:"name"`
	When    string    `form:"when"`
	Off     bool      `form:"off"`
	Version int       `form:"version"`
}

// typedRule is the rule of the form.
func typedRule(r *http.Request) (rule domain.FittingRule, err error) {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return rule, err
	}
	rule = domain.FittingRule{ID: in.ID, Name: in.Name, When: in.When, Off: in.Off, Version: in.Version}
	for name, values := range r.PostForm {
		kit, ok := strings.CutPrefix(name, "kit-")
		if !ok || len(values) == 0 {
			continue
		}
		switch values[0] {
		case fits:
			rule.Fits = append(rule.Fits, kit)
		case keepsOff:
			rule.KeepsOff = append(rule.KeepsOff, kit)
		}
	}
	return rule, nil
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	rule, err := typedRule(r)
	if err != nil {
		return err
	}
	wrong := s.keep(w, r, rule)
	if wrong == nil {
		return nil
	}
	v, err := s.view(r, rule)
	if err != nil {
		return err
	}
	if v.Notice, err = ui.Refused(wrong, &v.Errors); err != nil {
		return err
	}
	if errors.Is(wrong, domain.ErrChanged) {
		now, err := s.Fitting.Rule(r.Context(), middleware.Who(r.Context()), rule.ID)
		if err != nil {
			return err
		}
		v.Version = now.Version
		v.Notice += fmt.Sprintf(" Now it is: %s, for devices for which %s.", now.Name, now.When)
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "fitting", "fitting-form", v)
}

// keep saves a rule, or gathers it with other changes.
func (s Screen) keep(w http.ResponseWriter, r *http.Request, rule domain.FittingRule) error {
	if gather.Asked(r) {
		return gather.Put(w, r, s.Changes, domain.Edit{FittingRule: &domain.FittingRuleEdit{FittingRule: rule}})
	}
	_, err := s.Fitting.Save(r.Context(), middleware.Who(r.Context()), rule)
	if err == nil {
		w.Header().Set("HX-Redirect", listPath)
	}
	return err
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	if gather.Asked(r) {
		gone := domain.FittingRuleEdit{Remove: true}
		gone.ID, gone.Version = id, in.Version
		return gather.Put(w, r, s.Changes, domain.Edit{FittingRule: &gone})
	}
	if err := s.Fitting.Remove(r.Context(), middleware.Who(r.Context()), id, in.Version); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}

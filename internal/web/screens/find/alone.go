package find

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// aloneView is what a sweep adopts without asking.
type aloneView struct {
	page
	Sweep  domain.Sweep
	Rules  []domain.AdoptionRule
	Mark   string
	Places []domain.Place
	May    bool
	Errors domain.FieldErrors
	Notice string
	Saved  bool
}

// Crumbs is the way to the page.
func (v aloneView) Crumbs() []ui.Crumb {
	return []ui.Crumb{
		{Title: "Find", URL: listPath},
		{Title: v.Sweep.Name, URL: fmt.Sprintf("/find/sweeps/%d", v.Sweep.ID)},
		{Title: "Adopt without asking"},
	}
}

// Rehearsing is where it is told what would be adopted.
func (v aloneView) Rehearsing() ui.Rehearsing {
	url := fmt.Sprintf("/find/sweeps/%d/alone/rehearsal", v.Sweep.ID)
	return ui.Rehearsing{ID: "decided", URL: url, Form: "alone", On: "input delay:400ms"}
}

// aloneRow is one rule in the form.
type aloneRow struct {
	N                 int
	When, Place, Tags ui.FieldView
}

// Rows are the rules, and behind them an empty one to be filled.
func (v aloneView) Rows() (out []aloneRow) {
	rules := v.Rules
	if v.May {
		rules = append(rules[:len(rules):len(rules)], domain.AdoptionRule{})
	}
	for i, r := range rules {
		field := func(name string) string { return v.Errors[name+"-"+strconv.Itoa(i)] }
		row := aloneRow{N: i + 1}
		help := ""
		if i == len(rules)-1 {
			help = `A condition in CEL such as kind == "switch" && vendor != ""; true for all. Empty for no further rule.`
		}
		row.When = ui.TypedLines("alone-", "when", "Adopt those for which", r.When, 2, help, field("when"))
		row.When.Mono = true
		options := ui.PlaceOptions(v.Places, ui.Option{Value: "0", Title: "choose a place"})
		row.Place = ui.Chosen("alone-", "place", "into", fmt.Sprint(r.PlaceID), options, "", field("place"))
		row.Tags = ui.Typed("alone-", "tags", "with the tags", strings.Join(r.Tags, ", "), "", field("tags"))
		for _, f := range []*ui.FieldView{&row.When, &row.Place, &row.Tags} {
			f.ID += "-" + strconv.Itoa(i)
			if f.HelpID != "" {
				f.HelpID = f.ID + "-help"
			}
		}
		out = append(out, row)
	}
	return out
}

// Asked are what a condition may ask for.
func (aloneView) Asked() string {
	var names []string
	for _, c := range recognise.OfFinds {
		names = append(names, c.Name)
	}
	return strings.Join(names, ", ")
}

func (s Screen) aloneView(r *http.Request) (v aloneView, err error) {
	who := middleware.Who(r.Context())
	v = aloneView{page: page{"alone"}, Errors: domain.FieldErrors{}}
	if v.Sweep, err = s.Find.Sweep(r.Context(), who, sweepID(r)); err != nil {
		return v, err
	}
	a, err := s.Find.Alone(r.Context(), who, v.Sweep.ID)
	if err != nil {
		return v, err
	}
	v.Rules, v.Mark = a.Rules, a.Mark
	v.May = who.May(domain.AreaFind, domain.AccessConfigure, domain.At(v.Sweep.PlaceID))
	v.Places, err = s.Places.Where(r.Context(), who, domain.AreaFind, domain.AccessConfigure)
	return v, err
}

func (s Screen) alone(w http.ResponseWriter, r *http.Request) error {
	v, err := s.aloneView(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "find", render.Frame{Title: "Adopt without asking", Area: domain.AreaFind, Body: v})
}

// rulesTyped are the rules of the form; one without a condition is none.
func rulesTyped(form url.Values) (out []domain.AdoptionRule) {
	for i, when := range form["when"] {
		if strings.TrimSpace(when) == "" {
			continue
		}
		rule := domain.AdoptionRule{When: strings.TrimSpace(when)}
		if i < len(form["place"]) {
			rule.PlaceID, _ = strconv.ParseInt(form["place"][i], 10, 64) // 0 is refused by the check
		}
		if i < len(form["tags"]) {
			for tag := range strings.SplitSeq(form["tags"][i], ",") {
				if tag = strings.TrimPrefix(strings.TrimSpace(tag), "#"); tag != "" {
					rule.Tags = append(rule.Tags, tag)
				}
			}
		}
		out = append(out, rule)
	}
	return out
}

func (s Screen) setAlone(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return err
	}
	rules := rulesTyped(r.PostForm)
	wrong := s.Find.SetAlone(r.Context(), middleware.Who(r.Context()), sweepID(r), rules, r.PostFormValue("mark"))
	v, err := s.aloneView(r)
	if err != nil {
		return err
	}
	if wrong == nil {
		v.Saved = true
		return s.Render.Fragment(w, http.StatusOK, "find", "alone-form", v)
	}
	v.Rules = rules
	if v.Notice, err = ui.Refused(wrong, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "find", "alone-form", v)
}

// decidedView is what the rules that are typed would do with what was found.
type decidedView struct {
	Problem string
	Found   int
	Adopted int
	Rows    []find.Decided
	Places  map[domain.ID]string
	Rules   []domain.AdoptionRule
}

// Sum says how many they would adopt.
func (v decidedView) Sum() string {
	if v.Found == 0 {
		return "Nothing that was found is still to be adopted."
	}
	return fmt.Sprintf("Of %s not watched yet, %s would be adopted at the next end of this sweep.",
		text.Count(int64(v.Found), "find"), text.Thousands(int64(v.Adopted)))
}

// Into says where a find would come, and with which tags.
func (v decidedView) Into(d find.Decided) string {
	if d.Rule < 0 {
		return ""
	}
	r := v.Rules[d.Rule]
	out := v.Places[r.PlaceID]
	for _, tag := range r.Tags {
		out += " #" + tag
	}
	return out
}

// mostDecided is how many finds are told one by one.
const mostDecided = 200

func (s Screen) rehearseAlone(w http.ResponseWriter, r *http.Request) error {
	v, err := s.aloneView(r)
	if err != nil {
		return err
	}
	if err := r.ParseForm(); err != nil {
		return err
	}
	out := decidedView{Rules: rulesTyped(r.PostForm), Places: map[domain.ID]string{0: "no place yet"}}
	for _, p := range v.Places {
		out.Places[p.ID] = p.Name
	}
	all, err := s.Find.RehearseAlone(r.Context(), middleware.Who(r.Context()), v.Sweep.ID, out.Rules)
	if errors.As(err, &v.Errors) {
		for _, problem := range v.Errors {
			out.Problem = problem
		}
	} else if err != nil {
		return err
	}
	out.Found = len(all)
	for _, d := range all {
		if d.Rule >= 0 {
			out.Adopted++
		}
	}
	out.Rows = all[:min(len(all), mostDecided)]
	return s.Render.Fragment(w, http.StatusOK, "find", "decided", out)
}

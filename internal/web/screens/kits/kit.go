package kits

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// kitView is the page of a kit.
type kitView struct {
	Show string
	*kit.Kit
	Fitted   int
	One      kit.Cost
	Facts    []string // that it needs, in words
	Versions []versionView
	May      bool
	Waits    bool   // an update of the release waits for a decision
	Leaving  string // what taking it away would do
	Notice   string
}

// UpdateURL is where an update is decided about.
func (v kitView) UpdateURL() string { return SavePath + "/" + v.Name + "/update" }

// Base is the revision in force.
func (v kitView) Base() int { return v.Versions[0].Revision }

// Removal asks whether to take it away.
func (v kitView) Removal() string { return "Take “" + v.Title + "” away? " + v.Leaving }

// Crumbs is the way to the page.
func (v kitView) Crumbs() []ui.Crumb {
	out := []ui.Crumb{{Title: "Collect", URL: listPath}}
	path := ""
	for _, name := range strings.Split(v.Folder, "/") {
		if path = strings.TrimPrefix(path+"/"+name, "/"); path != "" {
			out = append(out, ui.Crumb{Title: name, URL: listPath + "?" + url.Values{"folder": {path}}.Encode()})
		}
	}
	return append(out, ui.Crumb{Title: v.Title})
}

// EditURL is where it is changed.
func (v kitView) EditURL() string { return SavePath + "/" + v.Name + "/edit" }

// Prepared is what must be done on a device first, ready to be copied.
func (v kitView) Prepared() ui.Copied {
	text := strings.ReplaceAll(v.Prepare, "{collector}", "ADDRESS OF THE MACHINE THAT COLLECTS")
	return ui.Copied{ID: "prepare", Title: "To be done on a device first", Text: text}
}

// Opens is where one of its things is changed.
func (v kitView) Opens(section, name string) string {
	return v.EditURL() + "?" + url.Values{"open": {section + "/" + name}}.Encode()
}

// ParkedSaid is what is kept and not collected, in words.
func (v kitView) ParkedSaid() string {
	var out []string
	for _, p := range v.Parked {
		if p.Because == "" {
			out = append(out, p.Words())
		}
	}
	return "Parked, kept and not collected: " + strings.Join(out, ", ") + "."
}

// SeatsURL is where it is fitted.
func (v kitView) SeatsURL() string { return SavePath + "/" + v.Name + "/devices" }

// FileURL is its kit file.
func (v kitView) FileURL() string { return SavePath + "/" + v.Name + "/file" }

// ValuesURL is what it reads now.
func (v kitView) ValuesURL() string { return "/collect/values?kit=" + v.Name }

// NeedsSaid is what a device must show for it to fit, in words.
func (v kitView) NeedsSaid() string {
	if v.OnRequest && len(v.Facts) == 0 {
		return "It fits every device, and is proposed for none: fit it where it is wanted, or by a rule."
	}
	if len(v.Facts) == 0 {
		return "It fits every device."
	}
	return "It fits devices that show " + strings.Join(v.Facts, ", and ") + "."
}

// sourceView is a fetch with the readings that it feeds.
type sourceView struct {
	kit.Source
	Readings []readingView
}

// Said is how it is fetched.
func (v sourceView) Said() string {
	out := v.Way
	if form := v.Ask["form"]; form != "" {
		out += " " + form
	}
	out += ", each " + units.Span(v.Every)
	if v.Optional {
		out += ", where there is one"
	}
	for _, name := range slices.Sorted(maps.Keys(v.When)) {
		out += fmt.Sprintf(", where %s is %s", name, v.When[name])
	}
	return out
}

// readingView is a reading with where it is shown and judged.
type readingView struct {
	kit.Reading
	Kit string
}

// How says what is made of what a device answers.
func (v readingView) How() string {
	out := "as it is"
	switch {
	case v.Text:
		out = "text, with since when it stands"
	case len(v.Codes) > 0:
		out = "state, with since when it stands"
	case len(v.Steps) > 0:
		out = v.SaidShort()
	}
	if v.Over != "" {
		out += ", " + string(v.Over) + " of all rows"
	}
	return out
}

// URL is where its values are.
func (v readingView) URL() string {
	return "/collect/values?" + url.Values{"kit": {v.Kit}, "reading": {v.Key}}.Encode()
}

// parameterView is a parameter of the kit.
type parameterView struct{ field.Field }

// Otherwise is what holds where nothing is set.
func (v parameterView) Otherwise() string {
	switch {
	case v.Required && v.Default == "":
		return "it must be set"
	case v.Kind == field.Secret:
		return "none"
	}
	return v.Default
}

// OneOf is what it may be.
func (v parameterView) OneOf() string {
	if v.Kind == field.Secret {
		return "stored secrets"
	}
	return strings.Join(v.Choices, ", ")
}

// Filled are the parameters, in the order in which they are filled in.
func (v kitView) Filled() (out []parameterView) {
	for _, p := range v.Parameters {
		out = append(out, parameterView{p})
	}
	return out
}

// Feeds are the sources, each once, with their readings.
func (v kitView) Feeds() (out []sourceView) {
	for _, src := range v.Sources {
		x := sourceView{Source: src}
		for _, r := range v.Readings {
			if r.Source == src.Key {
				x.Readings = append(x.Readings, readingView{r, v.Name})
			}
		}
		out = append(out, x)
	}
	return out
}

// RulesURL is where the rules on its readings are.
func (v kitView) RulesURL() string { return "/judge?q=" + url.QueryEscape(v.Name) }

// versionView is a version of the kit.
type versionView struct {
	domain.KitVersion
	InForce bool
}

// From says where it comes from.
func (v versionView) From() string {
	switch {
	case v.Withdrawn:
		return "taken away by " + v.Author
	case v.Shipped:
		return "shipped"
	case v.Author != "":
		return "by " + v.Author
	}
	return "made here"
}

// BackURL is where it is looked at, to be taken back.
func (v versionView) BackURL() string {
	return fmt.Sprintf("%s/%s/edit?revision=%d", SavePath, v.Kit, v.Revision)
}

// one shows a kit.
func (s Screen) one(w http.ResponseWriter, r *http.Request) error {
	v, err := s.kitView(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: v.Title, Area: area, Body: v})
}

func (s Screen) kitView(r *http.Request) (v kitView, err error) {
	who := middleware.Who(r.Context())
	k, versions, err := s.named(r)
	if err != nil {
		return v, err
	}
	count, err := s.Kits.Fitted(r.Context(), who)
	if err != nil {
		return v, err
	}
	waiting, err := s.Kits.Waiting(r.Context(), who)
	if err != nil {
		return v, err
	}
	v = kitView{Show: "kit", Kit: k, Fitted: count[k.Name], May: who.May(area, domain.AccessConfigure, domain.At(0))}
	v.One = k.Estimate(func(kit.Parts) int { return 10 }, s.Kits.BytesPerSample(r.Context()))
	for _, fact := range k.Needs {
		v.Facts = append(v.Facts, s.Kits.Ways.Fact(fact))
	}
	for i, x := range versions {
		v.Versions = append(v.Versions, versionView{x, i == 0})
	}
	v.Waits = slices.Contains(waiting, k.Name)
	if v.May {
		trace, err := s.Kits.RehearseWithdrawal(r.Context(), who, k.Name)
		if err != nil {
			return v, err
		}
		v.Leaving = trace.Answer + " What was collected and its versions stay."
	}
	return v, nil
}

// named is the kit of a path, with its versions.
func (s Screen) named(r *http.Request) (*kit.Kit, []domain.KitVersion, error) {
	name := chi.URLParam(r, "name")
	versions, err := s.Kits.Versions(r.Context(), middleware.Who(r.Context()), name)
	if err != nil {
		return nil, nil, err
	}
	k, err := s.Kits.Kit(name)
	return k, versions, err
}

// file sends a version of a kit as a file, the newest where none is named.
func (s Screen) file(w http.ResponseWriter, r *http.Request) error {
	v, err := s.version(r)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/yaml; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="`+v.Kit+`.yaml"`)
	_, err = w.Write([]byte(v.Document))
	return err
}

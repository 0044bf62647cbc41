package kits

import (
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

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
}

// Crumbs is the way to the page.
func (v kitView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Collect", URL: listPath}, {Title: v.Title}}
}

// EditURL is where it is changed.
func (v kitView) EditURL() string { return SavePath + "/" + v.Name + "/edit" }

// FileURL is its kit file.
func (v kitView) FileURL() string { return SavePath + "/" + v.Name + "/file" }

// ValuesURL is what it reads now.
func (v kitView) ValuesURL() string { return "/collect/values?kit=" + v.Name }

// NeedsSaid is what a device must show for it to fit, in words.
func (v kitView) NeedsSaid() string {
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
	if v.Shipped {
		return "shipped"
	}
	return "made here"
}

// BackURL is where it is looked at, to be taken back.
func (v versionView) BackURL() string {
	return fmt.Sprintf("%s/%s/edit?revision=%d", SavePath, v.Kit, v.Revision)
}

// one shows a kit.
func (s Screen) one(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	k, versions, err := s.named(r)
	if err != nil {
		return err
	}
	count, err := s.Kits.Fitted(r.Context(), who)
	if err != nil {
		return err
	}
	v := kitView{Show: "kit", Kit: k, Fitted: count[k.Name], May: who.May(area, domain.AccessConfigure, domain.At(0))}
	v.One = k.Estimate(func(kit.Parts) int { return 10 }, s.Kits.BytesPerSample(r.Context()))
	for _, fact := range k.Needs {
		v.Facts = append(v.Facts, s.Kits.Ways.Fact(fact))
	}
	for i, x := range versions {
		v.Versions = append(v.Versions, versionView{x, i == 0})
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: k.Title, Area: area, Body: v})
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

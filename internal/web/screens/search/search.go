// Package search is the one field that finds everything.
package search

import (
	"embed"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	coretext "tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is searching.
type Screen struct {
	Render *render.Renderer
	Watch  *watch.Service
	// Screens are those whose pages are found by their names.
	Screens []screen.Screen
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"search": files},
		Routes:    []screen.Route{screen.Open("/search", s.search)},
	}
}

type hitView struct{ URL, Name, Note, Kind string }

type hitsView struct {
	Hits  []hitView
	Asked bool
}

const mostHits = 10

func (s Screen) search(w http.ResponseWriter, r *http.Request) error {
	text := strings.TrimSpace(r.URL.Query().Get("q"))
	if text == "" {
		return s.Render.Fragment(w, http.StatusOK, "search", "hits", hitsView{})
	}
	v := hitsView{Asked: true}
	who := middleware.Who(r.Context())
	if !who.Scope(domain.AreaWatch, domain.AccessSee).None() {
		found, err := s.Watch.Search(r.Context(), who, text, mostHits)
		if err != nil {
			return err
		}
		for _, h := range found {
			v.Hits = append(v.Hits, hitView{address(h), h.Name, h.Note, h.Kind})
		}
	}
	for _, x := range s.Screens {
		for _, e := range append(x.Menu, x.Found...) {
			if e.For(who) && coretext.Near(text, e.Title) {
				v.Hits = append(v.Hits, hitView{URL: e.Path, Name: e.Title, Kind: "page"})
			}
		}
	}
	return s.Render.Fragment(w, http.StatusOK, "search", "hits", v)
}

// address is the page of what was found.
func address(h watch.Hit) string {
	id := strconv.FormatInt(h.ID, 10)
	switch h.Kind {
	case "incident":
		return "/incidents/" + id
	case "rule":
		return "/judge/rules/" + id
	case "place":
		return "/devices?" + url.Values{"q": {h.Name}}.Encode()
	case "reading":
		kit, reading, _ := strings.Cut(h.Note, "/")
		return "/collect/values?" + url.Values{"kit": {kit}, "reading": {reading}}.Encode()
	}
	return "/devices/" + id
}

// Package credentials is the pages of what devices are asked with.
package credentials

import (
	"cmp"
	"embed"
	"io/fs"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the pages.
type Screen struct {
	Render      *render.Renderer
	Credentials *credentials.Service
	Places      *places.Service
}

const (
	area     = domain.AreaCollect
	listPath = "/collect/credentials"
	newPath  = "/collect/credentials/new"
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"credentials": files},
		Menu:      []render.Entry{{Title: "Credentials", Path: listPath, Area: area}},
		Found:     []render.Entry{{Title: "New credential", Path: newPath, Area: area, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			{Method: http.MethodGet, Path: newPath, Area: area, Needs: configure, Handle: s.blank},
			screen.Post(newPath, area, configure, s.save),
			screen.Get("/collect/credentials/{id}", area, s.page),
			screen.Post("/collect/credentials/{id}", area, configure, s.save),
			screen.Post("/collect/credentials/{id}/delete", area, configure, s.remove),
		},
	}
}

type listView struct {
	Any bool // there are some, whether or not they fit
	May bool
	Bar ui.FilterBar
	ui.Filled[rowView]
}

// Show tells the template which of the pages it shows.
func (listView) Show() string { return "list" }

type rowView struct {
	credentials.Credential
	Place string
}

// Stored is how long ago its secrets were stored; empty where that is not known.
func (v rowView) Stored() string { return ago(v.Credential) }

func ago(c credentials.Credential) string {
	if c.SealedAt.IsZero() {
		return ""
	}
	return ui.Ago(c.SealedAt) + " ago"
}

// UsedBy says by what it is used.
func (v rowView) UsedBy() string { return cmp.Or(credentials.UsedBy(v.Used), "nothing") }

const pageSize = 100

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.Credentials.All(r.Context(), who)
	if err != nil {
		return err
	}
	names, err := s.names(r)
	if err != nil {
		return err
	}
	v := listView{
		Any: len(all) > 0,
		May: !who.Scope(area, domain.AccessConfigure).None(),
		Bar: ui.FilterBar{
			Path:        listPath,
			Target:      "credentials-table",
			Search:      q.Get("q"),
			Placeholder: "Name, kind or place",
			Label:       "Filter credentials",
		},
	}
	rows := make([]rowView, len(all))
	for i, c := range all {
		rows[i] = rowView{c, names[c.PlaceID]}
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "credentials", "credentials-table", v)
	}
	return s.Render.Page(w, r, "credentials", render.Frame{Title: "Credentials", Area: area, Tab: listPath, Body: v})
}

// says is what is searched in.
func (v rowView) says() string { return v.Name + " " + v.About.Title + " " + v.Place }

var columns = ui.Columns[rowView]{
	"":       ui.ByText(func(v rowView) string { return v.Name }),
	"kind":   ui.ByText(func(v rowView) string { return v.About.Title }),
	"place":  ui.ByText(func(v rowView) string { return v.Place }),
	"stored": ui.Latest(func(v rowView) time.Time { return v.SealedAt }),
}

// names are what places are called, for those who see them.
func (s Screen) names(r *http.Request) (map[domain.ID]string, error) {
	all, err := s.Places.All(r.Context(), middleware.Who(r.Context()))
	out := map[domain.ID]string{0: ui.WholeTree.Title}
	for _, p := range all {
		out[p.ID] = p.Name
	}
	return out, err
}

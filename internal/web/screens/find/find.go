// Package find is sweeps and what they found.
package find

import (
	"embed"
	"io/fs"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is finding.
type Screen struct {
	Render *render.Renderer
	Find   *find.Service
	Places *places.Service
	// Addition adds one thing by hand.
	Addition    *addition.Service
	Credentials *credentials.Service
	// Port is what a new sweep asks by default.
	Port int
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, configure = domain.AreaFind, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"find": files},
		Menu:      []render.Entry{{Title: "Sweeps", Path: listPath, Area: area}},
		Found: []render.Entry{
			{Title: "New sweep", Path: newPath, Area: area, Needs: configure},
			{Title: "Add one thing by hand", Path: addPath, Area: area, Needs: configure},
		},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get("/find/sweeps/{id}", area, s.sweep),
			screen.Get("/find/sweeps/{id}/offers", area, s.offers),
			screen.Get("/find/sweeps/{id}/runs", area, s.runs),
			screen.Get("/find/sweeps/{id}/alone", area, s.alone),
			screen.Post("/find/sweeps/{id}/alone", area, configure, s.setAlone),
			screen.Post("/find/sweeps/{id}/alone/rehearsal", area, domain.AccessSee, s.rehearseAlone),
			{Method: http.MethodGet, Path: newPath, Area: area, Needs: configure, Handle: s.form},
			screen.Post(newPath, area, configure, s.create),
			{Method: http.MethodGet, Path: addPath, Area: area, Needs: configure, Handle: s.addPage},
			screen.Post(addPath, area, configure, s.add),
			screen.Post("/find/size", area, configure, s.size),
			screen.Post(TablePath, area, configure, s.table),
			screen.Post("/find/sweeps/{id}/start", area, domain.AccessOperate, s.start),
			screen.Post("/find/sweeps/{id}/stop", area, domain.AccessOperate, s.stop),
			screen.Post("/find/sweeps/{id}/delete", area, configure, s.remove),
			screen.Post("/find/sweeps/{id}/adopt", area, configure, s.adopt),
			screen.Post("/find/sweeps/{id}/ignore", area, configure, s.ignore),
			screen.Post("/find/sweeps/{id}/take-over/{find}", area, configure, s.takeOver),
		},
	}
}

const (
	listPath = "/find"
	newPath  = "/find/new"
	addPath  = "/find/add"
)

// highest is the highest level that an actor has anywhere.
func highest(who access.Actor) (best domain.Access) {
	for _, level := range domain.AllAccess() {
		if !who.Scope(domain.AreaFind, level).None() {
			best = level
		}
	}
	return best
}

// View says which of the pages a template shows.
type page struct{ Show string }

type listView struct {
	page
	Sweeps []domain.Sweep
	May    domain.Access
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	sweeps, err := s.Find.Sweeps(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	v := listView{page{"list"}, sweeps, highest(middleware.Who(r.Context()))}
	return s.Render.Page(w, r, "find", render.Frame{Title: "Find", Area: domain.AreaFind, Tab: listPath, Body: v})
}

const pageSize = 250

// shownSightings is how many are listed; the API has all.
const shownSightings = 500

// order puts what waits for a decision first.
var order = map[domain.Verdict]int{
	domain.FindMoved:   0,
	domain.FindNew:     1,
	domain.FindAdopted: 2,
	domain.FindKnown:   3,
	domain.FindIgnored: 4,
}

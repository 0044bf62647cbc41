// Package places is the tree that everything belongs to.
package places

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the tree.
type Screen struct {
	Render *render.Renderer
	Places *places.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, configure = domain.AreaRun, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"places": files},
		Menu:      []render.Entry{{Title: "Places", Path: listPath, Area: area}},
		Found:     []render.Entry{{Title: "New place", Path: newPath, Area: area, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			{Method: http.MethodGet, Path: newPath, Area: area, Needs: configure, Handle: s.blank},
			screen.Post(newPath, area, configure, s.save),
			screen.Get("/run/places/{id}", area, s.page),
			screen.Post("/run/places/{id}", area, configure, s.save),
			screen.Post("/run/places/{id}/move", area, configure, s.move),
			screen.Post("/run/places/{id}/delete", area, configure, s.remove),
		},
	}
}

const (
	listPath = "/run/places"
	newPath  = "/run/places/new"
)

// form is a place as it was typed.
type form struct {
	domain.Place
	Places []domain.Place // that it may lie below
	Whole  bool           // it may lie below none
	Errors domain.FieldErrors
	// Present is the place as another has made it meanwhile; nil for nobody.
	Present *domain.Place
	Saved   bool
	May     bool
	Node    places.Node
}

// Show tells the template which of the pages it shows.
func (form) Show() string { return "form" }

// URL is where the form is sent.
func (f form) URL() string {
	if f.ID == 0 {
		return newPath
	}
	return fmt.Sprintf("/run/places/%d", f.ID)
}

// NameField is the field of its name.
func (f form) NameField() ui.FieldView {
	return ui.Typed("place-", "name", "Name", f.Place.Name, "Unique among the places beside it.", f.Errors["name"])
}

// KindField is where its kind is chosen.
func (f form) KindField() ui.FieldView {
	kinds := ui.Options([]domain.PlaceKind{domain.Organisation, domain.Site, domain.Group})
	return ui.Chosen("place-", "kind", "Kind", string(f.Kind), kinds, "", f.Errors["kind"])
}

// ParentField is where it is chosen what it lies below.
func (f form) ParentField() ui.FieldView {
	options := append([]ui.Option{{Value: "0", Title: "no other place"}}, ui.PlaceOptions(f.Places)...)
	return ui.Chosen("place-", "parent", "Lies below", fmt.Sprint(f.ParentID), options, "", f.Errors["parent"])
}

// Crumbs is the way to the page.
func (f form) Crumbs() []ui.Crumb {
	title := f.Place.Name
	if f.ID == 0 {
		title = "New place"
	}
	return []ui.Crumb{{Title: "Places", URL: listPath}, {Title: title}}
}

func (s Screen) fill(r *http.Request, f *form) (err error) {
	who := middleware.Who(r.Context())
	f.Whole = who.May(domain.AreaRun, domain.AccessConfigure, domain.At(0))
	f.May = f.ID == 0 || who.May(domain.AreaRun, domain.AccessConfigure, domain.At(f.ID))
	f.Places, err = s.Places.Where(r.Context(), who, domain.AreaRun, domain.AccessConfigure)
	if errors.Is(err, domain.ErrForbidden) {
		err = nil
	}
	return err
}

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	f := form{Place: domain.Place{Kind: domain.Site}}
	below, err := ui.IDOf(r.URL.Query().Get("below"))
	if err != nil {
		return err
	}
	f.ParentID = below
	if err := s.fill(r, &f); err != nil {
		return err
	}
	if f.ParentID == 0 && len(f.Places) > 0 {
		f.ParentID = f.Places[0].ID
	}
	return s.show(w, r, f)
}

func (s Screen) show(w http.ResponseWriter, r *http.Request, f form) error {
	title := f.Place.Name
	if f.ID == 0 {
		title = "New place"
	}
	return s.Render.Page(w, r, "places", render.Frame{Title: title, Area: domain.AreaRun, Body: f})
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	p, err := s.Places.One(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	f := form{Place: p}
	if err := s.fill(r, &f); err != nil {
		return err
	}
	return s.show(w, r, f)
}

type typed struct {
	Name     string    `form:"name"`
	Kind     string    `form:"kind"`
	ParentID domain.ID `form:"parent"`
	Version  int       `form:"version"`
}

// save makes or changes a place and leads to it; what is wrong is told at its field.
func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	f := form{Place: domain.Place{Name: in.Name, Kind: domain.PlaceKind(in.Kind), ParentID: in.ParentID, Version: in.Version}}
	if f.Kind == domain.Organisation {
		f.ParentID = 0 // it lies below none, so that its field is not shown
	}
	if r.URL.Path != newPath {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		f.ID = id
	}
	who := middleware.Who(r.Context())
	saved, err := s.Places.Save(r.Context(), who, f.Place)
	switch {
	case errors.As(err, &f.Errors):
	case errors.Is(err, domain.ErrChanged):
		present, err := s.Places.One(r.Context(), who, f.ID)
		if err != nil {
			return err
		}
		f.Present, f.Version = &present, present.Version
	case err != nil:
		return err
	default:
		w.Header().Set("HX-Redirect", fmt.Sprintf("/run/places/%d", saved.ID))
		return nil
	}
	if err := s.fill(r, &f); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "places", "place-form", f)
}

// move lets a place lie below another, as it was dragged or sent by keys.
func (s Screen) move(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	p, err := s.Places.One(r.Context(), who, id)
	if err != nil {
		return err
	}
	if p.ParentID, err = ui.IDOf(r.PostFormValue("parent")); err != nil {
		return err
	}
	_, failed := s.Places.Save(r.Context(), who, p)
	var wrong domain.FieldErrors
	if failed != nil && !errors.As(failed, &wrong) {
		return failed
	}
	v, err := s.moved(r, p.ParentID)
	if err != nil {
		return err
	}
	for _, text := range wrong {
		v.Problem = text
	}
	return s.Render.Fragment(w, http.StatusOK, "places", "tree", v)
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Places.Remove(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}

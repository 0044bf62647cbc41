// Package screen is what a screen hands over: its templates, routes and menu entries
// in one value. Adding a screen is a folder and one line in the router.
package screen

import (
	"io/fs"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/render"
)

// Screen is a screen.
type Screen struct {
	// Templates are its sets of templates by the name under which they are rendered;
	// each holds a folder tmpl.
	Templates map[string]fs.FS
	Routes    []Route
	// Menu are its entries among those of its work area, in their order.
	Menu []render.Entry
	// Found are further pages and actions that a search finds by their names.
	Found []render.Entry
}

// Route is one address of a screen, with what it needs: whoever may that nowhere is
// refused before the screen is asked.
type Route struct {
	Method, Path string
	Area         domain.Area
	Needs        domain.Access // empty for everybody who is signed in
	Handle       render.Handler
	// Anywhere is true for what a person may do for himself in a browser that is not
	// trusted, too.
	Anywhere bool
}

// Get is a page or fragment that shows something of an area.
func Get(path string, area domain.Area, h render.Handler) Route {
	return Route{Method: http.MethodGet, Path: path, Area: area, Needs: domain.AccessSee, Handle: h}
}

// Open is a page or fragment for everybody who is signed in.
func Open(path string, h render.Handler) Route {
	return Route{Method: http.MethodGet, Path: path, Handle: h}
}

// Own is something that everybody who is signed in may do for himself, in a browser that
// he trusts.
func Own(path string, h render.Handler) Route {
	return Route{Method: http.MethodPost, Path: path, Handle: h}
}

// Anywhere is such a thing that is done in every browser.
func Anywhere(path string, h render.Handler) Route {
	return Route{Method: http.MethodPost, Path: path, Handle: h, Anywhere: true}
}

// Post is something that is done in an area.
func Post(path string, area domain.Area, needs domain.Access, h render.Handler) Route {
	return Route{Method: http.MethodPost, Path: path, Area: area, Needs: needs, Handle: h}
}

// ID reads the id of the path.
func ID(r *http.Request) (domain.ID, error) { return Named(r, "id") }

// Named reads an id of the path by its name.
func Named(r *http.Request, name string) (domain.ID, error) {
	id, err := strconv.ParseInt(chi.URLParam(r, name), 10, 64)
	if err != nil {
		return 0, domain.ErrNotFound
	}
	return id, nil
}

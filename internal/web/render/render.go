// Package render turns views into pages and fragments, and errors into
// answers, in one place.
package render

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/ui"
)

// Frame is what the layout shows around every page.
type Frame struct {
	Title  string
	Area   domain.Area // the work area that is current
	Tab    string      // the path of the menu entry that is current; empty for a page that is none
	Who    *access.Actor
	Areas  []Entry // of the bar at the top
	Tabs   []Entry // of the current area
	Estate any
	Body   any
	Live   bool
}

// Entry is a page that menus lead to.
type Entry struct {
	Title string
	Path  string
	Area  domain.Area
	// Asks is the area of what it shows, where that is not the one it stands in.
	Asks  domain.Area
	Needs domain.Access // see, where nothing is said
	// Whole is true where it shows what belongs to the whole tree.
	Whole bool
}

// For tells whether the page is one for an actor.
func (e Entry) For(who access.Actor) bool {
	area, needs := cmp.Or(e.Asks, e.Area), cmp.Or(e.Needs, domain.AccessSee)
	if e.Whole {
		return who.May(area, needs, domain.At(0))
	}
	return area == "" || !who.Scope(area, needs).None()
}

// Framer fills the frame for a request.
type Framer func(r *http.Request, f *Frame) error

// Away answers requests that failed since the database is away or takes nothing;
// it is false where that is not the reason.
type Away func(w http.ResponseWriter, r *http.Request, err error) bool

// Renderer holds the parsed templates of all screens.
type Renderer struct {
	base    *template.Template
	screens map[string]*template.Template
	frame   Framer
	log     *slog.Logger
	// Away is asked about failures; may be nil.
	Away Away
}

// New parses the layout.
func New(frame Framer, log *slog.Logger) (*Renderer, error) {
	base, err := template.New("layout").Funcs(ui.Funcs()).ParseFS(ui.Layout(), "tmpl/*.html")
	return &Renderer{base: base, screens: map[string]*template.Template{}, frame: frame, log: log}, err
}

// Screen adds the templates of one screen under a name.
func (r *Renderer) Screen(name string, files fs.FS) error {
	t, err := template.Must(r.base.Clone()).ParseFS(files, "tmpl/*.html")
	if err != nil {
		return fmt.Errorf("screen %s: %w", name, err)
	}
	r.screens[name] = t
	return nil
}

// Page writes a whole page, or only its main part when htmx asks for that.
func (r *Renderer) Page(w http.ResponseWriter, req *http.Request, screen string, f Frame) error {
	if err := r.frame(req, &f); err != nil {
		return err
	}
	w.Header().Add("Vary", "HX-Request")
	return r.write(w, http.StatusOK, screen, "page", f)
}

// Fragment writes one named part of a screen.
func (r *Renderer) Fragment(w http.ResponseWriter, status int, screen, name string, view any) error {
	w.Header().Add("Vary", "HX-Request")
	return r.write(w, status, screen, name, view)
}

func (r *Renderer) write(w http.ResponseWriter, status int, screen, name string, view any) error {
	var buf bytes.Buffer
	if err := r.screens[screen].ExecuteTemplate(&buf, name, view); err != nil {
		return fmt.Errorf("screen %s: %w", screen, err)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, err := buf.WriteTo(w)
	if err != nil {
		r.log.Debug("the reader went away", "error", err)
	}
	return nil
}

// Handler is a handler that may fail.
type Handler func(w http.ResponseWriter, r *http.Request) error

// Handle adapts a handler: its error becomes a status and a page, and is
// logged once.
func (r *Renderer) Handle(h Handler) http.HandlerFunc {
	return func(w http.ResponseWriter, req *http.Request) {
		err := h(w, req)
		if err == nil {
			return
		}
		if r.Away != nil && r.Away(w, req, err) {
			return
		}
		status, text := Status(err)
		if status >= 500 && req.Context().Err() == nil {
			r.log.Error("request failed", "method", req.Method, "path", req.URL.Path, "error", err)
		}
		if req.Header.Get("HX-Request") == "true" || r.screens["problem"] == nil {
			http.Error(w, text, status)
			return
		}
		r.problem(w, req, status, text)
	}
}

// Problem is what the page of an error shows.
type Problem struct {
	Status int
	Title  string
	Text   string
}

// Bare writes a page that needs no data, such as one that says that there is none.
func (r *Renderer) Bare(w http.ResponseWriter, status int, screen, title string, body any) {
	if err := r.write(w, status, screen, "page", Frame{Title: title, Body: body}); err != nil {
		http.Error(w, title, status)
	}
}

func (r *Renderer) problem(w http.ResponseWriter, req *http.Request, status int, text string) {
	f := Frame{Title: http.StatusText(status), Body: Problem{status, http.StatusText(status), text}}
	if r.frame(req, &f) != nil {
		http.Error(w, text, status) // the frame needs the database, which may be away
		return
	}
	if err := r.write(w, status, "problem", "page", f); err != nil {
		http.Error(w, text, status)
	}
}

// Status tells how an error is answered, and what people are told.
func Status(err error) (int, string) {
	var fields domain.FieldErrors
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return http.StatusRequestEntityTooLarge, "That is more than is taken at once."
	case errors.Is(err, domain.ErrUnreadable):
		return http.StatusBadRequest, "What was sent could not be read, and nothing was changed."
	case errors.Is(err, domain.ErrSlowDown):
		return http.StatusTooManyRequests, "Too many attempts, or too much at once. Try again in a moment."
	case errors.As(err, &fields):
		return http.StatusUnprocessableEntity, fields.Error()
	case errors.Is(err, domain.ErrNotFound):
		return http.StatusNotFound, "This is not here, or not any more."
	case errors.Is(err, domain.ErrForbidden):
		return http.StatusForbidden, "Your level of access does not allow this: " + strings.TrimPrefix(
			err.Error(),
			domain.ErrForbidden.Error()+": ",
		) + "."
	case errors.Is(err, domain.ErrChanged):
		return http.StatusConflict, "Somebody else has changed this meanwhile. Look at it as it is now, and change it again if " +
			"that is still right."
	case errors.Is(err, domain.ErrConflict):
		return http.StatusConflict, strings.TrimPrefix(err.Error(), domain.ErrConflict.Error()+": ")
	}
	return http.StatusInternalServerError, "Something failed on our side. The log says what; trying again may help."
}

// IsFragment tells whether htmx asks for a part of the page. A restored
// history entry wants the whole page.
func IsFragment(req *http.Request) bool {
	return req.Header.Get("HX-Request") == "true" && req.Header.Get("HX-History-Restore-Request") != "true"
}

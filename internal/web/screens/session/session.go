// Package session is signing in and out.
package session

import (
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is signing in and out.
type Screen struct {
	Render   *render.Renderer
	People   *people.Service
	Sessions *scs.SessionManager
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"session": files},
		Routes: []screen.Route{
			screen.Open("/signin", s.form),
			screen.Own("/signin", s.signIn),
			screen.Own("/signout", s.signOut),
		},
	}
}

type view struct{ Name, Next, Problem string }

func (s Screen) form(w http.ResponseWriter, r *http.Request) error {
	return s.Render.Fragment(w, http.StatusOK, "session", "signin", view{Next: r.URL.Query().Get("next")})
}

func (s Screen) signIn(w http.ResponseWriter, r *http.Request) error {
	v := view{Name: r.PostFormValue("name"), Next: r.PostFormValue("next")}
	u, wait, err := s.People.SignIn(r.Context(), v.Name, domain.Secret(r.PostFormValue("password")), middleware.From(r))
	switch {
	case errors.Is(err, domain.ErrSlowDown):
		seconds := int(wait/time.Second) + 1
		w.Header().Set("Retry-After", strconv.Itoa(seconds))
		v.Problem = "Too many attempts. Try again in " + strconv.Itoa(seconds) + " s."
		return s.Render.Fragment(w, http.StatusTooManyRequests, "session", "signin", v)
	case errors.Is(err, domain.ErrSignIn):
		v.Problem = "The name or the password is not right."
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "session", "signin", v)
	case err != nil:
		return err
	}
	if err := middleware.SignIn(r.Context(), s.Sessions, u.ID); err != nil {
		return err
	}
	http.Redirect(w, r, inside(v.Next), http.StatusSeeOther)
	return nil
}

// inside accepts paths of our own only, never another host.
func inside(next string) string {
	if !strings.HasPrefix(next, "/") || strings.HasPrefix(next, "//") || strings.HasPrefix(next, "/\\") {
		return "/"
	}
	return next
}

func (s Screen) signOut(w http.ResponseWriter, r *http.Request) error {
	if err := s.Sessions.Destroy(r.Context()); err != nil {
		return err
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
	return nil
}

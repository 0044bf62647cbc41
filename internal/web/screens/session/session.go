// Package session is signing in and out.
package session

import (
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"strconv"
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
	URL      string // how people reach the application
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"session": files},
		Routes: []screen.Route{
			screen.Open("/signin", s.form),
			screen.Anywhere("/signin", s.signIn),
			screen.Anywhere(secondPath, s.second),
			screen.Anywhere("/signin/passkey/begin", s.beginPasskey),
			screen.Anywhere("/signin/passkey", s.passkey),
			screen.Open(elsewherePath, s.elsewhere),
			screen.Open(people.BackPath, s.back),
			screen.Anywhere("/signout", s.signOut),
			screen.Open(linkPath+"{key}", s.link),
			screen.Anywhere(linkPath+"{key}", s.useLink),
		},
	}
}

// signInView is the form of the sign-in.
type signInView struct {
	Name, Next string
	Trust      bool
	Problem    string
	Message    string
	Passkeys   bool // there can be some
	// Elsewhere is what the provider of accounts is known by; empty where there is none.
	Elsewhere string
}

// Title is that of the page.
func (signInView) Title() string { return "Sign in" }

// Show tells the template which of the pages it shows.
func (signInView) Show() string { return "signin" }

// page shows one of the pages that stand outside of the application.
func (s Screen) page(w http.ResponseWriter, status int, view any) error {
	return s.Render.Fragment(w, status, "session", "session", view)
}

// blank completes a form of the sign-in. Where the provider is not known, since the
// database is away, passwords and passkeys remain.
func (s Screen) blank(r *http.Request, v signInView) signInView {
	v.Passkeys = s.People.Passkeys()
	v.Elsewhere, _ = s.People.Elsewhere(r.Context())
	return v
}

func (s Screen) form(w http.ResponseWriter, r *http.Request) error {
	v := s.blank(r, signInView{Next: r.URL.Query().Get("next")})
	if r.URL.Query().Has("set") {
		v.Message = "Your password is set. Sign in with it."
	}
	return s.page(w, http.StatusOK, v)
}

func (s Screen) signIn(w http.ResponseWriter, r *http.Request) error {
	v := s.blank(r, signInView{Name: r.PostFormValue("name"), Next: r.PostFormValue("next"), Trust: r.PostFormValue("trust") == "true"})
	in, wait, err := s.People.SignIn(r.Context(), v.Name, domain.Secret(r.PostFormValue("password")), middleware.Arrival(r, v.Trust))
	switch {
	case errors.Is(err, domain.ErrSlowDown):
		v.Problem = slowDown(w, wait)
		return s.page(w, http.StatusTooManyRequests, v)
	case errors.Is(err, domain.ErrSignIn):
		v.Problem = "The name or the password is not right."
		return s.page(w, http.StatusUnprocessableEntity, v)
	case err != nil:
		return err
	case in.Asked != nil:
		return s.await(w, r, in, v.Trust, v.Next)
	}
	return s.enter(w, r, in, v.Next)
}

// slowDown says, also to programs, how long to wait.
func slowDown(w http.ResponseWriter, wait time.Duration) string {
	seconds := strconv.Itoa(int(wait/time.Second) + 1)
	w.Header().Set("Retry-After", seconds)
	return "Too many attempts. Try again in " + seconds + " s."
}

func (s Screen) signOut(w http.ResponseWriter, r *http.Request) error {
	who, _, err := s.People.Present(r.Context(), middleware.SignInOf(r.Context(), s.Sessions), middleware.From(r))
	if err == nil {
		err = s.People.SignOut(r.Context(), who)
	}
	if err != nil && !errors.Is(err, domain.ErrNotFound) {
		return err
	}
	if err := s.Sessions.Destroy(r.Context()); err != nil {
		return err
	}
	http.Redirect(w, r, "/signin", http.StatusSeeOther)
	return nil
}

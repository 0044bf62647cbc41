package session

import (
	"errors"
	"net/http"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// linkPath is where the links lead with which people set a password.
const linkPath = "/welcome/"

// linkView is the form in which a person sets a password by a link.
type linkView struct {
	Called, Name string
	URL          string
	Errors       domain.FieldErrors
}

// Title is that of the page.
func (linkView) Title() string { return "Choose a password" }

// Show tells the template which of the pages it shows.
func (linkView) Show() string { return "link" }

// Password is where the password is typed.
func (v linkView) Password() ui.FieldView { return newPassword("password", "New password", v.Errors) }

// Again is where it is typed once more: nobody sees what is typed.
func (v linkView) Again() ui.FieldView { return newPassword("again", "Once more", v.Errors) }

func newPassword(name, label string, errs domain.FieldErrors) ui.FieldView {
	v := ui.TypedSecret("link-", name, label, errs[name])
	v.Autocomplete = "new-password"
	return v
}

// overView tells that a link opens nothing any more.
type overView struct{}

// Title is that of the page.
func (overView) Title() string { return "Nothing to open" }

// Show tells the template which of the pages it shows.
func (overView) Show() string { return "over" }

func keyOf(r *http.Request) domain.Secret { return domain.Secret(chi.URLParam(r, "key")) }

func (s Screen) link(w http.ResponseWriter, r *http.Request) error {
	u, err := s.People.Linked(r.Context(), keyOf(r))
	if errors.Is(err, domain.ErrNotFound) {
		return s.page(w, http.StatusNotFound, overView{})
	}
	if err != nil {
		return err
	}
	return s.page(w, http.StatusOK, linkView{Called: u.Called(), Name: u.Name, URL: r.URL.Path})
}

func (s Screen) useLink(w http.ResponseWriter, r *http.Request) error {
	u, err := s.People.Linked(r.Context(), keyOf(r))
	password := r.PostFormValue("password")
	if err == nil && password != r.PostFormValue("again") {
		err = domain.FieldErrors{"again": "This is not the same as above."}
	}
	if err == nil {
		_, err = s.People.UseLink(r.Context(), keyOf(r), domain.Secret(password), middleware.From(r))
	}
	v := linkView{Called: u.Called(), Name: u.Name, URL: r.URL.Path}
	switch {
	case errors.Is(err, domain.ErrNotFound):
		return s.page(w, http.StatusNotFound, overView{})
	case errors.As(err, &v.Errors):
		return s.page(w, http.StatusUnprocessableEntity, v)
	case err != nil:
		return err
	}
	http.Redirect(w, r, "/signin?set", http.StatusSeeOther)
	return nil
}

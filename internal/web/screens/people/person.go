package people

import (
	"errors"
	"fmt"
	"net/http"
	"slices"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// personForm is a person as it was typed.
type personForm struct {
	ID domain.ID
	people.Draft
	Password string // never shown again
	Places   []domain.Place
	Whole    bool // may belong to the whole tree
	All      []domain.Team
	Errors   domain.FieldErrors
	Problem  string
	May      bool
	User     domain.User
	Presence presenceView
	Link     linkView
	Factors  people.Factors
	Asked    domain.ID // the place that was asked about
	OfDevice string    // the device there that was asked about, empty for none
	Unknown  string    // what is wrong with that
	Allowed  []people.Allowed
	Seen     []domain.Place // that can be asked about
}

// Show tells the template which of the pages it shows.
func (personForm) Show() string { return "person" }

// URL is where the form is sent.
func (f personForm) URL() string {
	if f.ID == 0 {
		return newPersonPath
	}
	return fmt.Sprintf("%s/%d", peoplePath, f.ID)
}

// Crumbs is the way to the page.
func (f personForm) Crumbs() []ui.Crumb {
	title := "New person"
	if f.ID != 0 {
		title = f.User.Called()
	}
	return []ui.Crumb{{Title: "People", URL: peoplePath}, {Title: title}}
}

// NameField is the field of the name that is signed in with.
func (f personForm) NameField() ui.FieldView {
	return ui.Typed("person-", "name", "Name to sign in with", f.Name, "It stays; what is shown can be changed.", f.Errors["name"])
}

// DisplayField is the field of the name that is shown.
func (f personForm) DisplayField() ui.FieldView {
	return ui.Typed("person-", "display", "Name that is shown", f.Display, "", f.Errors["display"])
}

// PlaceField is where it is chosen where the person belongs.
func (f personForm) PlaceField() ui.FieldView {
	const help = "Whoever administers that part of the tree may change this person."
	options := ui.PlacesOrAll(f.Places, f.Whole)
	return ui.Chosen("person-", "place", "Belongs to", fmt.Sprint(f.PlaceID), options, help, f.Errors["place"])
}

// AskedFields are at which place, and with which device there, it is asked about.
func (f personForm) AskedFields() []ui.FieldView {
	const help = "Some is granted by tags that devices carry."
	return []ui.FieldView{
		ui.Chosen("allowed-", "place", "At", fmt.Sprint(f.Asked), ui.PlacesOrAll(f.Seen, true), "", ""),
		ui.Typed("allowed-", "device", "With the device", f.OfDevice, help, f.Unknown),
	}
}

// PasswordField is the field of a first password.
func (f personForm) PasswordField() ui.FieldView {
	v := ui.TypedSecret("person-", "password", "Password", f.Errors["password"])
	v.Help = "Eight characters or more. Leave it empty, and the person can set one with a link that you give."
	v.HelpID, v.Autocomplete = "person-password-help", "new-password"
	return v
}

// In tells whether the person is in a team.
func (f personForm) In(team domain.ID) bool { return slices.Contains(f.Teams, team) }

func (s Screen) fillPerson(r *http.Request, f *personForm) (err error) {
	who := middleware.Who(r.Context())
	f.Whole = who.May(domain.AreaRun, domain.AccessAdminister, domain.At(0))
	f.May = who.May(domain.AreaRun, domain.AccessAdminister, domain.At(f.User.PlaceID))
	if f.ID == 0 {
		f.May = true
	}
	if f.Places, err = s.Places.Where(r.Context(), who, domain.AreaRun, domain.AccessAdminister); err != nil &&
		!errors.Is(err, domain.ErrForbidden) {
		return err
	}
	if f.Seen, err = s.Places.All(r.Context(), who); err != nil && !errors.Is(err, domain.ErrForbidden) {
		return err
	}
	if f.All, err = s.People.Teams(r.Context(), who); err != nil && !errors.Is(err, domain.ErrForbidden) {
		return err
	}
	return nil
}

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	f := personForm{}
	if err := s.fillPerson(r, &f); err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "New person", Area: domain.AreaRun, Body: f})
}

func (s Screen) person(r *http.Request) (f personForm, err error) {
	id, err := screen.ID(r)
	if err != nil {
		return f, err
	}
	who := middleware.Who(r.Context())
	u, err := s.People.Person(r.Context(), who, id)
	if err != nil {
		return f, err
	}
	f = personForm{
		ID:    id,
		User:  u,
		Draft: people.Draft{Name: u.Name, Display: u.Display, PlaceID: u.PlaceID, Locked: u.Locked, Version: u.Version},
	}
	if err := s.fillPerson(r, &f); err != nil {
		return f, err
	}
	for _, t := range f.All {
		if slices.Contains(t.Members, id) {
			f.Teams = append(f.Teams, t.ID)
		}
	}
	if f.Asked, err = ui.IDOf(r.URL.Query().Get("place")); err != nil {
		return f, err
	}
	if f.May {
		if f.Presence, err = s.presence(r, id); err != nil {
			return f, err
		}
		if f.Factors, err = s.People.Factors(r.Context(), who, id); err != nil {
			return f, err
		}
		f.Link.ID = id
		if f.Link.Until, err = s.People.LinkUntil(r.Context(), who, id); err != nil {
			return f, err
		}
	}
	f.OfDevice = r.URL.Query().Get("device")
	f.Allowed, err = s.People.Allowed(r.Context(), who, id, f.Asked, f.OfDevice)
	var wrong domain.FieldErrors
	if errors.As(err, &wrong) {
		f.Unknown = wrong["device"]
		return f, nil
	}
	if err == nil && !r.URL.Query().Has("place") && f.nothing() {
		err = s.askElsewhere(r, &f)
	}
	return f, err
}

// nothing tells whether the person may do nothing where it was asked.
func (f personForm) nothing() bool {
	return !slices.ContainsFunc(f.Allowed, func(a people.Allowed) bool { return a.Level != "" })
}

// askElsewhere asks about the first place at which the person may do something.
func (s Screen) askElsewhere(r *http.Request, f *personForm) error {
	teams, err := s.People.TeamsOf(r.Context(), middleware.Who(r.Context()), f.ID)
	if err != nil {
		return err
	}
	for _, t := range teams {
		for _, g := range t.Grants {
			if slices.ContainsFunc(f.Seen, func(p domain.Place) bool { return p.ID == g.PlaceID }) {
				f.Asked = g.PlaceID
				f.Allowed, err = s.People.Allowed(r.Context(), middleware.Who(r.Context()), f.ID, g.PlaceID, "")
				return err
			}
		}
	}
	return nil
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	f, err := s.person(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: f.User.Called(), Area: domain.AreaRun, Body: f})
}

// allowed tells what a person may do at a place, and why.
func (s Screen) allowed(w http.ResponseWriter, r *http.Request) error {
	f, err := s.person(r)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "people", "allowed", f)
}

type typedPerson struct {
	Name     string      `form:"name"`
	Display  string      `form:"display"`
	PlaceID  domain.ID   `form:"place"`
	Teams    []domain.ID `form:"team"`
	Locked   bool        `form:"locked"`
	Version  int         `form:"version"`
	Password string      `form:"password"`
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	var in typedPerson
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	f := personForm{
		Draft: people.Draft{
			Name:    in.Name,
			Display: in.Display,
			PlaceID: in.PlaceID,
			Teams:   in.Teams,
			Locked:  in.Locked,
			Version: in.Version,
		},
	}
	var err error
	if r.URL.Path == newPersonPath {
		f.Secret = domain.Secret(in.Password)
		var made domain.User
		made, err = s.People.Add(r.Context(), who, f.Draft)
		f.User.ID = made.ID
	} else {
		if f.ID, err = screen.ID(r); err != nil {
			return err
		}
		if f.User, err = s.People.Person(r.Context(), who, f.ID); err != nil {
			return err
		}
		f.Name = f.User.Name
		err = s.People.Change(r.Context(), who, f.ID, f.Draft)
	}
	if err == nil {
		w.Header().Set("HX-Redirect", fmt.Sprintf("%s/%d", peoplePath, f.User.ID))
		return nil
	}
	if f.Problem, err = problemOf(err, &f.Errors); err != nil {
		return err
	}
	if err := s.fillPerson(r, &f); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "people", "person-form", f)
}

// problemOf parts what is wrong into what belongs to fields and what belongs to the
// whole form; other errors are returned.
func problemOf(err error, fields *domain.FieldErrors) (problem string, other error) {
	switch {
	case errors.As(err, fields):
		return "", nil
	case errors.Is(err, domain.ErrConflict), errors.Is(err, domain.ErrChanged), errors.Is(err, domain.ErrForbidden):
		_, text := render.Status(err)
		return text, nil
	}
	return "", err
}

func (s Screen) password(w http.ResponseWriter, r *http.Request) error {
	f, err := s.person(r)
	if err != nil {
		return err
	}
	err = s.People.SetPassword(r.Context(), middleware.Who(r.Context()), f.ID, domain.Secret(r.PostFormValue("password")))
	status, v := http.StatusOK, passwordView{ID: f.ID, Saved: err == nil}
	if err != nil {
		if v.Problem, err = problemOf(err, &v.Errors); err != nil {
			return err
		}
		status = http.StatusUnprocessableEntity
	}
	return s.Render.Fragment(w, status, "people", "set-password", v)
}

// passwordView is the form that sets the password of another.
type passwordView struct {
	ID      domain.ID
	Errors  domain.FieldErrors
	Problem string
	Saved   bool
}

// SetPassword is the form that sets the person's password.
func (f personForm) SetPassword() passwordView { return passwordView{ID: f.ID} }

// Field is where the password is typed.
func (v passwordView) Field() ui.FieldView {
	f := ui.TypedSecret("set-", "password", "New password", v.Errors["password"])
	f.Autocomplete = "new-password"
	return f
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.People.Remove(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, peoplePath, http.StatusSeeOther)
	return nil
}

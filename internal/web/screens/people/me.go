package people

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// meView is the own account.
type meView struct {
	User     domain.User
	Password ownPassword
	Tokens   tokensView
	Presence presenceView
	Factors  factorsView
	// Trusted is false in a browser that is not: there the account is only looked at.
	Trusted bool
}

// Show tells the template which of the pages it shows.
func (meView) Show() string { return "me" }

// ownPassword is the form that changes the own password.
type ownPassword struct {
	Errors domain.FieldErrors
	Saved  bool
}

// Present is where the present password is typed.
func (v ownPassword) Present() ui.FieldView {
	f := ui.TypedSecret("me-", "present", "Present password", v.Errors["present"])
	f.Autocomplete = "current-password"
	return f
}

// Next is where the new password is typed.
func (v ownPassword) Next() ui.FieldView {
	f := ui.TypedSecret("me-", "password", "New password", v.Errors["password"])
	f.Autocomplete = "new-password"
	return f
}

// tokensView is tokens with the form that makes one.
type tokensView struct {
	Rows   []tokenView
	Name   string
	Level  string
	Place  domain.ID
	Days   string
	Places []domain.Place
	Errors domain.FieldErrors
	// Key is shown once, when a token was made.
	Key string
}

type tokenView struct {
	domain.Token
	Place string
	Ended bool
}

// NameField is the field of the name.
func (v tokensView) NameField() ui.FieldView {
	return ui.Typed("token-", "name", "Name", v.Name, "Of the program that uses it.", v.Errors["name"])
}

// LevelField is where it is chosen what it may.
func (v tokensView) LevelField() ui.FieldView {
	return ui.Chosen("token-", "level", "May", v.Level, ui.Options(domain.AllAccess()), "", v.Errors["level"])
}

// PlaceField is where it is chosen where it may.
func (v tokensView) PlaceField() ui.FieldView {
	options := ui.PlaceOptions(v.Places, ui.Option{Value: "0", Title: "all that I may"})
	return ui.Chosen("token-", "place", "At", fmt.Sprint(v.Place), options, "", v.Errors["place"])
}

// DaysField is the field of how long it holds.
func (v tokensView) DaysField() ui.FieldView {
	f := ui.Typed("token-", "days", "Ends after, days", v.Days, "", v.Errors["ends"])
	f.Default = "never"
	return f
}

func (s Screen) tokens(r *http.Request) (v tokensView, err error) {
	who := middleware.Who(r.Context())
	all, err := s.People.Tokens(r.Context(), who)
	if err != nil {
		return v, err
	}
	names, err := s.names(r)
	if err != nil {
		return v, err
	}
	for _, t := range all {
		v.Rows = append(v.Rows, tokenView{t, names[t.Grant.PlaceID], t.Ended(time.Now())})
	}
	v.Places, err = s.Places.All(r.Context(), who)
	if errors.Is(err, domain.ErrForbidden) {
		err = nil
	}
	return v, err
}

func (s Screen) me(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	u, err := s.People.Person(r.Context(), who, who.ID)
	if err != nil {
		return err
	}
	v := meView{User: u, Trusted: !who.Untrusted}
	if v.Tokens, err = s.tokens(r); err != nil {
		return err
	}
	if v.Presence, err = s.presence(r, u.ID); err != nil {
		return err
	}
	if v.Factors, err = s.factors(r); err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "My account", Body: v})
}

func (s Screen) ownPassword(w http.ResponseWriter, r *http.Request) error {
	var v ownPassword
	present, next := domain.Secret(r.PostFormValue("present")), domain.Secret(r.PostFormValue("password"))
	err := s.People.ChangePassword(r.Context(), middleware.Who(r.Context()), present, next)
	status := http.StatusOK
	if errors.As(err, &v.Errors) {
		status = http.StatusUnprocessableEntity
	} else if err != nil {
		return err
	}
	v.Saved = err == nil
	return s.Render.Fragment(w, status, "people", "own-password", v)
}

type typedToken struct {
	Name  string    `form:"name"`
	Level string    `form:"level"`
	Place domain.ID `form:"place"`
	Days  int       `form:"days"`
}

func (s Screen) makeToken(w http.ResponseWriter, r *http.Request) error {
	var in typedToken
	wrong, err := ui.Form(r, &in)
	if err != nil {
		return err
	}
	t := domain.Token{Name: in.Name, Grant: domain.Grant{PlaceID: in.Place, Level: domain.Access(in.Level)}}
	if in.Days != 0 {
		t.EndsAt = time.Now().UTC().AddDate(0, 0, in.Days)
	}
	status := http.StatusOK
	var key domain.Secret
	if problem := wrong["days"]; problem != "" {
		err = domain.FieldErrors{"ends": problem}
	} else {
		_, key, err = s.People.MakeToken(r.Context(), middleware.Who(r.Context()), t)
	}
	var errs domain.FieldErrors
	if errors.As(err, &errs) {
		status = http.StatusUnprocessableEntity
	} else if err != nil {
		return err
	}
	v, err := s.tokens(r)
	if err != nil {
		return err
	}
	if v.Errors = errs; len(errs) > 0 {
		v.Name, v.Level, v.Place, v.Days = in.Name, in.Level, in.Place, r.PostFormValue("days")
	}
	if key != "" {
		v.Key = key.Reveal()
	}
	return s.Render.Fragment(w, status, "people", "tokens", v)
}

func (s Screen) takeToken(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.People.TakeToken(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	http.Redirect(w, r, mePath, http.StatusSeeOther)
	return nil
}

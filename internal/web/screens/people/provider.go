package people

import (
	"fmt"
	"net/http"
	"strings"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

const providerPath = "/run/accounts"

// providerForm is the provider of accounts as it was typed.
type providerForm struct {
	domain.Provider
	Teams   []domain.Team
	Back    string // the address that people come back to
	Errors  domain.FieldErrors
	Problem string
	Saved   bool
	// Tried is what came of trying it; nil before.
	Tried *why.Trace
}

// Show tells the template which of the pages it shows.
func (providerForm) Show() string { return "provider" }

// TitleField is the field of what people know it by.
func (f providerForm) TitleField() ui.FieldView {
	return ui.Typed("provider-", "title", "What people know it by", f.Title, "It stands on the button at the sign-in.", f.Errors["title"])
}

// IssuerField is the field of its address.
func (f providerForm) IssuerField() ui.FieldView {
	return ui.Typed("provider-", "issuer", "Address (issuer)", f.Issuer, "As the provider itself writes it.", f.Errors["issuer"])
}

// ClientField is the field of what the provider knows us by.
func (f providerForm) ClientField() ui.FieldView {
	return ui.Typed("provider-", "client_id", "Client id", f.ClientID, "", f.Errors["client_id"])
}

// SecretField is the field of the secret.
func (f providerForm) SecretField() ui.FieldView {
	v := ui.TypedSecret("provider-", "secret", "Client secret", f.Errors["secret"])
	v.Again, v.Stored = false, f.Stored
	return v
}

// ClaimField is the field of where groups stand.
func (f providerForm) ClaimField() ui.FieldView {
	return ui.Typed("provider-", "groups_claim", "Claim that lists groups", f.GroupsClaim, "", f.Errors["groups_claim"])
}

// GroupFields are where groups are named, one for each team.
func (f providerForm) GroupFields() (out []ui.FieldView) {
	for _, t := range f.Teams {
		name := fmt.Sprint("group-", t.ID)
		out = append(out, ui.Typed("provider-", name, t.Name, strings.Join(f.Groups[t.ID], ", "), "", f.Errors[name]))
	}
	return out
}

func (s Screen) fillProvider(r *http.Request, f *providerForm) (err error) {
	f.Back = s.URL + people.BackPath
	now, err := s.People.Provider(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	f.Stored = now.Stored
	f.Teams, err = s.People.Teams(r.Context(), middleware.Who(r.Context()))
	return err
}

func (s Screen) provider(w http.ResponseWriter, r *http.Request) (err error) {
	var f providerForm
	if f.Provider, err = s.People.Provider(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	if err := s.fillProvider(r, &f); err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "Accounts elsewhere", Area: domain.AreaRun, Tab: providerPath, Body: f})
}

type typedProvider struct {
	Title       string `form:"title"`
	Issuer      string `form:"issuer"`
	ClientID    string `form:"client_id"`
	GroupsClaim string `form:"groups_claim"`
	Secret      string `form:"secret"`
	Enabled     bool   `form:"enabled"`
	Version     int    `form:"version"`
}

func (s Screen) saveProvider(w http.ResponseWriter, r *http.Request) error {
	var in typedProvider
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	f := providerForm{Provider: domain.Provider{
		Title:       in.Title,
		Issuer:      in.Issuer,
		ClientID:    in.ClientID,
		GroupsClaim: in.GroupsClaim,
		Groups:      map[domain.ID][]string{},
		Enabled:     in.Enabled,
		Version:     in.Version,
	}}
	if err := s.fillProvider(r, &f); err != nil {
		return err
	}
	for _, t := range f.Teams {
		if groups := split(r.PostFormValue(fmt.Sprint("group-", t.ID))); len(groups) > 0 {
			f.Groups[t.ID] = groups
		}
	}
	err := s.People.SaveProvider(r.Context(), who, f.Provider, domain.Secret(in.Secret))
	status := http.StatusOK
	if err != nil {
		if f.Problem, err = problemOf(err, &f.Errors); err != nil {
			return err
		}
		status = http.StatusUnprocessableEntity
	} else if f.Provider, err = s.People.Provider(r.Context(), who); err != nil {
		return err
	} else {
		f.Saved = true
	}
	return s.Render.Fragment(w, status, "people", "provider-form", f)
}

// split parts what is typed with commas between.
func split(text string) (out []string) {
	for _, part := range strings.Split(text, ",") {
		if part = strings.TrimSpace(part); part != "" {
			out = append(out, part)
		}
	}
	return out
}

func (s Screen) tryProvider(w http.ResponseWriter, r *http.Request) error {
	trace, err := s.People.TryProvider(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "people", "provider-tried", providerForm{Tried: &trace})
}

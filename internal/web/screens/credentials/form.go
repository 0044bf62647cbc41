package credentials

import (
	"errors"
	"fmt"
	"net/http"
	"slices"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// formView is a credential as it was typed.
type formView struct {
	credentials.Credential
	Kinds  []way.Credential // that can be made
	Values map[string]string
	Places []domain.Place
	Whole  bool
	Errors domain.FieldErrors
	Notice string
	May    bool
}

// Show tells the template which of the pages it shows.
func (formView) Show() string { return "form" }

// URL is where the form is sent.
func (v formView) URL() string {
	if v.ID == 0 {
		return newPath
	}
	return fmt.Sprintf("%s/%d", listPath, v.ID)
}

// Crumbs is the way to the page.
func (v formView) Crumbs() []ui.Crumb {
	title := "New credential"
	if v.ID != 0 {
		title = v.Name
	}
	return []ui.Crumb{{Title: "Credentials", URL: listPath}, {Title: title}}
}

// NameField is the field of the name.
func (v formView) NameField() ui.FieldView {
	return ui.Typed("credential-", "name", "Name", v.Name, "", v.Errors["name"])
}

// PlaceField is where it is chosen who may use it.
func (v formView) PlaceField() ui.FieldView {
	const help = "Whoever configures collecting there may use it, without seeing it."
	places := ui.PlacesOrAll(v.Places, v.Whole)
	return ui.Chosen("credential-", "place", "Belongs to", fmt.Sprint(v.PlaceID), places, help, v.Errors["place"])
}

// RangesField is the field of the addresses that it is bound to.
func (v formView) RangesField() ui.FieldView {
	const help = "Networks, ranges and addresses; it is sent nowhere else. To be sent to more, its secrets must be typed again."
	f := ui.TypedLines("credential-", "ranges", "Bound to the addresses", v.Ranges, 3, help, v.Errors["ranges"])
	f.Mono = true
	return f
}

// Fields are those of its kind.
func (v formView) Fields() []ui.FieldView {
	out := ui.Fields("credential-", v.About.Fields, v.Values, v.Errors)
	for i, f := range out {
		out[i].Stored = f.Kind == field.Secret && slices.Contains(v.Secrets, f.Name)
		if out[i].Stored {
			out[i].Since = ago(v.Credential)
		}
	}
	return out
}

// UsedBy says by what it is used; empty for nothing.
func (v formView) UsedBy() string { return credentials.UsedBy(v.Used) }

// fill adds what there is to choose from.
func (s Screen) fill(r *http.Request, v *formView) (err error) {
	who := middleware.Who(r.Context())
	v.Kinds = s.Credentials.Kinds()
	v.Whole = who.May(area, domain.AccessConfigure, domain.At(0))
	v.May = v.ID == 0 || who.May(area, domain.AccessConfigure, domain.At(v.PlaceID))
	v.Places, err = s.Places.Where(r.Context(), who, area, domain.AccessConfigure)
	if errors.Is(err, domain.ErrForbidden) {
		v.Places, err = s.Places.All(r.Context(), who)
	}
	return err
}

// blank is the form of a new one, of the kind that is asked for.
func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	v := formView{Values: map[string]string{}}
	if err := s.fill(r, &v); err != nil {
		return err
	}
	v.About = v.Kinds[0]
	for _, k := range v.Kinds {
		if k.Name == r.URL.Query().Get("kind") {
			v.About = k
		}
	}
	return s.Render.Page(w, r, "credentials", render.Frame{Title: "New credential", Area: area, Tab: listPath, Body: v})
}

// one is a credential with its form.
func (s Screen) one(r *http.Request) (v formView, err error) {
	id, err := screen.ID(r)
	if err != nil {
		return v, err
	}
	c, err := s.Credentials.One(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return v, err
	}
	v = formView{Credential: c, Values: c.Settings}
	return v, s.fill(r, &v)
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.one(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "credentials", render.Frame{Title: v.Name, Area: area, Tab: listPath, Body: v})
}

type typed struct {
	Name    string    `form:"name"`
	Kind    string    `form:"kind"`
	PlaceID domain.ID `form:"place"`
	Ranges  string    `form:"ranges"`
	Version int       `form:"version"`
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	v := formView{}
	if r.URL.Path != newPath {
		var err error
		if v, err = s.one(r); err != nil {
			return err
		}
		in.Kind = v.Kind
	}
	d := credentials.Draft{
		Name:    in.Name,
		Kind:    in.Kind,
		PlaceID: in.PlaceID,
		Ranges:  in.Ranges,
		Version: in.Version,
		Values:  map[string]string{},
	}
	v.About = s.Credentials.About(in.Kind)
	for _, f := range v.About.Fields {
		d.Values[f.Name] = r.PostForm.Get(f.Name)
	}
	id, err := s.keep(r, v.ID, d)
	if err == nil {
		w.Header().Set("HX-Redirect", fmt.Sprintf("%s/%d", listPath, id))
		return nil
	}
	if errors.Is(err, domain.ErrChanged) {
		err, v.Notice = domain.FieldErrors{}, ui.ChangedMeanwhile
	} else if !errors.As(err, &v.Errors) {
		return err
	}
	v.Name, v.Ranges, v.PlaceID, v.Values = in.Name, in.Ranges, in.PlaceID, d.Values
	if err := s.fill(r, &v); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "credentials", "credential-form", v)
}

// keep makes a credential, or changes the one of an id.
func (s Screen) keep(r *http.Request, id domain.ID, d credentials.Draft) (domain.ID, error) {
	if id == 0 {
		made, err := s.Credentials.Make(r.Context(), middleware.Who(r.Context()), d)
		return made.ID, err
	}
	_, err := s.Credentials.Change(r.Context(), middleware.Who(r.Context()), id, d)
	return id, err
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Credentials.Remove(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}

package device

import (
	"errors"
	"fmt"
	"net/http"
	"slices"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// whereForm is what a device is called and where it is, as it was typed.
type whereForm struct {
	DeviceID domain.ID
	devices.Draft
	// Inherited is what its place says that it is reached through.
	Inherited string
	Places    []domain.Place
	Errors    domain.FieldErrors
	Problem   string
	Saved     bool
	May       domain.Access
}

// URL is where the form is sent.
func (f whereForm) URL() string { return fmt.Sprintf("/devices/%d/where", f.DeviceID) }

// Field is one of the fields that are typed.
func (f whereForm) Field(name, label, value, help string) ui.FieldView {
	return ui.Typed("where-", name, label, value, help, f.Errors[name])
}

// PlaceField is where its place is chosen.
func (f whereForm) PlaceField() ui.FieldView {
	return ui.Chosen("where-", "place", "Place", fmt.Sprint(f.PlaceID), ui.PlaceOptions(f.Places), "", f.Errors["place"])
}

// ViaHelp says what holds where nothing is typed.
func (f whereForm) ViaHelp() string {
	if f.Inherited == "" {
		return "The name of a device; empty for what its place says, which is nothing."
	}
	return "The name of a device; empty for what its place says, which is " + f.Inherited + "."
}

// Secret is the field for the secret of the credential, typed again.
func (f whereForm) Secret() ui.FieldView {
	return ui.TypedSecret("where-", "secret", "Secret of its credential, again", f.Errors["secret"])
}

func (s Screen) whereForm(r *http.Request) (f whereForm, err error) {
	id, err := screen.ID(r)
	if err != nil {
		return f, err
	}
	who := middleware.Who(r.Context())
	f = whereForm{DeviceID: id}
	if f.Draft, f.Inherited, err = s.Devices.Draft(r.Context(), who, id); err != nil {
		return f, err
	}
	f.May = who.Level(domain.AreaCollect, domain.Spot{Place: f.PlaceID, Device: id})
	if f.May.Allows(domain.AccessConfigure) {
		f.Places, err = s.Places.Where(r.Context(), who, domain.AreaCollect, domain.AccessConfigure)
	}
	stands := func(p domain.Place) bool { return p.ID == f.PlaceID }
	if err != nil || slices.ContainsFunc(f.Places, stands) {
		return f, err
	}
	// Where it stands is told to everybody, and may be left as it is.
	all, err := s.Places.All(r.Context(), who)
	if i := slices.IndexFunc(all, stands); i >= 0 {
		f.Places = append(f.Places, all[i])
	}
	return f, err
}

// where is the form as it is: the page asks for it when it comes into sight.
func (s Screen) where(w http.ResponseWriter, r *http.Request) error {
	f, err := s.whereForm(r)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "where", f)
}

type typedWhere struct {
	Name     string    `form:"name"`
	Friendly string    `form:"friendly"`
	Version  int       `form:"version"`
	Address  string    `form:"address"`
	PlaceID  domain.ID `form:"place"`
	Via      string    `form:"via"`
	Secret   string    `form:"secret"`
}

func (s Screen) saveWhere(w http.ResponseWriter, r *http.Request) error {
	f, err := s.whereForm(r)
	if err != nil {
		return err
	}
	var in typedWhere
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	f.Draft = devices.Draft{
		Name:     in.Name,
		Friendly: in.Friendly,
		Address:  in.Address,
		PlaceID:  in.PlaceID,
		Via:      in.Via,
		Version:  in.Version,
	}
	if in.Secret != "" {
		f.Secrets = domain.Secrets{"": domain.Secret(in.Secret)}
	}
	_, err = s.Devices.Change(r.Context(), middleware.Who(r.Context()), f.DeviceID, f.Draft)
	if errors.Is(err, domain.ErrChanged) {
		f.Problem = ui.ChangedMeanwhile
		if now, _, err := s.Devices.Draft(r.Context(), middleware.Who(r.Context()), f.DeviceID); err == nil {
			f.Version = now.Version
		}
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "where", f)
	}
	if errors.As(err, &f.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "where", f)
	}
	if err != nil {
		return err
	}
	if f.Draft, f.Inherited, err = s.Devices.Draft(r.Context(), middleware.Who(r.Context()), f.DeviceID); err != nil {
		return err
	}
	f.Saved = true
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "where", f)
}

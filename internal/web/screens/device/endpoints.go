package device

import (
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// endpointForm is how a device is talked to by a way, as it was typed.
type endpointForm struct {
	collect.Endpoint
	Address string
	Errors  domain.FieldErrors
	Saved   bool
	Trial   *trialView
	May     domain.Access
}

// trialView is what came of trying.
type trialView struct {
	collect.Trial
	Problem string
}

// Lines are the messages of the trial.
func (t trialView) Lines() []way.Line { return t.Exchange }

// URL is where the form is sent.
func (f endpointForm) URL() string {
	return fmt.Sprintf("/devices/%d/endpoints/%s", f.DeviceID, f.Way.Name)
}

// ID is the form's id on the page.
func (f endpointForm) ID() string { return "endpoint-" + f.Way.Name }

// Fields are the settings of the way as form fields.
func (f endpointForm) Fields() []ui.FieldView {
	return ui.Fields(f.ID()+"-", f.Way.Endpoint, f.Settings, f.Errors)
}

// CredentialField is where the credential is chosen.
func (f endpointForm) CredentialField() ui.FieldView {
	none := ui.Option{Value: "0", Title: "none"}
	if f.Inherited != "" {
		none.Title = "as its place says: " + f.Inherited + ", from " + f.From
	}
	options := append([]ui.Option{none}, ui.CredentialOptions(f.Credentials)...)
	return ui.Chosen(f.ID()+"-", "credential", "Credential", fmt.Sprint(f.CredentialID), options, "", f.Errors["credential"])
}

// AddressField is where it is asked, when that is not the device's own address.
func (f endpointForm) AddressField() ui.FieldView {
	out := ui.Typed(f.ID()+"-", "address", "Address", f.Address, "", f.Errors["address"])
	out.Default = "the device's own"
	return out
}

// Secret is the field for the secret of the credential, typed again.
func (f endpointForm) Secret() ui.FieldView {
	return ui.TypedSecret(f.ID()+"-", "secret", "Secret of the credential, again", f.Errors["secret"])
}

func (s Screen) endpointForms(r *http.Request, id domain.ID, may domain.Access) (out []endpointForm, err error) {
	all, err := s.Kits.Endpoints(r.Context(), middleware.Who(r.Context()), id)
	for _, e := range all {
		f := endpointForm{Endpoint: e, May: may}
		if e.Address.IsValid() {
			f.Address = e.Address.String()
		}
		out = append(out, f)
	}
	return out, err
}

type typedEndpoint struct {
	Address      string    `form:"address"`
	CredentialID domain.ID `form:"credential"`
	Secret       string    `form:"secret"`
}

// readEndpoint takes the form as it was typed.
func (s Screen) readEndpoint(r *http.Request) (f endpointForm, draft collect.EndpointDraft, err error) {
	id, err := screen.ID(r)
	if err != nil {
		return f, draft, err
	}
	forms, err := s.endpointForms(r, id, domain.AccessConfigure)
	if err != nil {
		return f, draft, err
	}
	name := chi.URLParam(r, "way")
	for _, x := range forms {
		if x.Way.Name != name {
			continue
		}
		var in typedEndpoint
		if _, err := ui.Form(r, &in); err != nil {
			return f, draft, err
		}
		x.Address, x.CredentialID = in.Address, in.CredentialID
		x.Settings = map[string]string{}
		for _, setting := range x.Way.Endpoint {
			x.Settings[setting.Name] = strings.TrimSpace(r.PostFormValue(setting.Name))
		}
		draft = collect.EndpointDraft{Address: x.Address, CredentialID: x.CredentialID, Settings: x.Settings}
		if in.Secret != "" {
			draft.Secrets = domain.Secrets{"": domain.Secret(in.Secret)}
		}
		return x, draft, nil
	}
	return f, draft, domain.ErrNotFound
}

func (s Screen) saveEndpoint(w http.ResponseWriter, r *http.Request) error {
	f, draft, err := s.readEndpoint(r)
	if err != nil {
		return err
	}
	err = s.Kits.SetEndpoint(r.Context(), middleware.Who(r.Context()), f.DeviceID, f.Way.Name, draft)
	if errors.As(err, &f.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "endpoint", f)
	}
	if err != nil {
		return err
	}
	f.Saved, f.Set = true, true
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "endpoint", f)
}

// tryEndpoint asks the device once with what is typed, saved or not.
func (s Screen) tryEndpoint(w http.ResponseWriter, r *http.Request) error {
	f, draft, err := s.readEndpoint(r)
	if err != nil {
		return err
	}
	trial, err := s.Kits.Try(r.Context(), middleware.Who(r.Context()), f.DeviceID, f.Way.Name, draft)
	if errors.As(err, &f.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "endpoint", f)
	}
	if errors.Is(err, domain.ErrForbidden) || errors.Is(err, domain.ErrNotFound) {
		return err
	}
	f.Trial = &trialView{Trial: trial}
	if err != nil {
		_, f.Trial.Problem = render.Status(err)
	}
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "endpoint", f)
}

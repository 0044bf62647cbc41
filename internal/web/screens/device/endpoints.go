package device

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/go-chi/chi/v5"

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
	Problem string
	Saved   bool
	Trial   *ui.Trial
	May     domain.Access
}

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
	if f.CredentialID != 0 && !slices.ContainsFunc(f.Credentials, func(c domain.Credential) bool { return c.ID == f.CredentialID }) {
		options = append(options, ui.Option{Value: fmt.Sprint(f.CredentialID), Title: "one that you do not see"})
	}
	return ui.Chosen(f.ID()+"-", "credential", "Credential", fmt.Sprint(f.CredentialID), options, "", f.Errors["credential"])
}

// AddressField is where it is asked, when that is not the device's own address.
func (f endpointForm) AddressField() ui.FieldView {
	out := ui.Typed(f.ID()+"-", "address", "Address", f.Address, "", f.Errors["address"])
	out.Default = "the device's own"
	return out
}

// words say what is set.
func (f endpointForm) words() string {
	out := []string{"address " + cmp.Or(f.Address, "the device's own")}
	for _, o := range f.CredentialField().Options {
		if o.Value == fmt.Sprint(f.CredentialID) && len(f.Way.Credentials) > 0 {
			out = append(out, "credential "+o.Title)
		}
	}
	for _, x := range f.Way.Endpoint {
		if value := f.Settings[x.Name]; value != "" {
			out = append(out, x.Label+" "+value)
		}
	}
	return strings.Join(out, ", ")
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
	Mark         string    `form:"mark"`
}

// endpointForm is how a device is talked to by one way.
func (s Screen) endpointForm(r *http.Request, id domain.ID, way string) (endpointForm, error) {
	forms, err := s.endpointForms(r, id, domain.AccessConfigure)
	if err != nil {
		return endpointForm{}, err
	}
	for _, f := range forms {
		if f.Way.Name == way {
			return f, nil
		}
	}
	return endpointForm{}, domain.ErrNotFound
}

// readEndpoint takes the form as it was typed.
func (s Screen) readEndpoint(r *http.Request) (f endpointForm, draft collect.EndpointDraft, err error) {
	id, err := screen.ID(r)
	if err != nil {
		return f, draft, err
	}
	if f, err = s.endpointForm(r, id, chi.URLParam(r, "way")); err != nil {
		return f, draft, err
	}
	var in typedEndpoint
	if _, err := ui.Form(r, &in); err != nil {
		return f, draft, err
	}
	f.Address, f.CredentialID, f.Mark = in.Address, in.CredentialID, in.Mark
	f.Settings = map[string]string{}
	for _, setting := range f.Way.Endpoint {
		f.Settings[setting.Name] = strings.TrimSpace(r.PostFormValue(setting.Name))
	}
	draft = collect.EndpointDraft{Address: f.Address, CredentialID: f.CredentialID, Settings: f.Settings, Mark: f.Mark}
	if in.Secret != "" {
		draft.Secrets = domain.Secrets{"": domain.Secret(in.Secret)}
	}
	return f, draft, nil
}

func (s Screen) saveEndpoint(w http.ResponseWriter, r *http.Request) error {
	f, draft, err := s.readEndpoint(r)
	if err != nil {
		return err
	}
	err = s.Kits.SetEndpoint(r.Context(), middleware.Who(r.Context()), f.DeviceID, f.Way.Name, draft)
	changed := errors.Is(err, domain.ErrChanged)
	if errors.As(err, &f.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "endpoint", f)
	}
	if err != nil && !changed {
		return err
	}
	now, err := s.endpointForm(r, f.DeviceID, f.Way.Name)
	if err != nil {
		return err
	}
	f.Mark, f.Set, f.Saved = now.Mark, now.Set, !changed
	if changed {
		f.Problem = ui.ChangedMeanwhile + " Now it is: " + now.words() + "."
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "endpoint", f)
	}
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
	told := ui.Tried(trial.Kit, trial.Source, trial.Fetched, trial.Exchange).Judged(trial.Verdict, trial.Says, trial.Passes)
	f.Trial = &told
	if err != nil {
		_, f.Trial.Problem = render.Status(err)
	}
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "endpoint", f)
}

package device

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// setupView is all that is set at a device.
type setupView struct {
	ID        domain.ID
	Name      string
	Endpoints []endpointForm
	Kits      []kitForm
	May       domain.Access
}

// Crumbs is the way to the page.
func (v setupView) Crumbs() []ui.Crumb {
	return []ui.Crumb{
		{Title: "Watch", URL: "/"},
		{Title: v.Name, URL: fmt.Sprintf("/devices/%d", v.ID)},
		{Title: "Set-up"},
	}
}

// Set are the kits that have something to set, Plain the titles of the others.
func (v setupView) Set() (out []kitForm) {
	for _, f := range v.Kits {
		if len(f.Kit.Asked()) > 0 {
			out = append(out, f)
		}
	}
	return out
}

// Plain are the titles of the kits that have nothing to set.
func (v setupView) Plain() (out []string) {
	for _, f := range v.Kits {
		if len(f.Kit.Asked()) == 0 {
			out = append(out, fmt.Sprintf("%s (version %d)", f.Kit.Title, f.Kit.Version))
		}
	}
	return out
}

func (s Screen) setup(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	d, _, err := s.Devices.Draft(r.Context(), who, id)
	if err != nil {
		return err
	}
	v := setupView{ID: id, Name: d.Name, May: who.Level(domain.AreaCollect, domain.Spot{Place: d.PlaceID, Device: id})}
	if v.Endpoints, err = s.endpointForms(r, id, v.May); err != nil {
		return err
	}
	fitted, err := s.Kits.FittedTo(r.Context(), who, id)
	if err != nil {
		return err
	}
	for _, x := range fitted {
		f := kitForm{DeviceID: id, Kit: x.Kit, Values: x.Parameters, Mark: x.Mark, May: v.May}
		if f.Asked, err = s.Kits.Fillable(r.Context(), who, x.Kit.Asked(), x.Parameters); err != nil {
			return err
		}
		v.Kits = append(v.Kits, f)
	}
	return s.Render.Page(w, r, "device-setup", render.Frame{Title: "Set-up of " + d.Name, Area: domain.AreaWatch, Body: v})
}

// kitForm is a fitted kit with its parameters as they were typed.
type kitForm struct {
	DeviceID domain.ID
	Kit      *kit.Kit
	Asked    []field.Field // its parameters, as they are filled in
	Values   map[string]string
	Mark     string
	Errors   domain.FieldErrors
	Problem  string
	Saved    bool
	May      domain.Access
}

// Fields are the parameters of the kit as form fields.
func (f kitForm) Fields() []ui.FieldView {
	return ui.Fields(f.Kit.Name+"-", f.Asked, f.Values, f.Errors)
}

func (s Screen) parameters(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	k, err := s.Kits.Kit(chi.URLParam(r, "kit"))
	if err != nil {
		return err
	}
	f := kitForm{DeviceID: id, Kit: k, Values: map[string]string{}, May: domain.AccessConfigure}
	for _, p := range k.Asked() {
		f.Values[p.Name] = strings.TrimSpace(r.PostFormValue(p.Name))
	}
	if f.Asked, err = s.Kits.Fillable(r.Context(), middleware.Who(r.Context()), k.Asked(), f.Values); err != nil {
		return err
	}
	err = s.Kits.SetParameters(r.Context(), middleware.Who(r.Context()), id, k.Name, f.Values, r.PostFormValue("mark"))
	changed := errors.Is(err, domain.ErrChanged)
	if errors.As(err, &f.Errors) {
		f.Mark = r.PostFormValue("mark")
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "kit", f)
	}
	if err != nil && !changed {
		return err
	}
	now, err := s.fitted(r, id, k.Name)
	if err != nil {
		return err
	}
	f.Mark, f.Saved = now.Mark, !changed
	if changed {
		f.Problem = ui.ChangedMeanwhile + " Now it is: " + parametersInWords(now) + "."
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "device-setup", "kit", f)
	}
	return s.Render.Fragment(w, http.StatusOK, "device-setup", "kit", f)
}

// fitted is a kit as it is on a device at present.
func (s Screen) fitted(r *http.Request, device domain.ID, kit string) (collect.FittedKit, error) {
	all, err := s.Kits.FittedTo(r.Context(), middleware.Who(r.Context()), device)
	if err != nil {
		return collect.FittedKit{}, err
	}
	for _, x := range all {
		if x.Kit.Name == kit {
			return x, nil
		}
	}
	return collect.FittedKit{}, domain.ErrNotFound
}

func parametersInWords(x collect.FittedKit) string {
	var out []string
	for _, p := range x.Kit.Asked() {
		out = append(out, p.Label+" "+cmp.Or(domain.Told(x.Parameters[p.Name]), p.Default))
	}
	return strings.Join(out, ", ")
}

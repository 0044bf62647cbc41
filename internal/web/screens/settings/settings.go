// Package settings is the card of what is set on the tree, for places and devices.
package settings

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/web/gather"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the card.
type Screen struct {
	Render   *render.Renderer
	Settings *settings.Service
	// Changes gathers settings with other changes.
	Changes *changes.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const run, collect, configure = domain.AreaRun, domain.AreaCollect, domain.AccessConfigure
	place := kind{inherit.Place, "/run/places/%d/settings"}
	device := kind{inherit.Device, "/devices/%d/settings"}
	part := kind{inherit.Part, "/parts/%d/settings"}
	return screen.Screen{
		Templates: map[string]fs.FS{"settings": files},
		Routes: []screen.Route{
			screen.Get("/run/places/{id}/settings", run, s.card(place)),
			screen.Post("/run/places/{id}/settings", run, configure, s.set(place)),
			{
				Method: http.MethodGet,
				Path:   "/run/places/{id}/settings/rehearsal",
				Area:   run,
				Needs:  configure,
				Handle: s.rehearse(place),
			},
			screen.Get("/devices/{id}/settings", collect, s.card(device)),
			screen.Post("/devices/{id}/settings", collect, configure, s.set(device)),
			{
				Method: http.MethodGet,
				Path:   "/devices/{id}/settings/rehearsal",
				Area:   collect,
				Needs:  configure,
				Handle: s.rehearse(device),
			},
			screen.Get("/parts/{id}/settings", collect, s.card(part)),
			screen.Post("/parts/{id}/settings", collect, configure, s.set(part)),
			{
				Method: http.MethodGet,
				Path:   "/parts/{id}/settings/rehearsal",
				Area:   collect,
				Needs:  configure,
				Handle: s.rehearse(part),
			},
		},
	}
}

// kind is what settings are of: places or devices.
type kind struct {
	thing func(domain.ID) inherit.Thing
	path  string
}

// cardView is what is set at a thing or above it.
type cardView struct {
	Title string
	Rows  []rowView
}

// rowView is one of them, with the form that changes it.
type rowView struct {
	settings.Setting
	URL    string
	Typed  string
	Errors domain.FieldErrors
	N      int
	// MayGather is true for who sees changes that are made together.
	MayGather bool
}

// Origin says in words where the value comes from.
func (v rowView) Origin() string {
	switch {
	case !v.Set:
		return "set nowhere"
	case v.Here:
		return "set here"
	}
	return "from " + v.Resolved.Name
}

// Action is what the form is for.
func (v rowView) Action() string {
	switch {
	case v.Here:
		return "change"
	case v.Set:
		return "override here"
	}
	return "set here"
}

// Back says what holds again when the value here is taken away.
func (v rowView) Back() string {
	if v.Else == "" {
		return "Take away"
	}
	return "Back to “" + v.Else + "”"
}

// Field is where the value is typed or chosen.
func (v rowView) Field() ui.FieldView {
	if v.Choices == nil {
		return ui.Typed(v.prefix(), "value", v.Title, v.Typed, v.Help, v.Errors["value"])
	}
	options := []ui.Option{{Title: "none is set here"}}
	for _, c := range v.Choices {
		options = append(options, ui.Option{Value: c.Value, Title: c.Label})
	}
	return ui.Chosen(v.prefix(), "value", v.Title, v.Typed, options, v.Help, v.Errors["value"])
}

// Secret is the field for the secret of a credential, typed again.
func (v rowView) Secret() ui.FieldView {
	return ui.TypedSecret(v.prefix(), "secret", "Secret of the credential, again", v.Errors["secret"])
}

func (v rowView) prefix() string { return fmt.Sprintf("setting-%d-", v.N) }

func (s Screen) card(k kind) render.Handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		return s.show(w, r, k, http.StatusOK, settings.Typed{At: k.thing(id)}, nil)
	}
}

// show shows what holds; what was typed last and is wrong stands in its field.
func (s Screen) show(w http.ResponseWriter, r *http.Request, k kind, status int, typed settings.Typed, wrong domain.FieldErrors) error {
	who := middleware.Who(r.Context())
	all, err := s.Settings.Of(r.Context(), who, typed.At)
	if err != nil {
		return err
	}
	v := cardView{Title: "Settings"}
	if typed.At.Place != 0 {
		v.Title = "Settings that hold for all below"
	}
	for n, x := range all {
		row := rowView{N: n, Setting: x, URL: fmt.Sprintf(k.path, max(typed.At.Place, typed.At.Device, typed.At.Part)), Typed: x.Shown,
			MayGather: gather.May(r)}
		if x.Choices != nil {
			row.Typed = x.Value
		}
		if x.Key == typed.Key && wrong != nil {
			row.Typed, row.Errors = typed.Value, wrong
		}
		v.Rows = append(v.Rows, row)
	}
	return s.Render.Fragment(w, status, "settings", "settings", v)
}

// typed is a setting as the form sends it.
func typed(r *http.Request, k kind) (t settings.Typed, err error) {
	id, err := screen.ID(r)
	t = settings.Typed{
		At:    k.thing(id),
		Key:   domain.SettingKey(r.FormValue("key")),
		Value: r.FormValue("value"),
		Mark:  r.FormValue("mark"),
	}
	if r.FormValue("unset") != "" {
		t.Value = ""
	}
	if secret := r.FormValue("secret"); secret != "" {
		t.Secrets = domain.Secrets{"": domain.Secret(secret)}
	}
	return t, err
}

func (s Screen) set(k kind) render.Handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		t, err := typed(r, k)
		if err != nil {
			return err
		}
		if gather.Asked(r) {
			err = gather.Put(w, r, s.Changes, domain.Edit{Setting: editOf(t)})
		} else {
			err = s.Settings.Set(r.Context(), middleware.Who(r.Context()), t)
		}
		var wrong domain.FieldErrors
		if errors.Is(err, domain.ErrChanged) {
			err = domain.FieldErrors{"value": ui.ChangedMeanwhile}
		}
		if errors.As(err, &wrong) {
			return s.show(w, r, k, http.StatusUnprocessableEntity, t, wrong)
		}
		if err != nil || gather.Asked(r) {
			return err
		}
		return s.show(w, r, k, http.StatusOK, settings.Typed{At: t.At}, nil)
	}
}

// editOf is a setting as it is gathered. Secrets are not: a setting that asks for one is set by itself.
func editOf(t settings.Typed) *domain.SettingEdit {
	return &domain.SettingEdit{PlaceID: t.At.Place, DeviceID: t.At.Device, PartID: t.At.Part, Key: t.Key, Value: t.Value, Mark: t.Mark}
}

// rehearsalView is what would change.
type rehearsalView struct {
	why.Trace
	Problem string
}

// rehearse tells what would change while somebody types.
func (s Screen) rehearse(k kind) render.Handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		t, err := typed(r, k)
		if err != nil {
			return err
		}
		var v rehearsalView
		v.Trace, err = s.Settings.Rehearse(r.Context(), middleware.Who(r.Context()), t)
		var wrong domain.FieldErrors
		if errors.As(err, &wrong) {
			v.Problem = wrong["value"]
		} else if err != nil {
			return err
		}
		return s.Render.Fragment(w, http.StatusOK, "settings", "rehearsal", v)
	}
}

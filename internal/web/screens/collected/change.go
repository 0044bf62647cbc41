package collected

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// saying is what somebody says of a kit on the device of the path.
func (s Screen) saying(r *http.Request) (x fitting.Saying, err error) {
	id, err := screen.ID(r)
	x = fitting.Saying{Devices: []domain.ID{id}, Kit: r.PostFormValue("kit"), Word: fitting.Word(r.PostFormValue("word"))}
	if k, unknown := s.Fitting.Kits.Kit(x.Kit); unknown == nil && x.Word == fitting.Fit {
		x.Parameters = fitting.Filled(k, r.PostFormValue)
	}
	return x, err
}

func (s Screen) say(w http.ResponseWriter, r *http.Request) error {
	x, err := s.saying(r)
	if err != nil {
		return err
	}
	err = s.Fitting.Say(r.Context(), middleware.Who(r.Context()), x)
	errs := domain.FieldErrors{}
	if render.IsFragment(r) && errors.As(err, &errs) {
		return s.showAsked(w, r, http.StatusUnprocessableEntity, x, errs)
	}
	if err != nil {
		return err
	}
	page := fmt.Sprintf("/devices/%d/collected", x.Devices[0])
	if render.IsFragment(r) {
		w.Header().Set("HX-Redirect", page)
		return nil
	}
	http.Redirect(w, r, page, http.StatusSeeOther)
	return nil
}

// asked shows what is filled in to fit a kit.
func (s Screen) asked(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	return s.showAsked(w, r, http.StatusOK, fitting.Saying{Kit: r.FormValue("kit"), Devices: []domain.ID{id}}, nil)
}

func (s Screen) showAsked(w http.ResponseWriter, r *http.Request, status int, x fitting.Saying, errs domain.FieldErrors) error {
	d, _, err := s.Devices.Draft(r.Context(), middleware.Who(r.Context()), x.Devices[0])
	if err != nil {
		return err
	}
	v := askedView{Problem: cmp.Or(errs["kit"], errs["devices"])}
	if k, err := s.Fitting.Kits.Kit(x.Kit); err == nil {
		fields, err := s.Fitting.Kits.Fillable(r.Context(), middleware.Who(r.Context()), k.Asked(), x.Parameters)
		if err != nil {
			return err
		}
		v.Fields = ui.Fields("asked-", fields, x.Parameters, errs)
		v.SignsIn = signsIn(k, x.Devices[0], d.Address)
	}
	return s.Render.Fragment(w, status, "collected", "asked", v)
}

// askedView are the parameters of a kit that is to be fitted.
type askedView struct {
	Fields []ui.FieldView
	// SignsIn is where a credential is typed, or chosen, for a kit that asks nothing without one; empty for others.
	SignsIn string
	Problem string
}

// signsIn is where a kit gets the credential without which it asks nothing.
func signsIn(k *kit.Kit, device domain.ID, address string) string {
	w, ok := k.Way()
	switch {
	case !ok || !w.NeedsCredential:
		return ""
	case k.ByHand == nil:
		return fmt.Sprintf("/devices/%d/setup", device)
	}
	return "/find/add?" + url.Values{"kit": {k.Name}, "address": {address}}.Encode()
}

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	x, err := s.saying(r)
	if err != nil {
		return err
	}
	if x.Kit == "" {
		if _, _, err := s.Devices.Draft(r.Context(), middleware.Who(r.Context()), x.Devices[0]); err != nil {
			return err
		}
		return s.Render.Fragment(w, http.StatusOK, "collected", "change-rehearsal", ui.Rehearsed{})
	}
	would, err := s.Fitting.Rehearse(r.Context(), middleware.Who(r.Context()), x)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	v := ui.NewRehearsed(would.Why, errs, "")
	if _, wrong := errs["kit"]; len(errs) > 0 && !wrong {
		v = ui.Rehearsed{Hint: "When all that must be set is filled in, what it would do is told here."}
	}
	if len(would.Effects) > 0 {
		v.Cost = fmt.Sprintf("About %s; %+.1f requests a minute.", text.Count(int64(would.Gained.Series), "series", "series"),
			would.Gained.RequestsPerMinute-would.Lost.RequestsPerMinute)
	}
	return s.Render.Fragment(w, http.StatusOK, "collected", "change-rehearsal", v)
}

// formView changes one setting of a kit, at the device or at a place above it.
type formView struct {
	settings.Setting
	Page   string
	At     string
	Where  []ui.Option
	Typed  string
	Errors domain.FieldErrors
}

// WhereField is where it is set.
func (v formView) WhereField() ui.FieldView {
	return ui.Chosen(v.prefix(), "at", "Where it holds", v.At, v.Where, "", "")
}

// ValueField is what is set.
func (v formView) ValueField() ui.FieldView {
	if v.Choices == nil {
		return ui.Typed(v.prefix(), "value", "It is", v.Typed, v.Help, v.Errors["value"])
	}
	options := []ui.Option{{Title: "as it comes from above"}}
	for _, c := range v.Choices {
		options = append(options, ui.Option{Value: c.Value, Title: c.Label})
	}
	return ui.Chosen(v.prefix(), "value", "It is", v.Typed, options, v.Help, v.Errors["value"])
}

// FormID is the id of the form.
func (v formView) FormID() string { return v.prefix() + "form" }

func (v formView) prefix() string { return "set-" + strings.ReplaceAll(string(v.Key), ":", "-") + "-" }

// Rehearsing is where it is told what it would do.
func (v formView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: v.prefix() + "rehearsal", URL: v.Page + "/setting/rehearsal", Form: v.FormID(), On: "input delay:200ms"}
}

// typed is the setting of the form, at the device of the path or at a place.
func typed(r *http.Request) (t settings.Typed, err error) {
	id, err := screen.ID(r)
	t = settings.Typed{At: inherit.Device(id), Key: domain.SettingKey(r.FormValue("key")), Value: r.FormValue("value")}
	at, tag, _ := strings.Cut(r.FormValue("at"), "#")
	if place, err := strconv.ParseInt(at, 10, 64); err == nil && place > 0 {
		t.At = inherit.Place(place)
		if set, isKit := t.Key.OfKit(); isKit && tag != "" {
			t.Key = set.For(tag).Key()
		}
	}
	return t, err
}

func (s Screen) form(w http.ResponseWriter, r *http.Request) error {
	t, err := typed(r)
	if err != nil {
		return err
	}
	t.Key = cmp.Or(t.Key, domain.SettingStretch)
	return s.showForm(w, r, http.StatusOK, t, nil)
}

func (s Screen) showForm(w http.ResponseWriter, r *http.Request, status int, t settings.Typed, wrong domain.FieldErrors) error {
	ctx, who := r.Context(), middleware.Who(r.Context())
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	v := formView{Page: fmt.Sprintf("/devices/%d/collected", id), At: "0", Typed: t.Value, Errors: wrong}
	set, isKit := t.Key.OfKit()
	key := t.Key
	if isKit {
		key = set.For("").Key()
	}
	if v.Setting, err = s.Settings.One(ctx, who, inherit.Device(id), key); err != nil {
		return err
	}
	if wrong == nil && v.Here {
		v.Typed = v.Value
	}
	if t.At.Place != 0 {
		v.At = placeOption(t.At.Place, set.Tag)
	}
	if v.Where, err = s.where(r, id, isKit); err != nil {
		return err
	}
	return s.Render.Fragment(w, status, "collected", "setting-form", v)
}

// placeOption is the choice of a place, or of its devices with a tag.
func placeOption(place domain.ID, tag string) string {
	out := strconv.FormatInt(place, 10)
	if tag != "" {
		out += "#" + tag
	}
	return out
}

// where are the device and those places above it at which somebody may set something; with tagged, these for devices
// with each of its tags, too.
func (s Screen) where(r *http.Request, device domain.ID, tagged bool) ([]ui.Option, error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	d, _, err := s.Devices.Draft(ctx, who, device)
	if err != nil {
		return nil, err
	}
	places, err := s.Places.Where(ctx, who, area, domain.AccessConfigure)
	if err != nil {
		return nil, err
	}
	var tags []string
	if tagged {
		if tags, err = s.tags(r, device); err != nil {
			return nil, err
		}
	}
	out := []ui.Option{{Value: "0", Title: "this device"}}
	seen := map[domain.ID]bool{}
	for at := d.PlaceID; at != 0; {
		i := slices.IndexFunc(places, func(p domain.Place) bool { return p.ID == at })
		if i < 0 || seen[at] {
			break
		}
		seen[at] = true
		for _, tag := range tags {
			title := "all below " + places[i].Name + " with the tag " + tag
			out = append(out, ui.Option{Value: placeOption(at, tag), Title: title})
		}
		out = append(out, ui.Option{Value: placeOption(at, ""), Title: "all below " + places[i].Name})
		at = places[i].ParentID
	}
	return out, nil
}

// tags are those that a device holds.
func (s Screen) tags(r *http.Request, device domain.ID) (out []string, err error) {
	shown, err := s.Attributes.Of(r.Context(), middleware.Who(r.Context()), inherit.Device(device))
	for _, a := range shown.All {
		if a.Tag {
			out = append(out, a.Name)
		}
	}
	return out, err
}

func (s Screen) set(w http.ResponseWriter, r *http.Request) error {
	t, err := typed(r)
	if err != nil {
		return err
	}
	err = s.Settings.Set(r.Context(), middleware.Who(r.Context()), t)
	var wrong domain.FieldErrors
	if errors.As(err, &wrong) {
		return s.showForm(w, r, http.StatusUnprocessableEntity, t, wrong)
	}
	if err != nil {
		return err
	}
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", fmt.Sprintf("/devices/%d/collected", id))
	return nil
}

func (s Screen) try(w http.ResponseWriter, r *http.Request) error {
	t, err := typed(r)
	if err != nil {
		return err
	}
	trace, err := s.Settings.Rehearse(r.Context(), middleware.Who(r.Context()), t)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "collected", "change-rehearsal", ui.NewRehearsed(trace, errs, ""))
}

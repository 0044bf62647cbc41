package find

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// addView is one thing as it was typed, with what may be chosen.
type addView struct {
	page
	Kinds  []*kit.Kit
	Kit    *kit.Kit // nil as long as nothing is chosen
	Draft  addition.Draft
	Signs  string // how it signs in: a stored credential by its id, "new:" and a kind, or "0" for what its place says
	Stored []domain.Credential
	Places []domain.Place
	// Prepare is what must be done there first, ready to be copied.
	Prepare string
	Errors  domain.FieldErrors
	Problem string
	Trials  []ui.Trial
}

// newOf marks the choice of a new credential of a kind.
const newOf = "new:"

// kindView is what something may be.
type kindView struct {
	*kit.Kit
	Current bool
}

// URL is where it is added.
func (v kindView) URL() string { return addPath + "?" + url.Values{"kit": {v.Name}}.Encode() }

// Choices are what it may be.
func (v addView) Choices() (out []kindView) {
	for _, k := range v.Kinds {
		out = append(out, kindView{k, v.Kit != nil && v.Kit.Name == k.Name})
	}
	return out
}

// Way is how it is asked.
func (v addView) Way() way.Way {
	w, _ := v.Kit.Way()
	return w
}

// Prepared is what must be done there first, ready to be copied.
func (v addView) Prepared() ui.Copied {
	return ui.Copied{ID: "prepare", Title: "To be done there first", Text: v.Prepare}
}

// AddressField is where it is.
func (v addView) AddressField() ui.FieldView {
	help := "an address or a name"
	if _, is := v.Kit.Addressed(); is {
		help = "an address, a name, or all of the page, such as https://192.0.2.7:8443/login"
	}
	f := ui.Typed("add-", "address", "Address", v.Draft.Address, help, v.Errors["address"])
	f.Required = true
	return f
}

// NameField is what it is called.
func (v addView) NameField() ui.FieldView {
	f := ui.Typed("add-", "name", "Called", v.Draft.Name, "empty for what it says of itself, or its address", v.Errors["name"])
	return f
}

// PlaceField is where it belongs.
func (v addView) PlaceField() ui.FieldView {
	places := ui.PlaceOptions(v.Places)
	return ui.Chosen("add-", "place", "Place", fmt.Sprint(v.Draft.PlaceID), places, "", v.Errors["place"])
}

// SignsField is how it signs in; the template shows it where the way takes a credential.
func (v addView) SignsField() ui.FieldView {
	none := ui.Option{Value: "0", Title: "nothing, or what its place says"}
	if v.Way().NeedsCredential {
		none.Title = "what its place says"
	}
	var options []ui.Option
	for _, c := range v.Way().Credentials {
		options = append(options, ui.Option{Value: newOf + c.Name, Title: c.Title + ", typed here"})
	}
	options = append(options, none)
	options = append(options, ui.CredentialOptions(v.Stored)...)
	return ui.Chosen("add-", "signs", "Asked with", v.Signs, options, "", v.Errors["credential"])
}

// SecretFields are those of a new credential.
func (v addView) SecretFields() []ui.FieldView {
	kind, is := v.Way().Credential(strings.TrimPrefix(v.Signs, newOf))
	if !is || v.Draft.Credential == nil {
		return nil
	}
	out := v.fields(addition.OfCredential, kind.Fields, v.Draft.Credential.Values)
	for i := range out {
		out[i].Kept = out[i].Kind == field.Secret
	}
	return out
}

// First are the fields that matter most, Rest all others.
func (v addView) First() []ui.FieldView { first, _ := v.Kit.HandFields(); return v.hand(first) }

// Rest are the fields that have good defaults.
func (v addView) Rest() []ui.FieldView { _, rest := v.Kit.HandFields(); return v.hand(rest) }

func (v addView) hand(fields []kit.HandField) (out []ui.FieldView) {
	for _, f := range fields {
		if f.Endpoint {
			out = append(out, v.fields(addition.OfSetting, []field.Field{f.Field}, v.Draft.Settings)...)
		} else {
			out = append(out, v.fields(addition.OfParameter, []field.Field{f.Field}, v.Draft.Parameters)...)
		}
	}
	return out
}

// fields are views whose names have a prefix.
func (v addView) fields(prefix string, fields []field.Field, values map[string]string) []ui.FieldView {
	named, filled := slices.Clone(fields), map[string]string{}
	for i, f := range fields {
		named[i].Name = prefix + f.Name
		filled[named[i].Name] = values[f.Name]
	}
	out := ui.Fields("add-", named, filled, v.Errors)
	for i := range out {
		out[i].ID = strings.ReplaceAll(out[i].ID, ".", "-")
		if out[i].HelpID != "" {
			out[i].HelpID = out[i].ID + "-help"
		}
	}
	return out
}

// More tells whether the fields with good defaults are shown at once: something is wrong with one of them.
func (v addView) More() bool {
	return slices.ContainsFunc(v.Rest(), func(f ui.FieldView) bool { return f.Error != "" })
}

// addPage shows what may be added, and the form of what was chosen.
func (s Screen) addPage(w http.ResponseWriter, r *http.Request) error {
	v := addView{Draft: addition.Draft{Kit: r.URL.Query().Get("kit"), Address: r.URL.Query().Get("address")}}
	if err := s.fillAdd(r, &v); err != nil {
		return err
	}
	return s.Render.Page(w, r, "find", render.Frame{Title: "Add by hand", Area: domain.AreaFind, Tab: listPath, Body: v})
}

// fillAdd adds what there is to choose from.
func (s Screen) fillAdd(r *http.Request, v *addView) (err error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	v.page = page{"add"}
	if v.Kinds, err = s.Addition.Kinds(ctx, who); err != nil {
		return err
	}
	i := slices.IndexFunc(v.Kinds, func(k *kit.Kit) bool { return k.Name == v.Draft.Kit })
	if i < 0 {
		return nil
	}
	v.Kit = v.Kinds[i]
	if v.Places, err = s.Places.Where(ctx, who, domain.AreaFind, domain.AccessConfigure); err != nil {
		return err
	}
	if v.Draft.PlaceID == 0 && len(v.Places) > 0 {
		v.Draft.PlaceID = v.Places[0].ID
	}
	all, err := s.Credentials.All(ctx, who)
	if err != nil && !errors.Is(err, domain.ErrForbidden) {
		return err
	}
	for _, c := range all {
		if v.Way().Takes(c.Kind) {
			v.Stored = append(v.Stored, c.Credential)
		}
	}
	if v.Signs == "" {
		v.Signs = "0"
		if kinds := v.Way().Credentials; v.Way().NeedsCredential && len(kinds) > 0 {
			v.Signs = newOf + kinds[0].Name
			v.Draft.Credential = &addition.Credential{Kind: kinds[0].Name}
		}
	}
	v.Prepare, err = s.Addition.Preparation(ctx, who, v.Kit, v.Draft.Address)
	return err
}

// typedAdd is what every form of this page has.
type typedAdd struct {
	Kit     string    `form:"kit"`
	Address string    `form:"address"`
	Name    string    `form:"name"`
	PlaceID domain.ID `form:"place"`
	Signs   string    `form:"signs"`
	Act     string    `form:"act"`
}

// readAdd takes the form as it was typed.
func readAdd(r *http.Request) (v addView, act string, err error) {
	var in typedAdd
	if _, err := ui.Form(r, &in); err != nil {
		return v, "", err
	}
	v.Draft = addition.Draft{Kit: in.Kit, Address: in.Address, Name: in.Name, PlaceID: in.PlaceID,
		Parameters: typedUnder(r, addition.OfParameter), Settings: typedUnder(r, addition.OfSetting)}
	v.Signs = in.Signs
	if kind, is := strings.CutPrefix(in.Signs, newOf); is {
		v.Draft.Credential = &addition.Credential{Kind: kind, Values: typedUnder(r, addition.OfCredential)}
	} else if v.Draft.CredentialID, err = ui.IDOf(in.Signs); err != nil {
		return v, "", err
	}
	return v, in.Act, nil
}

// typedUnder are the values of the fields under a prefix; what is empty is left to the defaults.
func typedUnder(r *http.Request, prefix string) map[string]string {
	out := map[string]string{}
	for name, values := range r.PostForm {
		if of, is := strings.CutPrefix(name, prefix); is && strings.TrimSpace(values[0]) != "" {
			out[of] = strings.TrimSpace(values[0])
		}
	}
	return out
}

// add shows the form again, tries what was typed, or adds it.
func (s Screen) add(w http.ResponseWriter, r *http.Request) error {
	v, act, err := readAdd(r)
	if err != nil {
		return err
	}
	switch act {
	case "again":
		err = nil
	case "try":
		err = s.tryAdd(r, &v)
	default:
		var made addition.Added
		if made, err = s.Addition.Add(r.Context(), middleware.Who(r.Context()), v.Draft); err == nil {
			w.Header().Set("HX-Redirect", fmt.Sprintf("/devices/%d", made.Device.ID))
			return nil
		}
	}
	status := http.StatusOK
	if errors.As(err, &v.Errors) {
		status, err = http.StatusUnprocessableEntity, nil
	}
	if err != nil {
		return err
	}
	if err := s.fillAdd(r, &v); err != nil {
		return err
	}
	if v.Kit == nil {
		return domain.ErrNotFound
	}
	return s.Render.Fragment(w, status, "find", "add-form", v)
}

func (s Screen) tryAdd(r *http.Request, v *addView) error {
	trials, err := s.Addition.Try(r.Context(), middleware.Who(r.Context()), v.Draft)
	for _, t := range trials {
		v.Trials = append(v.Trials, ui.Tried(t.Kit, t.Source, t.Fetched, t.Exchange).Judged(t.Verdict, t.Says, t.Passes))
	}
	return err
}

// Package attributes is the names with values, and tags, of places, devices and parts.
package attributes

import (
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is attributes.
type Screen struct {
	Render     *render.Renderer
	Attributes *attributes.Service
	Places     *places.Service
}

const (
	listPath = "/run/attributes"
	// ImportPath takes larger requests than others: tables.
	ImportPath = "/run/attributes/import"
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const watch, run, collect, configure = domain.AreaWatch, domain.AreaRun, domain.AreaCollect, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"attributes": files},
		Menu:      []render.Entry{{Title: "Attributes", Path: listPath, Area: run, Asks: watch}},
		Found:     []render.Entry{{Title: "Bring in attributes", Path: listPath, Area: run, Asks: collect, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(listPath, watch, s.list),
			screen.Get(listPath+"/export", watch, s.export),
			screen.Post(ImportPath, collect, configure, s.bring),
			screen.Get("/run/places/{id}/attributes", run, s.card(inherit.Place)),
			screen.Post("/run/places/{id}/attributes", run, configure, s.set(inherit.Place)),
			screen.Get("/devices/{id}/attributes", watch, s.card(inherit.Device)),
			screen.Post("/devices/{id}/attributes", collect, configure, s.set(inherit.Device)),
			screen.Get("/parts/{id}/attributes", watch, s.card(inherit.Part)),
			screen.Post("/parts/{id}/attributes", collect, configure, s.set(inherit.Part)),
			screen.Post("/devices/attributes", collect, configure, s.setMany),
			screen.Post("/devices/place", collect, configure, s.move),
		},
	}
}

// cardView is what holds for a thing, with the forms that change it.
type cardView struct {
	URL    string
	Title  string
	Rows   []rowView
	Tags   []rowView
	May    bool
	Name   string // as it was typed
	Value  string
	Errors domain.FieldErrors
}

// rowView is an attribute that holds.
type rowView struct {
	inherit.Attribute
	URL string
	N   int
}

// Origin says in words where the value comes from.
func (r rowView) Origin() string {
	if r.Here {
		return "here"
	}
	if r.Source.Name != "" {
		return r.Source.Name
	}
	return "the device"
}

// Link is the page of the place that the value comes from; empty for none.
func (r rowView) Link() string {
	if r.Here || r.Thing.Place == 0 {
		return ""
	}
	return fmt.Sprintf("/run/places/%d", r.Thing.Place)
}

// Mark is that of what is set here.
func (r rowView) Mark() string {
	if r.Here {
		return attributes.MarkOf(r.Value)
	}
	return attributes.MarkOf("")
}

// Back says what holds again when the value here is taken away.
func (r rowView) Back() string {
	if len(r.Replaces) == 0 {
		return "Take away"
	}
	return "Back to “" + r.Replaces[0].Value + "”"
}

// NameField is the field of a new name.
func (v cardView) NameField() ui.FieldView {
	return ui.Typed(v.prefix(), "name", "Name", v.Name, "", v.Errors["name"])
}

// ValueField is the field of its value.
func (v cardView) ValueField() ui.FieldView {
	return ui.Typed(v.prefix(), "value", "Value", v.Value, "Without one it is a tag.", v.Errors["value"])
}

func (v cardView) prefix() string {
	return strings.ReplaceAll(strings.Trim(v.URL, "/"), "/", "-") + "-"
}

type thingOf func(domain.ID) inherit.Thing

// card shows what holds for a thing.
func (s Screen) card(of thingOf) render.Handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		return s.show(w, r, http.StatusOK, of(id), cardView{})
	}
}

func (s Screen) show(w http.ResponseWriter, r *http.Request, status int, thing inherit.Thing, v cardView) error {
	found, err := s.Attributes.Of(r.Context(), middleware.Who(r.Context()), thing)
	if err != nil {
		return err
	}
	v.URL, v.May, v.Title = r.URL.Path, found.May, "Attributes and tags"
	if thing.Part != 0 {
		v.Title = "Attributes and tags of this part"
	}
	for i, a := range found.All {
		row := rowView{a, v.URL, i}
		if a.Tag {
			v.Tags = append(v.Tags, row)
		} else {
			v.Rows = append(v.Rows, row)
		}
	}
	return s.Render.Fragment(w, status, "attributes", "attributes", v)
}

type typed struct {
	Name  string `form:"name"`
	Value string `form:"value"`
	Tag   bool   `form:"tag"`
	Unset bool   `form:"unset"`
	// New is true for a name that is typed: without a value it is a tag.
	New bool `form:"new"`
	// Mark is that of what was seen.
	Mark string `form:"mark"`
}

func (t typed) change() attributes.Change {
	c := attributes.Change{Name: t.Name, Value: t.Value, Tag: t.Tag, Unset: t.Unset, Mark: t.Mark}
	if t.New && strings.TrimSpace(t.Value) == "" {
		c.Tag, c.Value = true, ""
	}
	return c
}

// set changes one attribute of a thing.
func (s Screen) set(of thingOf) render.Handler {
	return func(w http.ResponseWriter, r *http.Request) error {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		var in typed
		if _, err := ui.Form(r, &in); err != nil {
			return err
		}
		var v cardView
		err = s.Attributes.Set(r.Context(), middleware.Who(r.Context()), of(id), []attributes.Change{in.change()})
		status := http.StatusOK
		switch {
		case errors.Is(err, domain.ErrChanged):
			v.Errors = domain.FieldErrors{"name": ui.ChangedMeanwhile}
		case errors.Is(err, domain.ErrForbidden):
			_, problem := render.Status(err)
			v.Errors = domain.FieldErrors{"name": problem}
		case err != nil && !errors.As(err, &v.Errors):
			return err
		}
		if err != nil {
			status, v.Name, v.Value = http.StatusUnprocessableEntity, in.Name, in.Value
		}
		return s.show(w, r, status, of(id), v)
	}
}

type many struct {
	Devices []domain.ID `form:"device"`
	Place   domain.ID   `form:"place"`
}

// setMany changes one attribute of several devices.
func (s Screen) setMany(w http.ResponseWriter, r *http.Request) error {
	var in many
	var change typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	if _, err := ui.Form(r, &change); err != nil {
		return err
	}
	var things []inherit.Thing
	for _, id := range in.Devices {
		things = append(things, inherit.Device(id))
	}
	err := s.Attributes.SetMany(r.Context(), middleware.Who(r.Context()), things, []attributes.Change{change.change()})
	return s.done(w, len(in.Devices), err)
}

// move lets several devices belong to another place.
func (s Screen) move(w http.ResponseWriter, r *http.Request) error {
	var in many
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	err := s.Places.MoveDevices(r.Context(), middleware.Who(r.Context()), in.Devices, in.Place)
	return s.done(w, len(in.Devices), err)
}

// doneView tells what became of a change of several devices.
type doneView struct {
	Devices int
	Problem string
}

// done answers below the bar of actions; a list that was changed is shown anew.
func (s Screen) done(w http.ResponseWriter, devices int, err error) error {
	var errs domain.FieldErrors
	switch {
	case err == nil:
		w.Header().Set("HX-Trigger", "owl:changed")
		return s.Render.Fragment(w, http.StatusOK, "attributes", "attributes-done", doneView{Devices: devices})
	case errors.As(err, &errs):
		var problems []string
		for _, text := range errs {
			problems = append(problems, text)
		}
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "attributes", "attributes-done",
			doneView{Problem: strings.Join(problems, " ")})
	case errors.Is(err, domain.ErrForbidden), errors.Is(err, domain.ErrNotFound), errors.Is(err, domain.ErrConflict):
		_, text := render.Status(err)
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "attributes", "attributes-done", doneView{Problem: text})
	}
	return err
}

// listView is all names that are in use, with the form that brings in a table.
type listView struct {
	Used   []attributes.Used
	May    bool
	Import importView
	Search string
	Bar    ui.FilterBar
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	used, err := s.Attributes.Used(r.Context(), who)
	if err != nil {
		return err
	}
	v := listView{Search: strings.ToLower(strings.TrimSpace(r.URL.Query().Get("q")))}
	v.Bar = ui.FilterBar{Path: listPath, Target: "attribute-table", Search: v.Search, Placeholder: "Name", Label: "Filter attributes"}
	v.May = !who.Scope(domain.AreaCollect, domain.AccessConfigure).None()
	for _, a := range used {
		if strings.Contains(strings.ToLower(a.Name), v.Search) {
			v.Used = append(v.Used, a)
		}
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "attributes", "attribute-table", v)
	}
	return s.Render.Page(w, r, "attributes", render.Frame{Title: "Attributes", Area: domain.AreaRun, Tab: listPath, Body: v})
}

func (s Screen) export(w http.ResponseWriter, r *http.Request) error {
	name := "attributes-" + time.Now().UTC().Format("20060102T1504")
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	return s.Attributes.Export(r.Context(), middleware.Who(r.Context()), w)
}

// importView is a table that is brought in, with what it would do.
type importView struct {
	Table  string
	Report *attributes.Report
	Errors domain.FieldErrors
}

// bring rehearses a table, or does what it says.
func (s Screen) bring(w http.ResponseWriter, r *http.Request) error {
	v := importView{Table: r.PostFormValue("table")}
	if file, _, err := r.FormFile("file"); err == nil {
		defer file.Close()
		if v.Table, err = readAll(file); err != nil {
			v.Errors = domain.FieldErrors{"table": "The file cannot be read: " + err.Error() + "."}
		}
	}
	status := http.StatusOK
	if v.Errors == nil {
		rehearse := r.PostFormValue("apply") != "yes"
		report, err := s.Attributes.Import(r.Context(), middleware.Who(r.Context()), strings.NewReader(v.Table), rehearse)
		switch {
		case errors.As(err, &v.Errors):
		case err != nil:
			return err
		default:
			v.Report = &report
			if report.Done {
				w.Header().Set("HX-Trigger", "owl:changed")
			}
		}
	}
	if v.Errors != nil {
		status = http.StatusUnprocessableEntity
	}
	return s.Render.Fragment(w, status, "attributes", "attribute-import", v)
}

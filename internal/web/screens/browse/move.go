package browse

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// moveView is the form that moves readings of a device's own into a kit.
type moveView struct {
	ID     domain.ID
	Device string
	Rows   []moveRow
	Kit    string
	New    string
	Title  string
	Mark   string
	Kits   []ui.Option
	Errors domain.FieldErrors
	Notice string
}

// moveRow is a reading that may move.
type moveRow struct {
	Key, Name, Object, Table string
	Chosen                   bool
}

// Crumbs is the way to the page.
func (v moveView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Watch", URL: "/"}, {Title: v.Device, URL: fmt.Sprintf("/devices/%d", v.ID)},
		{Title: "Browse", URL: fmt.Sprintf("/devices/%d/browse", v.ID)}, {Title: "Move to a kit"}}
}

// URL is where the form is sent.
func (v moveView) URL() string { return fmt.Sprintf("/devices/%d/pick/move", v.ID) }

// Rehearsing is where it is told what it would do.
func (v moveView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "move-rehearsal", URL: v.URL() + "/rehearsal", Form: "move-form", On: "input delay:300ms"}
}

// KitField is the kit that they move into.
func (v moveView) KitField() ui.FieldView {
	return ui.Chosen("move-", "kit", "Into the kit", v.Kit, v.Kits, "", v.Errors["kit"])
}

// NewField and TitleField name a new one.
func (v moveView) NewField() ui.FieldView {
	return ui.Typed("move-", "new", "Name of the new kit", v.New, "Small letters, digits and -; it stands in addresses.", v.Errors["new"])
}

// TitleField is what the new kit is called by people.
func (v moveView) TitleField() ui.FieldView {
	return ui.Typed("move-", "title", "Title of the new kit", v.Title, "", v.Errors["title"])
}

// moving is what the form says.
func (s Screen) moving(r *http.Request) (m collect.Move, isNew bool, err error) {
	if m.Device, err = screen.ID(r); err != nil {
		return m, false, err
	}
	if err := r.ParseForm(); err != nil {
		return m, false, err
	}
	m.Readings, m.Kit, m.Title, m.Mark = r.Form["reading"], r.FormValue("kit"), r.FormValue("title"), r.FormValue("mark")
	if isNew = m.Kit == ""; isNew {
		m.Kit = strings.TrimSpace(r.FormValue("new"))
	}
	return m, isNew, nil
}

func (s Screen) moveView(r *http.Request, m collect.Move, isNew bool) (v moveView, err error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	v = moveView{ID: m.Device, Title: m.Title, Errors: domain.FieldErrors{}}
	if v.Kit, v.New = m.Kit, ""; isNew {
		v.Kit, v.New = "", m.Kit
	}
	d, _, err := s.Devices.Draft(ctx, who, m.Device)
	if err != nil {
		return v, err
	}
	v.Device = d.Name
	picked, err := s.Kits.Own(ctx, who, m.Device)
	if err != nil {
		return v, err
	}
	v.Mark = picked.Mark
	for _, x := range picked.Readings {
		v.Rows = append(v.Rows, moveRow{x.Key, x.Name, x.Object, x.Table, slices.Contains(m.Readings, x.Key)})
	}
	v.Kits = []ui.Option{{Title: "a new kit"}}
	for _, k := range s.Kits.Kits() {
		v.Kits = append(v.Kits, ui.Option{Value: k.Name, Title: k.Title})
	}
	return v, nil
}

func (s Screen) moveForm(w http.ResponseWriter, r *http.Request) error {
	m, isNew, err := s.moving(r)
	if err != nil {
		return err
	}
	v, err := s.moveView(r, m, isNew)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "move", render.Frame{Title: "Move to a kit", Area: domain.AreaWatch, Body: v})
}

func (s Screen) move(w http.ResponseWriter, r *http.Request) error {
	m, isNew, err := s.moving(r)
	if err != nil {
		return err
	}
	made, wrong := s.Kits.MoveToKit(r.Context(), middleware.Who(r.Context()), m)
	if wrong == nil {
		w.Header().Set("HX-Redirect", "/collect/kits/"+made.Kit+"/devices")
		return nil
	}
	v, err := s.moveView(r, m, isNew)
	if err != nil {
		return err
	}
	if v.Notice, err = ui.Refused(wrong, &v.Errors); err != nil {
		return err
	}
	v.Errors = atFields(v.Errors, isNew)
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "move", "move-form", v)
}

// atFields tells what is wrong with the name of a new kit where that is typed.
func atFields(errs domain.FieldErrors, isNew bool) domain.FieldErrors {
	if problem := errs["kit"]; isNew && problem != "" {
		return domain.FieldErrors{"new": problem}
	}
	return errs
}

// moveRehearsalView is what a move would do.
type moveRehearsalView struct {
	collect.MoveRehearsal
	Problems []string
	Blank    bool
}

// Said is what moves.
func (v moveRehearsalView) Said() string {
	out := text.Count(int64(len(v.Names)), "reading moves", "readings move") + ": " + text.List(v.Names, "and") + "."
	if len(v.Rules) > 0 {
		out += " With them " + text.Count(int64(len(v.Rules)), "rule") + ", which judge on all devices of the kit then: " +
			text.List(v.Rules, "and") + "."
	}
	return out
}

// Others says what it means for the devices that have the kit already.
func (v moveRehearsalView) Others() string {
	if v.New {
		return "A new kit, fitted to this device alone. Fit it to others on its page."
	}
	return fmt.Sprintf("The kit is on %s: about %s would be gained there, for %+.0f requests a minute.",
		text.Count(int64(v.Devices), "device"), text.Count(int64(v.Gained), "series", "series"),
		v.After.RequestsPerMinute-v.Before.RequestsPerMinute)
}

func (s Screen) rehearseMove(w http.ResponseWriter, r *http.Request) error {
	m, isNew, err := s.moving(r)
	if err != nil {
		return err
	}
	var v moveRehearsalView
	if len(m.Readings) == 0 || m.Kit == "" {
		if _, _, err := s.Devices.Draft(r.Context(), middleware.Who(r.Context()), m.Device); err != nil {
			return err
		}
		v.Blank = true
		return s.Render.Fragment(w, http.StatusOK, "move", "move-rehearsal", v)
	}
	v.MoveRehearsal, err = s.Kits.RehearseMove(r.Context(), middleware.Who(r.Context()), m)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	for _, problem := range atFields(errs, isNew) {
		v.Problems = append(v.Problems, problem)
	}
	slices.Sort(v.Problems)
	return s.Render.Fragment(w, http.StatusOK, "move", "move-rehearsal", v)
}

// Package calendars is the page of hours that have a name.
package calendars

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/calendars"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the page.
type Screen struct {
	Render    *render.Renderer
	Calendars *calendars.Service
}

const (
	area     = domain.AreaRun
	listPath = "/run/calendars"
	pageSize = 100
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"calendars": files},
		Menu:      []render.Entry{{Title: "Calendars", Path: listPath, Area: area}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.page),
			screen.Post(listPath, area, configure, s.save),
			screen.Post(listPath+"/rehearsal", area, configure, s.rehearse),
			screen.Get(listPath+"/{id}", area, s.page),
			screen.Post(listPath+"/{id}/remove", area, configure, s.remove),
		},
	}
}

type pageView struct {
	Any  bool
	May  bool
	Bar  ui.FilterBar
	Form formView
	ui.Filled[rowView]
}

// rowView is a calendar in the list.
type rowView struct{ calendars.Calendar }

// Now says whether its hours are open, and until when.
func (v rowView) Now() string {
	is := "closed"
	if v.Open {
		is = "open"
	}
	if v.Turns.IsZero() {
		return is
	}
	return is + ", for " + units.Span(time.Until(v.Turns).Truncate(time.Minute))
}

// formView is the form of a new calendar, or of one that is there.
type formView struct {
	domain.Calendar
	May    bool
	Notice string
	Errors domain.FieldErrors
}

// Title says what the form does.
func (v formView) Title() string {
	if v.ID == 0 {
		return "New calendar"
	}
	return "Change the calendar"
}

// NameField is where its name is typed.
func (v formView) NameField() ui.FieldView {
	return ui.Typed("calendar-", "name", "Name", v.Name, "", v.Errors["name"])
}

// HoursField is where its hours are typed.
func (v formView) HoursField() ui.FieldView {
	const help = "Days with times, then days off, then a zone: Mon-Fri 07:00-19:00, not 12-24..12-26, not 2027-05-06 Europe/Vienna"
	f := ui.TypedLines("calendar-", "hours", "Hours", v.Hours, 3, help, v.Errors["hours"])
	f.Mono = true
	return f
}

// Rehearsing is where it is told what the hours would be.
func (v formView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "calendar-rehearsal", URL: listPath + "/rehearsal", Form: "calendar-form", On: "input delay:300ms"}
}

// Removal asks whether to remove the calendar.
func (v formView) Removal() string {
	return "Remove the calendar " + v.Name + "? Its days off are gone with it."
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	var form formView
	if strings.HasPrefix(r.URL.Path, listPath+"/") {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		if form.Calendar, err = s.Calendars.One(r.Context(), middleware.Who(r.Context()), id); err != nil {
			return err
		}
	}
	return s.show(w, r, form)
}

func (s Screen) show(w http.ResponseWriter, r *http.Request, form formView) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.Calendars.All(r.Context(), who)
	if err != nil {
		return err
	}
	v := pageView{
		Any: len(all) > 0,
		May: who.May(area, domain.AccessConfigure, domain.At(0)),
		Bar: ui.FilterBar{Path: listPath, Target: "calendar-table", Search: q.Get("q"), Sort: q.Get("sort"), Placeholder: "Name or hours",
			Label: "Filter calendars"},
		Form: form,
	}
	v.Form.May = v.May
	rows := make([]rowView, len(all))
	for i, c := range all {
		rows[i] = rowView{c}
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, func(v rowView) string { return v.Name + " " + v.Hours }, columns)
	if r.Method == http.MethodGet && render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "calendars", "calendar-table", v)
	}
	return s.Render.Page(w, r, "calendars", render.Frame{Title: "Calendars", Area: area, Tab: listPath, Body: v})
}

var columns = ui.Columns[rowView]{
	"":        ui.ByText(func(v rowView) string { return v.Name }),
	"devices": ui.ByNumber(func(v rowView) int { return v.Devices }),
	"now":     ui.ByText(rowView.Now),
}

type typed struct {
	ID      domain.ID `form:"id"`
	Name    string    `form:"name"`
	Hours   string    `form:"hours"`
	Version int       `form:"version"`
}

func (t typed) calendar() domain.Calendar {
	return domain.Calendar{ID: t.ID, Name: t.Name, Hours: t.Hours, Version: t.Version}
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	_, err := s.Calendars.Save(r.Context(), middleware.Who(r.Context()), in.calendar())
	if err == nil {
		w.Header().Set("HX-Redirect", listPath)
		return nil
	}
	v := formView{Calendar: in.calendar(), May: true}
	if v.Notice, err = ui.Refused(err, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "calendars", "calendar-form", v)
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	wrong := s.Calendars.Remove(r.Context(), who, id, in.Version)
	if wrong == nil {
		http.Redirect(w, r, listPath, http.StatusSeeOther)
		return nil
	}
	var v formView
	if v.Notice, err = ui.Refused(wrong, &v.Errors); err != nil {
		return err
	}
	v.Notice = cmp.Or(v.Notice, v.Errors["name"])
	v.Errors = nil
	if v.Calendar, err = s.Calendars.One(r.Context(), who, id); err != nil {
		return err
	}
	return s.show(w, r, v)
}

// hint stands where nothing is typed yet.
const hint = "What they are now, and when that turns, is told while you type."

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	if strings.TrimSpace(in.Hours) == "" {
		return s.Render.Fragment(w, http.StatusOK, "calendars", "calendar-rehearsal", ui.Rehearsed{Hint: hint})
	}
	trace, err := s.Calendars.Rehearse(r.Context(), middleware.Who(r.Context()), in.calendar())
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "calendars", "calendar-rehearsal", ui.NewRehearsed(trace, errs, hint))
}

// URL is the page of a calendar.
func (v rowView) URL() string { return fmt.Sprintf("%s/%d", listPath, v.ID) }

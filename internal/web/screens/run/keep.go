package run

import (
	"errors"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
)

// keepForm is for how many days the samples of a reading are kept, and what
// another choice would do.
type keepForm struct {
	Show   string
	Key    domain.ReadingKey
	Fields []keepField
	Effect collect.KeepRehearsal
	Saved  bool
	// Unsettled is set while what is stored does not follow yet.
	Unsettled bool
	May       domain.Access
}

type keepField struct {
	Form    retention.Form
	Value   string // as typed; empty for the setting of all
	Usual   int
	Problem string
}

// Wrong tells whether any of the fields has a problem.
func (f keepForm) Wrong() bool {
	for _, x := range f.Fields {
		if x.Problem != "" {
			return true
		}
	}
	return false
}

var daysOf = map[retention.Form]func(*domain.KeepDays) *int{
	retention.Points:      func(d *domain.KeepDays) *int { return &d.Points },
	retention.FiveMinutes: func(d *domain.KeepDays) *int { return &d.FiveMinutes },
	retention.Hours:       func(d *domain.KeepDays) *int { return &d.Hours },
	retention.Days:        func(d *domain.KeepDays) *int { return &d.Days },
}

// formsOf returns what people may set for a kind of series. Texts have no
// rollups; the days of hours are those of their runs.
func formsOf(kind domain.SeriesKind) []retention.Form {
	if kind == domain.KindText {
		return []retention.Form{retention.Points, retention.Hours}
	}
	return retention.Forms[:4]
}

// Name is what is kept for so long.
func (f keepForm) Name(form retention.Form) string {
	if form == retention.Hours && len(f.Fields) == 2 {
		return retention.Runs.Title()
	}
	return form.Title()
}

// kept writes for how long a reading is kept, form by form.
func kept(kind domain.SeriesKind, own, usual domain.KeepDays) (out []keepField) {
	for _, form := range formsOf(kind) {
		x := keepField{Form: form, Usual: *daysOf[form](&usual)}
		if n := *daysOf[form](&own); n > 0 {
			x.Value = strconv.Itoa(n)
		}
		out = append(out, x)
	}
	return out
}

// chosen reads the numbers of days that were typed; what is none is refused
// by the service.
func (f keepForm) chosen() (days domain.KeepDays) {
	for _, x := range f.Fields {
		if x.Value == "" {
			continue
		}
		n, err := strconv.Atoi(x.Value)
		if err != nil || n <= 0 {
			n = -1
		}
		*daysOf[x.Form](&days) = n
	}
	return days
}

// keepForm reads the form out of a request, or what is stored where the
// request has none.
func (s Screen) keepForm(r *http.Request, values url.Values) (f keepForm, err error) {
	f = keepForm{Show: "keep", Key: domain.ReadingKey{Kit: values.Get("kit"), Reading: values.Get("reading")}, May: may(r)}
	keeps, err := s.Kits.KeepsOf(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return f, err
	}
	f.Fields = kept(s.kindOf(f.Key), keeps[f.Key], s.Run.Usual())
	for i, x := range f.Fields {
		if values.Has(string(x.Form)) {
			f.Fields[i].Value = strings.TrimSpace(values.Get(string(x.Form)))
		}
	}
	return f, nil
}

// kindOf is what the values of a reading are.
func (s Screen) kindOf(k domain.ReadingKey) domain.SeriesKind {
	kit, err := s.Kits.Kit(k.Kit)
	if err != nil {
		return domain.KindNumber
	}
	r, _ := kit.Reading(k.Reading)
	return r.Kind()
}

// mark notes what is wrong at the fields; other errors are returned.
func (f *keepForm) mark(err error) error {
	var wrong domain.FieldErrors
	if !errors.As(err, &wrong) {
		return err
	}
	for i, x := range f.Fields {
		f.Fields[i].Problem = wrong[string(x.Form)]
	}
	return nil
}

// showKeep shows for how long a reading is kept, with what the numbers in the
// address would do.
func (s Screen) showKeep(w http.ResponseWriter, r *http.Request) error {
	f, err := s.keepForm(r, r.URL.Query())
	if err != nil {
		return err
	}
	f.Effect, err = s.Kits.RehearseKeep(r.Context(), middleware.Who(r.Context()), f.Key, f.chosen(), s.Run.Usual())
	if err := f.mark(err); err != nil {
		return err
	}
	part := "keep"
	if r.Header.Get("HX-Target") == "keep-effect" {
		part = "keepeffect"
	}
	return s.writeKeep(w, r, http.StatusOK, part, f)
}

// writeKeep writes the drawer or its part, or a page of its own for those who
// came by a link.
func (s Screen) writeKeep(w http.ResponseWriter, r *http.Request, status int, part string, f keepForm) error {
	if !render.IsFragment(r) {
		return s.Render.Page(
			w,
			r,
			"run",
			render.Frame{Title: "How long " + f.Key.Reading + " is kept", Area: domain.AreaRun, Tab: storagePath, Body: f},
		)
	}
	return s.Render.Fragment(w, status, "run", part, f)
}

// saveKeep changes for how long the samples of a reading are kept.
func (s Screen) saveKeep(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return err
	}
	f, err := s.keepForm(r, r.PostForm)
	if err != nil {
		return err
	}
	days, status := f.chosen(), http.StatusOK
	if err := f.mark(s.Kits.SetKeep(r.Context(), middleware.Who(r.Context()), f.Key, days)); err != nil {
		return err
	}
	if f.Wrong() {
		status = http.StatusUnprocessableEntity
	} else if f.Effect, err = s.Kits.RehearseKeep(r.Context(), middleware.Who(r.Context()), f.Key, days, s.Run.Usual()); err != nil {
		return err
	}
	f.Saved = !f.Wrong()
	return s.writeKeep(w, r, status, "keep", f)
}

// ID is the place of the reading's row.
func (f keepForm) ID() string { return "kept-" + f.Key.Kit + "-" + f.Key.Reading }

// URL is where the form is.
func (f keepForm) URL() string {
	return "/run/storage/keep?" + url.Values{"kit": {f.Key.Kit}, "reading": {f.Key.Reading}}.Encode()
}

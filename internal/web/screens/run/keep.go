package run

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/middleware"
)

// keepForm is for how many days the samples of a reading are kept.
type keepForm struct {
	Kit, Reading string
	Fields       []keepField
	Saved        bool
	May          domain.Access
}

type keepField struct {
	Name, Label string
	Value       string // as typed; empty for the setting of all
	Usual       int
	Off         bool // the reading has no such rows
	Problem     string
}

// Problem is what is wrong with any of the fields.
func (f keepForm) Problem() string {
	for _, x := range f.Fields {
		if x.Problem != "" {
			return x.Problem
		}
	}
	return ""
}

// keepFields returns the fields of the form, with their values as text.
func keepFields(kind domain.SeriesKind, usual store.KeepDays, text func(name string, of func(store.KeepDays) int) string) []keepField {
	var out []keepField
	for _, x := range []struct {
		name, label string
		of          func(store.KeepDays) int
	}{
		{"points", "single", func(d store.KeepDays) int { return d.Points }},
		{"five_minutes", "5 min", func(d store.KeepDays) int { return d.FiveMinutes }},
		{"hours", "1 h", func(d store.KeepDays) int { return d.Hours }},
		{"days", "1 d", func(d store.KeepDays) int { return d.Days }},
	} {
		off := kind == domain.KindText && (x.name == "five_minutes" || x.name == "days")
		out = append(out, keepField{Name: x.name, Label: x.label, Usual: x.of(usual), Value: text(x.name, x.of), Off: off})
	}
	return out
}

// stored writes what is set for a reading.
func stored(d store.KeepDays) func(string, func(store.KeepDays) int) string {
	return func(_ string, of func(store.KeepDays) int) string {
		if n := of(d); n > 0 {
			return strconv.Itoa(n)
		}
		return ""
	}
}

// typed reads a number of days; what is none is refused by the service.
func typed(r *http.Request, name string) int {
	text := strings.TrimSpace(r.PostFormValue(name))
	if text == "" {
		return 0
	}
	if n, err := strconv.Atoi(text); err == nil && n > 0 {
		return n
	}
	return -1
}

// kindOf is what the values of a reading are.
func (s Screen) kindOf(kitName, reading string) domain.SeriesKind {
	k, err := s.Kits.Kit(kitName)
	if err != nil {
		return domain.KindNumber
	}
	r, _ := k.Reading(reading)
	return r.Kind()
}

// keep changes for how long the samples of a reading are kept.
func (s Screen) keep(w http.ResponseWriter, r *http.Request) error {
	f := keepForm{Kit: r.PostFormValue("kit"), Reading: r.PostFormValue("reading"), May: middleware.Who(r.Context()).Level}
	f.Fields = keepFields(s.kindOf(f.Kit, f.Reading), s.Keep, func(name string, _ func(store.KeepDays) int) string { return strings.TrimSpace(r.PostFormValue(name)) })
	err := s.Kits.SetKeep(r.Context(), f.Kit, f.Reading, store.KeepDays{Points: typed(r, "points"), FiveMinutes: typed(r, "five_minutes"), Hours: typed(r, "hours"), Days: typed(r, "days")})
	var wrong domain.FieldErrors
	if errors.As(err, &wrong) {
		for i, x := range f.Fields {
			f.Fields[i].Problem = wrong[x.Name]
		}
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "run", "keep", f)
	}
	if err != nil {
		return err
	}
	f.Saved = true
	return s.Render.Fragment(w, http.StatusOK, "run", "keep", f)
}

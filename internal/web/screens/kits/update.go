package kits

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// updateView is what a release makes of a kit that was changed here.
type updateView struct {
	Show string
	collect.Update
	Kit    string // its title
	May    bool
	Sides  map[string]string // as they are decided
	Notice string
	Errors domain.FieldErrors
}

// Crumbs is the way to the page.
func (v updateView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Collect", URL: listPath}, {Title: v.Kit, URL: SavePath + "/" + v.Name}, {Title: "Update"}}
}

// Action is where it is taken.
func (v updateView) Action() string { return SavePath + "/" + v.Name + "/update" }

// Said is what is the matter, as a sentence.
func (v updateView) Said() string {
	conflicts := 0
	for _, t := range v.Things {
		if t.Conflicts() {
			conflicts++
		}
	}
	says := fmt.Sprintf("This release brings version %d. What you run came from version %d and was changed here. ", v.To, v.From)
	if conflicts == 0 {
		return says + "The two do not touch the same things: all of both can be had."
	}
	return says + text.UpperFirst(text.Count(int64(conflicts), "thing")) + " was changed on both sides: decide which holds."
}

// Rehearsing is where it is told what it would do as it is decided.
func (v updateView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "update-rehearsal", URL: v.Action() + "/rehearsal", Form: "update-form", On: "change"}
}

// Rows are the things that differ, conflicts first.
func (v updateView) Rows() (out []updateRow) {
	for _, first := range []bool{true, false} {
		for _, t := range v.Things {
			if t.Conflicts() == first {
				out = append(out, updateRow{t, v.Sides[t.ID()], v.Errors[t.ID()]})
			}
		}
	}
	return out
}

// updateRow is one thing that differs.
type updateRow struct {
	kit.MergeThing
	Side    string
	Problem string
}

// Where says what it is.
func (v updateRow) Where() string {
	if v.Section == "" {
		return "kit"
	}
	return strings.TrimSuffix(v.Section, "s")
}

// line is one of a form; Other is true where the other side has it not.
type line struct {
	Text  string
	Other bool
}

// side is one of the two forms of a thing.
type side struct {
	Name, Says string // ours or theirs, and what choosing it is
	Chosen     bool
	Lines      []line
}

// Sides are the form here and that of the release.
func (v updateRow) Sides() []side {
	return []side{
		{kit.Ours, "keep this", v.Side == kit.Ours, lines(v.Ours, v.Theirs)},
		{kit.Theirs, "take this", v.Side == kit.Theirs, lines(v.Theirs, v.Ours)},
	}
}

func lines(form, other string) (out []line) {
	if form == "" {
		return []line{{"there is none", true}}
	}
	there := strings.Split(other, "\n")
	for _, text := range strings.Split(strings.TrimRight(form, "\n"), "\n") {
		out = append(out, line{text, !slices.Contains(there, text)})
	}
	return out
}

func (s Screen) update(w http.ResponseWriter, r *http.Request) error {
	v, err := s.updating(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: "Update of " + v.Kit, Area: area, Body: v})
}

func (s Screen) updating(r *http.Request) (v updateView, err error) {
	v = updateView{Show: "update", May: may(r), Sides: map[string]string{}}
	name := chi.URLParam(r, "name")
	if v.Update, err = s.Kits.Update(r.Context(), middleware.Who(r.Context()), name); err != nil {
		return v, err
	}
	k, err := s.Kits.Kit(name)
	if err != nil {
		return v, err
	}
	v.Kit = k.Title
	return v, nil
}

// sides are what was decided in the form.
func sides(r *http.Request) map[string]string {
	out := map[string]string{}
	for name, values := range r.PostForm {
		if id, ok := strings.CutPrefix(name, "side:"); ok && len(values) > 0 {
			out[id] = values[0]
		}
	}
	return out
}

func (s Screen) rehearseUpdate(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return err
	}
	var v rehearsalView
	c, err := s.Kits.RehearseUpdate(r.Context(), middleware.Who(r.Context()), chi.URLParam(r, "name"), sides(r))
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	v.KitChange = c
	if n := len(errs); n > 0 {
		v.Wrong = []string{text.UpperFirst(text.Count(int64(n), "thing")) + " must be decided before it can be told what it would do."}
		if problem := errs["document"]; problem != "" {
			v.Wrong = strings.Split(problem, "\n")
		}
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "kit-rehearsal", v)
}

func (s Screen) takeUpdate(w http.ResponseWriter, r *http.Request) error {
	if err := r.ParseForm(); err != nil {
		return err
	}
	base, _ := strconv.Atoi(r.PostFormValue("base")) // 0 is no revision
	name, decided := chi.URLParam(r, "name"), sides(r)
	_, err := s.Kits.TakeUpdate(r.Context(), middleware.Who(r.Context()), name, decided, base)
	if err == nil {
		w.Header().Set("HX-Redirect", SavePath+"/"+name)
		return nil
	}
	v, failed := s.updating(r)
	if failed != nil {
		return failed
	}
	v.Sides, v.Errors = decided, domain.FieldErrors{}
	if v.Notice, err = ui.Refused(err, &v.Errors); err != nil {
		return err
	}
	if problem := v.Errors["document"]; problem != "" {
		v.Notice = problem
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "kits", "kit-update", v)
}

// withdraw takes a kit away that nothing needs.
func (s Screen) withdraw(w http.ResponseWriter, r *http.Request) error {
	name := chi.URLParam(r, "name")
	base, _ := strconv.Atoi(r.PostFormValue("base"))
	err := s.Kits.Withdraw(r.Context(), middleware.Who(r.Context()), name, base)
	if err == nil {
		http.Redirect(w, r, listPath, http.StatusSeeOther)
		return nil
	}
	errs := domain.FieldErrors{}
	notice, err := ui.Refused(err, &errs)
	if err != nil {
		return err
	}
	v, err := s.kitView(r)
	if err != nil {
		return err
	}
	if v.Notice = notice; errs["kit"] != "" {
		v.Notice = errs["kit"]
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: v.Title, Area: area, Body: v})
}

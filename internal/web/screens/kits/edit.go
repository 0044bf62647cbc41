package kits

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// editView is the form in which a kit file is written.
type editView struct {
	Show     string
	Name     string // of the kit; empty for a new one
	Kit      string // its title
	Document string
	Base     int // the revision that it is made of; 0 for a new one
	Back     int // the older revision that is looked at; 0 for none
	May      bool
	Notice   string
	Errors   domain.FieldErrors
}

// Title says what the page does.
func (v editView) Title() string {
	if v.Name == "" {
		return "New kit"
	}
	return "Change " + v.Kit
}

// Crumbs is the way to the page.
func (v editView) Crumbs() []ui.Crumb {
	out := []ui.Crumb{{Title: "Collect", URL: listPath}}
	if v.Name != "" {
		out = append(out, ui.Crumb{Title: v.Kit, URL: SavePath + "/" + v.Name})
	}
	return append(out, ui.Crumb{Title: v.Title()})
}

// Leave is where one goes without saving.
func (v editView) Leave() string {
	if v.Name == "" {
		return listPath
	}
	return SavePath + "/" + v.Name
}

// DocumentField is where the kit file is typed.
func (v editView) DocumentField() ui.FieldView {
	f := ui.TypedLines("kit-", "document", "Kit file (YAML)", v.Document, 34, "", v.Errors["document"])
	f.Mono = true
	return f
}

// Rehearsing is where it is told what the version would do.
func (v editView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "kit-rehearsal", URL: RehearsalPath, Form: "kit-form", On: "input delay:400ms"}
}

// template is what a new kit begins with.
const template = `kit: my-kit
title: My kit
version: 1
about: What it reads, and by which standard.
needs: ["answers:snmp"]
sources:
  - key: whole
    way: snmp
    every: 60s
    ask: {form: get}
    columns:
      - {as: uptime, of: 1.3.6.1.2.1.1.3.0}
readings:
  - key: uptime
    name: Uptime of the agent
    unit: s
    source: whole
    value: [uptime]
    scale: 0.01
`

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	v := editView{Show: "edit", Document: template, May: may(r)}
	return s.Render.Page(w, r, "kits", render.Frame{Title: v.Title(), Area: area, Body: v})
}

func may(r *http.Request) bool {
	return middleware.Who(r.Context()).May(area, domain.AccessConfigure, domain.At(0))
}

// version is that of a path and query: the newest where no revision is named.
func (s Screen) version(r *http.Request) (domain.KitVersion, error) {
	_, versions, err := s.named(r)
	if err != nil {
		return domain.KitVersion{}, err
	}
	revision := versions[0].Revision
	if asked, err := strconv.Atoi(r.URL.Query().Get("revision")); err == nil {
		revision = asked
	}
	return s.Kits.Version(r.Context(), middleware.Who(r.Context()), versions[0].Kit, revision)
}

func (s Screen) edit(w http.ResponseWriter, r *http.Request) error {
	k, versions, err := s.named(r)
	if err != nil {
		return err
	}
	x, err := s.version(r)
	if err != nil {
		return err
	}
	v := editView{Show: "edit", Name: k.Name, Kit: k.Title, Document: x.Document, Base: versions[0].Revision, May: may(r)}
	if x.Revision != v.Base {
		v.Back = x.Revision
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: v.Title(), Area: area, Body: v})
}

type typed struct {
	Document string `form:"document"`
	Name     string `form:"name"`
	Kit      string `form:"kit"`
	Base     int    `form:"base"`
}

// document is the kit file as it was typed: browsers send lines with two characters at their ends.
func (t typed) document() string { return strings.ReplaceAll(t.Document, "\r\n", "\n") }

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	saved, err := s.Kits.Bring(r.Context(), middleware.Who(r.Context()), in.document(), in.Base)
	if err == nil {
		w.Header().Set("HX-Redirect", SavePath+"/"+saved.Kit)
		return nil
	}
	v := editView{Show: "edit", Name: in.Name, Kit: in.Kit, Document: in.document(), Base: in.Base, May: true}
	if errors.Is(err, domain.ErrChanged) {
		v.Notice = "Somebody else has changed the kit meanwhile: what is told beside is against theirs. What you typed is kept; " +
			"save again to let it hold."
		if versions, err := s.Kits.Versions(r.Context(), middleware.Who(r.Context()), in.Name); err == nil {
			v.Base = versions[0].Revision
		}
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "kits", "kit-form", v)
	}
	if v.Notice, err = ui.Refused(err, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "kits", "kit-form", v)
}

// rehearsalView is what a version would do.
type rehearsalView struct {
	collect.KitChange
	Wrong []string
	Typed string // the name of the kit that the form is of
}

// Said is the answer as a sentence.
func (v rehearsalView) Said() string { return text.UpperFirst(v.Why.Answer) + "." }

// Renamed warns that another kit would be made.
func (v rehearsalView) Renamed() string {
	if v.Typed == "" || v.Typed == v.Name {
		return ""
	}
	return "The file names the kit " + v.Name + ": " + v.Typed + " stays as it is."
}

// LostSaid says what is not collected any more; empty for nothing.
func (v rehearsalView) LostSaid() string {
	switch v.Lost {
	case 0:
		return ""
	case 1:
		return "1 series is not collected any more; its past stays, and goes on when the reading comes back."
	}
	return text.Thousands(int64(v.Lost)) + " series are not collected any more; their past stays, and goes on when the readings come back."
}

// Sign is a short mark of a difference.
func (v rehearsalView) Sign(d kit.Difference) string {
	return map[string]string{kit.Added: "+", kit.Gone: "−", kit.Changed: "±"}[d.How]
}

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	v := rehearsalView{Typed: in.Name}
	var err error
	errs := domain.FieldErrors{}
	v.KitChange, err = s.Kits.RehearseKit(r.Context(), middleware.Who(r.Context()), in.document())
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	if problem := errs["document"]; problem != "" {
		v.Wrong = strings.Split(problem, "\n")
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "kit-rehearsal", v)
}

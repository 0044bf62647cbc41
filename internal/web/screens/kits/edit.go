package kits

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/web/gather"
	"tirelessowl/internal/web/middleware"
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
	Taken    *takenView // what was just taken out
	Errors   domain.FieldErrors
	// Place is the thing that is open; asFile where the file is typed as a whole, and Sheet is nil then.
	Place string
	Sheet *sheetView
	typed map[string]string // into the open thing, where it could not be taken
	// Devices and Sources are what it may be tried on, and of it.
	Devices, Sources []ui.Option
	// Device and Source are those that were chosen for that.
	Device, Source string
}

// Title says what the page does.
func (v editView) Title() string {
	if v.Name == "" {
		return "New kit"
	}
	if !v.May {
		return "What is in “" + v.Kit + "”"
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

// equip adds what a kit may be tried on.
func (s Screen) equip(r *http.Request, v *editView) (err error) {
	v.Sources = sourcesIn(v.Document, s.book())
	v.Devices, err = s.offered(r, v.Name)
	return err
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
	s.open(r, &v)
	if err := s.equip(r, &v); err != nil {
		return err
	}
	return s.Render.Page(w, r, "kits", v.frame())
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
	if err := s.gathered(r, &v); err != nil {
		return err
	}
	s.open(r, &v)
	if err := s.equip(r, &v); err != nil {
		return err
	}
	return s.Render.Page(w, r, "kits", v.frame())
}

// gathered shows the version that is among changes that are gathered, where these are asked for.
func (s Screen) gathered(r *http.Request, v *editView) error {
	id, err := strconv.ParseInt(r.URL.Query().Get("set"), 10, 64)
	if err != nil {
		return nil // the one in force
	}
	c, err := s.Changes.One(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	for _, e := range c.Edits {
		if e.Kit != nil && e.Kit.Kit == v.Name {
			v.Document, v.Base, v.Back = e.Kit.Document, e.Kit.Base, 0
			v.Notice = "This is the version that is gathered in “" + c.Name + "”. Add it to the changes again to keep it there."
		}
	}
	return nil
}

type typed struct {
	Document string `form:"document"`
	Name     string `form:"name"`
	Kit      string `form:"kit"`
	Base     int    `form:"base"`
	// Place is the thing that is open, Act what was pressed.
	Place string `form:"place"`
	Act   string `form:"act"`
	// Device and Source are what it is tried on, and of it.
	Device string `form:"device"`
	Source string `form:"source"`
}

func (s Screen) save(w http.ResponseWriter, r *http.Request) error {
	in, errs, err := s.typedIn(r)
	if err != nil {
		return err
	}
	v := editView{Show: "edit", Name: in.Name, Kit: in.Kit, Document: in.Document, Base: in.Base, May: true, Place: in.Place,
		Device: in.Device, Source: in.Source}
	if len(errs) > 0 {
		v.typed = fieldsTyped(r.PostForm)
	} else {
		if err = s.keep(w, r, in); err == nil {
			return nil
		}
		if v, err = s.refused(r, v, err); err != nil {
			return err
		}
	}
	if in.Place != asFile {
		s.sheetOf(&v, draft.PlaceOf(in.Place), errs)
		if len(errs)+len(v.Errors) > 0 {
			v.Notice = "It is not saved: what is wrong is told beside it."
		}
	}
	return s.again(w, r, v, http.StatusUnprocessableEntity)
}

// refused is the form with why it was not taken. An error that is no reason of that is told by others.
func (s Screen) refused(r *http.Request, v editView, err error) (editView, error) {
	if !errors.Is(err, domain.ErrChanged) {
		v.Notice, err = ui.Refused(err, &v.Errors)
		return v, err
	}
	v.Notice = "Somebody else has changed the kit meanwhile: what is told beside is against theirs. What you typed is kept; " +
		"save again to let it hold."
	versions, err := s.Kits.Versions(r.Context(), middleware.Who(r.Context()), v.Name)
	if err == nil {
		v.Base = versions[0].Revision
	}
	return v, nil
}

// keep brings in what is typed, or gathers it with other changes.
func (s Screen) keep(w http.ResponseWriter, r *http.Request, in typed) error {
	if gather.Asked(r) {
		k, err := s.Kits.Parsed(r.Context(), in.Document)
		if err != nil {
			return err
		}
		return gather.Put(w, r, s.Changes, domain.Edit{Kit: &domain.KitEdit{Kit: k.Name, Document: in.Document, Base: in.Base}})
	}
	saved, err := s.Kits.Bring(r.Context(), middleware.Who(r.Context()), in.Document, in.Base)
	if err == nil {
		w.Header().Set("HX-Redirect", SavePath+"/"+saved.Kit)
	}
	return err
}

// rehearsalView is what a version would do.
type rehearsalView struct {
	collect.KitChange
	Wrong []string
	Typed string // the name of the kit that the form is of
	// Alerts are what would be raised and ended now, Judged that in words; empty where it cannot be told.
	Alerts []ui.AlertThen
	Judged string
	// Fits are kits that devices would gain and lose with it, in words.
	Fits []why.Fact
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

// mostTold is how many differences and cautions are listed.
const mostTold = 60

// Told are the differences that are listed.
func (v rehearsalView) Told() []kit.Difference {
	return v.Differences[:min(len(v.Differences), mostTold)]
}

// Warned are the cautions that are listed.
func (v rehearsalView) Warned() []kit.Caution { return v.Cautions[:min(len(v.Cautions), mostTold)] }

// MoreTold says how many are not listed; empty for none.
func (v rehearsalView) MoreTold() string {
	more := len(v.Cautions) - len(v.Warned())
	if !v.New { // of a new kit, nothing is told one by one
		more += len(v.Differences) - len(v.Told())
	}
	if more == 0 {
		return ""
	}
	return "And " + text.Thousands(int64(more)) + " more."
}

// Sign is a short mark of a difference.
func (v rehearsalView) Sign(d kit.Difference) string {
	return map[string]string{kit.Added: "+", kit.Gone: "−", kit.Changed: "±"}[d.How]
}

// judged tells which alerts a version would raise and end now, and which kits it would bring along.
func (s Screen) judged(r *http.Request, in typed, v *rehearsalView) error {
	edit := domain.Edit{Kit: &domain.KitEdit{Kit: v.Name, Document: in.Document}}
	p, err := s.Changes.RehearseEdits(r.Context(), middleware.Who(r.Context()), []domain.Edit{edit})
	if err != nil || p.Wrong > 0 {
		return err
	}
	v.Alerts, v.Judged = gather.Alerts(p), p.Judge.Answer
	for _, d := range p.Devices {
		if len(d.Gains)+len(d.Loses) > 0 {
			v.Fits = p.Why.Facts
		}
	}
	return nil
}

// wrong tells what is wrong with fields of the open thing, each with what it is called.
func (s Screen) wrong(in typed, errs domain.FieldErrors) (out []string) {
	d, err := s.book().Read(in.Document)
	if err != nil {
		return []string{err.Error()}
	}
	for _, e := range d.Entries(draft.PlaceOf(in.Place)) {
		if problem := errs[e.Name]; problem != "" {
			called := e.Label
			if e.As != nil && e.As.Group != "" {
				called = e.As.Group + ", " + e.Label
			}
			out = append(out, text.UpperFirst(called)+": "+problem)
		}
	}
	return out
}

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	in, wrong, err := s.typedIn(r)
	if err != nil {
		return err
	}
	v := rehearsalView{Typed: in.Name}
	if len(wrong) > 0 {
		v.Wrong = s.wrong(in, wrong)
		return s.Render.Fragment(w, http.StatusOK, "kits", "kit-rehearsal", v)
	}
	errs := domain.FieldErrors{}
	v.KitChange, err = s.Kits.RehearseKit(r.Context(), middleware.Who(r.Context()), in.Document)
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	if problem := errs["document"]; problem != "" {
		v.Wrong = strings.Split(problem, "\n")
	} else if !v.New && may(r) && len(v.Differences) > 0 {
		if err := s.judged(r, in, &v); err != nil {
			return err
		}
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "kit-rehearsal", v)
}

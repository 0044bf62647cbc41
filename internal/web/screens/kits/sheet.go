package kits

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// asFile is where the whole file is typed instead of one of its things.
const asFile = "file"

// sheetView is one thing of a kit file with its fields, beside the outline of all of them.
type sheetView struct {
	draft.Place
	May     bool
	draft   *draft.Draft
	entries []draft.Entry
	// folders are those that other kits are kept in.
	folders []string
	// typed is what was typed into fields and could not be taken, errs what is wrong with it.
	typed map[string]string
	errs  domain.FieldErrors
}

// sorts are what the lists of a kit file are called: all of them together, one, and a further one.
var sorts = map[string]struct{ All, One, Add string }{
	"parameters": {"Filled in at fitting", "parameter", "a parameter"},
	"sources":    {"Asked of the device", "source", "a source"},
	"parts":      {"Rows become parts", "rows", "rows that become parts"},
	"readings":   {"Of no source", "reading", "a reading"},
	"rules":      {"Judged", "rule", "a rule"},
	"charts":     {"Drawn", "chart", "a chart"},
	"kits":       {"Kits inside", "kit inside", "a kit inside"},
}

// Said is what the thing is.
func (v sheetView) Said() string {
	if v.Section == "" {
		return "the kit itself"
	}
	return sorts[v.Section].One
}

// Heading is what the thing is called.
func (v sheetView) Heading() string {
	if v.Section == "" {
		return "About the kit"
	}
	for _, g := range v.Groups() {
		for _, l := range g.Lines {
			if l.Place == v.Place {
				return l.Listed.Title
			}
		}
	}
	return text.UpperFirst(sorts[v.Section].One)
}

// Moves tells whether the thing can be moved and taken out.
func (v sheetView) Moves() bool { return v.Section != "" }

// Parked tells whether the thing is kept and not collected.
func (v sheetView) Parked() bool {
	return slices.ContainsFunc(v.entries, func(e draft.Entry) bool { return e.Name == "parked" && e.Value == "true" })
}

// sheetAct is something that can be done to the draft, by a button.
type sheetAct struct {
	ID, Act, Title string
	Framed         bool // as a button with a frame, and not as a word
	// Document is the file that it is done to, in the place of the one in the form; empty for that.
	Document string
}

// Look is the class of the button.
func (a sheetAct) Look() string {
	if a.Framed {
		return "btn"
	}
	return "linkbtn small"
}

// Values are what the button sends besides the form.
func (a sheetAct) Values() string {
	values := map[string]string{"act": a.Act}
	if a.Document != "" {
		values["document"] = a.Document
	}
	out, _ := json.Marshal(values) // texts can always be written
	return string(out)
}

func act(what, title string) sheetAct {
	return sheetAct{ID: "act-" + strings.ReplaceAll(what, " ", "-"), Act: what, Title: title}
}

// takenView is a thing that was just taken out of the draft.
type takenView struct {
	Title string
	Back  sheetAct // puts it back
}

// taken can be put back as long as nothing else is done.
func taken(title string, in typed) *takenView {
	back := framed(act("back "+in.Place, "Put it back"))
	back.Document = in.Document
	return &takenView{title, back}
}

// Acts are what can be done to the thing.
func (v sheetView) Acts() []sheetAct {
	return []sheetAct{act("up", "Up"), act("down", "Down"), act("remove", "Take out")}
}

// sheetLine is a thing in the outline.
type sheetLine struct {
	draft.Listed
	sheetAct
	Below, Now bool
}

// Class is how the line is shown.
func (l sheetLine) Class() string {
	out := ""
	if l.Below {
		out = "fed"
	}
	if l.Now {
		out += " now"
	}
	if l.Parked || l.With != "" {
		out += " parked"
	}
	return strings.TrimSpace(out)
}

// Words are a few words about the thing.
func (l sheetLine) Words() string {
	switch {
	case l.Parked:
		return "parked"
	case l.With != "":
		return "parked, too"
	}
	return l.Note
}

// sheetGroup is the things of one kind in the outline.
type sheetGroup struct {
	Title string
	Lines []sheetLine
	Adds  []sheetAct
}

// Head is the kit itself in the outline.
func (v sheetView) Head() sheetLine {
	return sheetLine{Listed: draft.Listed{Title: "About the kit"}, sheetAct: act("open", ""), Now: v.Section == ""}
}

// Groups are the outline.
func (v sheetView) Groups() (out []sheetGroup) {
	line := func(l draft.Listed, below bool) sheetLine {
		return sheetLine{l, act("open "+l.Place.String(), ""), below, l.Place == v.Place}
	}
	for _, o := range v.draft.Outline() {
		g := sheetGroup{Title: sorts[o.Section].All}
		for _, l := range o.Things {
			g.Lines = append(g.Lines, line(l, false))
			for _, fed := range l.Fed {
				g.Lines = append(g.Lines, line(fed, true))
			}
		}
		if o.Section != "readings" {
			g.Adds = append(g.Adds, act("add "+o.Section, "Add "+sorts[o.Section].Add))
		}
		out = append(out, g)
	}
	return out
}

// parkable are the lists whose things may be parked.
var parkable = []string{"sources", "parts", "readings", "rules"}

// Parking parks the thing, or takes it up again; nil where it cannot be parked.
func (v sheetView) Parking() *sheetAct {
	if !slices.Contains(parkable, v.Section) {
		return nil
	}
	out := act("park true", "Park")
	if v.Parked() {
		out = act("park", "Take up")
	}
	return &out
}

// Further is what adds a reading to the source, or a rule on the reading; nil where nothing can be.
func (v sheetView) Further() *sheetAct {
	further := map[string]sheetAct{"sources": act("add readings", "Add a reading of it"), "readings": act("add rules", "Add a rule on it")}
	if a, ok := further[v.Section]; ok {
		a.ID = "further" // the outline may have the same act
		return &a
	}
	return nil
}

// fieldsTyped are the fields of the open thing.
func fieldsTyped(form url.Values) map[string]string {
	out := map[string]string{}
	for name, typed := range form {
		if at, ok := strings.CutPrefix(name, prefix); ok && len(typed) > 0 {
			out[at] = typed[0]
		}
	}
	return out
}

// book is what kit files may use here.
func (s Screen) book() draft.Book { return draft.NewBook(s.Kits.Ways, s.Kits.Rules) }

// typedIn reads the form: the file, with what was typed into the open thing. What cannot be taken is told by its
// field, and the file is then as it was.
func (s Screen) typedIn(r *http.Request) (in typed, errs domain.FieldErrors, err error) {
	if _, err = ui.Form(r, &in); err != nil {
		return in, nil, err
	}
	in.Document = strings.ReplaceAll(in.Document, "\r\n", "\n")
	fields := fieldsTyped(r.PostForm)
	if in.Place == asFile || len(fields) == 0 || strings.HasPrefix(in.Act, "back ") {
		return in, nil, nil
	}
	d, err := s.book().Read(in.Document)
	if err != nil {
		return in, nil, nil // it is told where the file is read
	}
	if errs, err = d.Set(draft.PlaceOf(in.Place), fields); err == nil {
		in.Document = d.Text()
	}
	return in, errs, err
}

// sheetOf shows a thing of the file of a form. A file that cannot be read so is shown as it stands.
func (s Screen) sheetOf(v *editView, place draft.Place, errs domain.FieldErrors) {
	d, err := s.book().Read(v.Document)
	if err != nil {
		v.Sheet, v.Place = nil, asFile
		return
	}
	if !d.Has(place) {
		place = draft.Place{}
	}
	v.Sheet = &sheetView{Place: place, May: v.May, draft: d, entries: d.Entries(place), typed: v.typed, errs: errs}
	for _, f := range kit.Folders(s.Kits.Catalogue().Kits()) {
		v.Sheet.folders = append(v.Sheet.folders, f.Path)
	}
	v.Place = place.String()
}

// open is the thing that a query names, such as readings/charge.
func (s Screen) open(r *http.Request, v *editView) {
	named := r.URL.Query().Get("open")
	if named == asFile {
		v.Place = asFile
		return
	}
	section, name, _ := strings.Cut(named, "/")
	place := draft.Place{}
	if d, err := s.book().Read(v.Document); err == nil {
		if found, ok := d.Find(section, name); ok {
			place = found
		}
	}
	s.sheetOf(v, place, nil)
}

// sheet does something to the draft, and shows it again.
func (s Screen) sheet(w http.ResponseWriter, r *http.Request) error {
	in, errs, err := s.typedIn(r)
	if err != nil {
		return err
	}
	v := editView{Show: "edit", Name: in.Name, Kit: in.Kit, Document: in.Document, Base: in.Base, May: may(r), Place: in.Place,
		Device: in.Device, Source: in.Source}
	if len(errs) > 0 { // first things first
		v.typed = fieldsTyped(r.PostForm)
		s.sheetOf(&v, draft.PlaceOf(in.Place), errs)
		return s.again(w, r, v, http.StatusUnprocessableEntity)
	}
	if err := s.done(r, &v, in); err != nil {
		return err
	}
	return s.again(w, r, v, http.StatusOK)
}

func (s Screen) again(w http.ResponseWriter, r *http.Request, v editView, status int) error {
	if err := s.equip(r, &v); err != nil {
		return err
	}
	return s.Render.Fragment(w, status, "kits", "kit-form", v)
}

// done does what was pressed: open, add, bring in, move, park or take out a thing, or type the file.
func (s Screen) done(r *http.Request, v *editView, in typed) error {
	what, with, _ := strings.Cut(in.Act, " ")
	if what == asFile {
		v.Place = asFile
		return nil
	}
	d, err := s.book().Read(in.Document)
	if err != nil {
		v.Place = asFile
		v.Errors = domain.FieldErrors{"document": err.Error()}
		return nil
	}
	place := draft.PlaceOf(in.Place)
	switch what {
	case "open", "back":
		place = draft.PlaceOf(with)
	case "add":
		place, err = d.Add(with, d.Name(place))
	case "take":
		place, err = s.take(r, d, with)
	case "remove":
		title := d.Name(place)
		if err = d.Remove(place); err == nil {
			v.Taken, place = taken(title, in), draft.Place{}
		}
	case "up", "down":
		place, err = d.Move(place, what == "up")
	case "park":
		_, err = d.Set(place, map[string]string{"parked": with})
	}
	if err != nil {
		return err
	}
	v.Document = d.Text()
	s.sheetOf(v, place, nil)
	return nil
}

// frame is the page of a form.
func (v editView) frame() render.Frame { return render.Frame{Title: v.Title(), Area: area, Body: v} }

// AsFile and AsForm show the draft in the other way.
func (v editView) AsFile() sheetAct { return framed(act(asFile, "As a file")) }

// AsForm shows it thing by thing.
func (v editView) AsForm() sheetAct { return framed(act("open", "By its things")) }

func framed(a sheetAct) sheetAct {
	a.Framed = true
	return a
}

// CanTry tells whether there is something to try the draft on.
func (v editView) CanTry() bool { return len(v.Devices) > 0 }

// sourcesIn are the sources of a draft to be tried alone.
func sourcesIn(document string, book draft.Book) []ui.Option {
	out := []ui.Option{{Title: "all sources"}}
	d, err := book.Read(document)
	if err != nil {
		return out
	}
	for _, name := range d.Names("sources") {
		out = append(out, ui.Option{Value: name, Title: name})
	}
	return out
}

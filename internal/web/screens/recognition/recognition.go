// Package recognition is the page of the rules by which devices are recognised.
package recognition

import (
	"embed"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"strings"

	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the page.
type Screen struct {
	Render      *render.Renderer
	Recognition *recognition.Service
}

const (
	area = domain.AreaFind
	path = "/find/recognition"
	// LoadPath takes larger requests than others: the registry.
	LoadPath = path + "/registry"
	// MaxBytes is how much may be sent there, in bytes.
	MaxBytes = recognise.MostRegistry + 1<<20
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"recognition": files},
		Menu:      []render.Entry{{Title: "Recognition", Path: path, Area: area}},
		Routes: []screen.Route{
			screen.Get(path, area, s.page),
			screen.Post(path, area, configure, s.write),
			screen.Post(path+"/rehearsal", area, domain.AccessSee, s.rehearse),
			screen.Post(LoadPath, area, configure, s.load),
			screen.Post(LoadPath+"/drop", area, configure, s.drop),
		},
	}
}

type pageView struct {
	recognition.Written
	Typed  string
	Mark   string // of what was typed over
	May    bool
	Errors domain.FieldErrors
	Notice string
	Saved  bool
	Loaded string
}

// Rules is the field of them.
func (v pageView) Rules() ui.FieldView {
	f := ui.TypedLines("recognition-", "rules", "Rules of your own", v.Typed, 14,
		"YAML. They go before those that ship: the first that holds and says a vendor, a model or a kind decides that.", v.Errors["rules"])
	f.Mono = true
	return f
}

// Rehearsing is where it is told what would change.
func (pageView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "recognised", URL: path + "/rehearsal", Form: "recognition", On: "input delay:400ms"}
}

// Asked are what a condition may ask for.
func (pageView) Asked() string {
	var names []string
	for _, c := range recognise.Asked {
		names = append(names, c.Name)
	}
	return strings.Join(names, ", ")
}

// Registry says how many makers are loaded.
func (v pageView) Registry() string {
	if v.Registered == 0 {
		return "None is loaded: a maker that no rule names is shown by its number."
	}
	return text.Count(v.Registered, "maker is", "makers are") + " known by the numbers in their object ids."
}

func (s Screen) view(r *http.Request) (v pageView, err error) {
	who := middleware.Who(r.Context())
	v.Written, err = s.Recognition.Written(r.Context(), who)
	v.Typed, v.Mark = v.Text, v.Written.Mark
	v.May = who.May(area, domain.AccessConfigure, domain.At(0))
	return v, err
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "recognition", render.Frame{Title: "Recognition", Area: area, Tab: path, Body: v})
}

func (s Screen) write(w http.ResponseWriter, r *http.Request) error {
	typed := strings.ReplaceAll(r.PostFormValue("rules"), "\r\n", "\n")
	wrong := s.Recognition.Write(r.Context(), middleware.Who(r.Context()), typed, r.PostFormValue("mark"))
	v, err := s.view(r)
	if err != nil {
		return err
	}
	if wrong == nil {
		v.Saved = true
		return s.Render.Fragment(w, http.StatusOK, "recognition", "recognition-form", v)
	}
	v.Typed = typed
	if v.Notice, err = ui.Refused(wrong, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "recognition", "recognition-form", v)
}

// rehearsedView is what the rules that are typed would change.
type rehearsedView struct {
	recognition.Rehearsal
	Problem string
}

// Sum says how much it would change.
func (v rehearsedView) Sum() string {
	changed := len(v.Changes) + v.More
	if v.Answers == 0 {
		return "No sweep has heard anything yet."
	}
	of := "Of " + text.Count(int64(v.Answers), "address", "addresses") + " that answered the last sweeps "
	if changed == 0 {
		return of + "all would be recognised as they are."
	}
	return of + text.Thousands(int64(changed)) + " would be recognised otherwise."
}

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	typed := strings.ReplaceAll(r.PostFormValue("rules"), "\r\n", "\n")
	var v rehearsedView
	var errs domain.FieldErrors
	var err error
	v.Rehearsal, err = s.Recognition.Rehearse(r.Context(), middleware.Who(r.Context()), typed)
	if errors.As(err, &errs) {
		v.Problem = errs["rules"]
	} else if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "recognition", "recognised", v)
}

func (s Screen) load(w http.ResponseWriter, r *http.Request) error {
	loaded, errs := "", domain.FieldErrors{}
	file, _, err := r.FormFile("file")
	if err != nil {
		errs["file"] = "Choose the registry's text file."
	} else {
		defer file.Close()
		var n int
		if n, err = s.Recognition.LoadRegistry(r.Context(), middleware.Who(r.Context()), io.Reader(file)); err == nil {
			loaded = text.Count(int64(n), "maker") + " loaded."
		} else if !errors.As(err, &errs) {
			return err
		}
	}
	v, err := s.view(r)
	if err != nil {
		return err
	}
	v.Loaded, v.Errors = loaded, errs
	code := http.StatusOK
	if len(errs) > 0 {
		code = http.StatusUnprocessableEntity
	}
	return s.Render.Fragment(w, code, "recognition", "registry", v)
}

func (s Screen) drop(w http.ResponseWriter, r *http.Request) error {
	if err := s.Recognition.DropRegistry(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	http.Redirect(w, r, path, http.StatusSeeOther)
	return nil
}

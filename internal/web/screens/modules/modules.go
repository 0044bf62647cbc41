// Package modules is the page of the MIB modules that are loaded.
package modules

import (
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"mime/multipart"
	"net/http"
	"path"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/modules"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the page.
type Screen struct {
	Render  *render.Renderer
	Modules *modules.Service
}

const (
	area     = domain.AreaCollect
	listPath = "/collect/modules"
	// LoadPath takes larger requests than others: files.
	LoadPath = "/collect/modules/load"
	// MaxBytes is how much may be sent there, in bytes.
	MaxBytes = modules.MostBytes + 1<<20
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"modules": files},
		Menu:      []render.Entry{{Title: "MIB modules", Path: listPath, Area: area}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get("/collect/modules/state", area, s.state),
			screen.Post(LoadPath, area, configure, s.load),
			screen.Post("/collect/modules/stop", area, configure, s.stop),
			screen.Post("/collect/modules/remove", area, configure, s.remove),
		},
	}
}

type listView struct {
	Any  bool
	May  bool
	Load loadView
	Bar  ui.FilterBar
	ui.Filled[rowView]
}

type rowView struct{ modules.Module }

// Lacks says which modules are missing; empty for none.
func (v rowView) Lacks() string { return text.List(v.Missing, "and") }

// Wrong says how many things are wrong in it; empty for none.
func (v rowView) Wrong() string {
	if len(v.Problems) == 0 {
		return ""
	}
	return text.Count(int64(len(v.Problems)), "problem")
}

// Loaded is how long ago it was loaded.
func (v rowView) Loaded() string { return ui.Ago(v.LoadedAt) + " ago" }

// loadView is the form for files, with how far the loading is.
type loadView struct {
	modules.State
	May    bool
	Errors domain.FieldErrors
}

// Percent is how much of it is done.
func (v loadView) Percent() int {
	if v.All == 0 {
		return 0
	}
	return 100 * v.Done / v.All
}

// Said says how far it is, or how it ended.
func (v loadView) Said() string {
	switch {
	case v.Running && v.Stop:
		return "Stopping …"
	case v.Running:
		return fmt.Sprintf("%d of %s read …", v.Done, text.Count(int64(v.All), "file"))
	case v.Failed != "":
		return v.Failed
	case v.Ever && len(v.Problems) == 0:
		return text.Count(int64(v.All), "file") + " read, nothing is wrong."
	case v.Ever:
		return fmt.Sprintf("%s read; what is wrong:", text.Count(int64(v.All), "file"))
	}
	return ""
}

const pageSize = 100

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.Modules.All(r.Context(), who)
	if err != nil {
		return err
	}
	v := listView{
		Any: len(all) > 0,
		May: who.May(area, domain.AccessConfigure, domain.At(0)),
		Bar: ui.FilterBar{Path: listPath, Target: "modules-table", Search: q.Get("q"), Placeholder: "Name or file",
			Label: "Filter modules"},
	}
	if v.Load.State, err = s.Modules.State(r.Context(), who); err != nil {
		return err
	}
	v.Load.May = v.May
	rows := make([]rowView, len(all))
	for i, m := range all {
		rows[i] = rowView{m}
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, func(v rowView) string { return v.Name + " " + v.File }, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "modules", "modules-table", v)
	}
	return s.Render.Page(w, r, "modules", render.Frame{Title: "MIB modules", Area: area, Tab: listPath, Body: v})
}

var columns = ui.Columns[rowView]{
	"":        ui.ByText(func(v rowView) string { return v.Name }),
	"file":    ui.ByText(func(v rowView) string { return v.File }),
	"objects": ui.ByNumber(func(v rowView) int { return -v.Objects }),
	"loaded":  ui.Latest(func(v rowView) time.Time { return v.LoadedAt }),
}

func (s Screen) state(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	v := loadView{May: who.May(area, domain.AccessConfigure, domain.At(0))}
	var err error
	if v.State, err = s.Modules.State(r.Context(), who); err != nil {
		return err
	}
	if !v.Running {
		w.Header().Set("HX-Trigger", "owl:modules")
	}
	return s.Render.Fragment(w, http.StatusOK, "modules", "modules-load", v)
}

func (s Screen) load(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	v := loadView{May: true}
	sent, err := sentFiles(r)
	if err != nil {
		return err
	}
	err = s.Modules.Begin(r.Context(), who, sent)
	if err != nil && !errors.As(err, &v.Errors) {
		return err
	}
	if v.State, err = s.Modules.State(r.Context(), who); err != nil {
		return err
	}
	code := http.StatusOK
	if len(v.Errors) > 0 {
		code = http.StatusUnprocessableEntity
	}
	return s.Render.Fragment(w, code, "modules", "modules-load", v)
}

// sentFiles are the files of a form, as many as there may be.
func sentFiles(r *http.Request) (out []modules.File, err error) {
	if r.MultipartForm == nil {
		return nil, nil
	}
	for _, h := range r.MultipartForm.File["files"] {
		if len(out) > modules.MostFiles {
			break
		}
		data, err := contents(h)
		if err != nil {
			return nil, err
		}
		if len(data) > 0 {
			out = append(out, modules.File{Name: path.Base(h.Filename), Data: data})
		}
	}
	return out, nil
}

func contents(h *multipart.FileHeader) ([]byte, error) {
	f, err := h.Open()
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

func (s Screen) stop(w http.ResponseWriter, r *http.Request) error {
	if err := s.Modules.Stop(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	return s.state(w, r)
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	if err := s.Modules.Remove(r.Context(), middleware.Who(r.Context()), r.PostFormValue("name")); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}

// Package kits is the pages of kits: what they read, their versions, and the form that changes one.
package kits

import (
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the pages.
type Screen struct {
	Render *render.Renderer
	Kits   *collect.Service
	// Fitting knows where kits are fitted.
	Fitting *fitting.Service
	// Browse tries kits on devices.
	Browse *browse.Service
	// Changes gathers versions with other changes.
	Changes *changes.Service
}

const (
	area     = domain.AreaCollect
	listPath = "/collect"
	// schemaPath is the JSON Schema of kit files.
	schemaPath = "/collect/kit-schema.json"
	// SavePath, RehearsalPath, TrialPath and SheetPath take larger requests than others: kit files.
	SavePath      = "/collect/kits"
	RehearsalPath = "/collect/kits/rehearsal"
	TrialPath     = "/collect/kits/trial"
	SheetPath     = "/collect/kits/sheet"
	FindsPath     = "/collect/kits/finds"
	// MaxBytes is how much may be sent there, in bytes: a form writes a character in up to three,
	// and what is typed into one thing stands beside the file.
	MaxBytes = 4 * collect.MaxKit
	pageSize = 100
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const see, configure = domain.AccessSee, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"kits": files},
		Menu:      []render.Entry{{Title: "Kits", Path: listPath, Area: area}},
		Found:     []render.Entry{{Title: "New kit", Path: SavePath + "/new", Area: area, Needs: configure}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get(schemaPath, area, s.schema),
			screen.Get(TakingUpPath, area, s.takingUp),
			screen.Get(SavePath+"/new", area, s.blank),
			screen.Get(SavePath+"/{name}", area, s.one),
			screen.Get(SavePath+"/{name}/edit", area, s.edit),
			screen.Get(SavePath+"/{name}/file", area, s.file),
			screen.Get(SavePath+"/{name}/devices", area, s.seats),
			screen.Post(SavePath+"/{name}/devices", area, configure, s.say),
			screen.Post(SavePath+"/{name}/devices/rehearsal", area, configure, s.rehearseSaying),
			screen.Get(SavePath+"/{name}/update", area, s.update),
			screen.Post(SavePath+"/{name}/update", area, configure, s.takeUpdate),
			screen.Post(SavePath+"/{name}/update/rehearsal", area, see, s.rehearseUpdate),
			screen.Post(SavePath+"/{name}/withdraw", area, configure, s.withdraw),
			screen.Post(SavePath, area, configure, s.save),
			screen.Post(RehearsalPath, area, see, s.rehearse),
			screen.Post(SheetPath, area, see, s.sheet),
			screen.Post(FindsPath, area, see, s.finds),
			screen.Post(TrialPath, area, domain.AccessOperate, s.try),
		},
	}
}

type listView struct {
	Show string
	May  bool
	Bar  ui.FilterBar
	ui.Filled[rowView]
}

// folderRows are kits of one folder.
type folderRows struct {
	Folder string // with › between the names
	Rows   []rowView
}

// Folders are the kits as they are kept; those of a list in another order all come together.
func (v listView) Folders() (out []folderRows) {
	for i, row := range v.Rows {
		folder := ""
		if v.Sort == "" {
			folder = strings.ReplaceAll(row.Folder, "/", " › ")
		}
		if i == 0 || out[len(out)-1].Folder != folder {
			out = append(out, folderRows{Folder: folder})
		}
		f := &out[len(out)-1]
		f.Rows = append(f.Rows, row)
	}
	return out
}

// folderOptions are folders to choose from, those that lie in another below it.
func folderOptions(kits []*kit.Kit) (out []ui.Option) {
	for _, f := range kit.Folders(kits) {
		indent := strings.Repeat("\u2003", f.Depth)
		out = append(out, ui.Option{Value: f.Path, Title: fmt.Sprintf("%s%s (%d)", indent, f.Name(), f.Kits)})
	}
	return out
}

// rowView is a kit in the list.
type rowView struct {
	*kit.Kit
	Fitted int
	One    kit.Cost // on a device with ten rows of each kind
	Waits  bool     // an update of the release waits for a decision
}

// URL is the page of the kit.
func (v rowView) URL() string { return SavePath + "/" + v.Name }

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	count, err := s.Kits.Fitted(r.Context(), who)
	if err != nil {
		return err
	}
	kits, err := s.Kits.Known(r.Context(), who)
	if err != nil {
		return err
	}
	v := listView{
		Show: "list",
		May:  who.May(area, domain.AccessConfigure, domain.At(0)),
		Bar: ui.FilterBar{Path: listPath, Target: "kit-table", Search: q.Get("q"), Sort: q.Get("sort"),
			Placeholder: "Kit or reading", Label: "Filter kits",
			Choices: []ui.FilterChoice{
				{Name: "folder", Label: "Folder", Any: "any folder", Value: q.Get("folder"), Options: folderOptions(kits)},
			}},
	}
	waiting, err := s.Kits.Waiting(r.Context(), who)
	if err != nil {
		return err
	}
	perSample := s.Kits.BytesPerSample(r.Context())
	var rows []rowView
	for _, k := range kits {
		if k.In(q.Get("folder")) {
			one := k.Estimate(func(kit.Parts) int { return 10 }, perSample)
			rows = append(rows, rowView{k, count[k.Name], one, slices.Contains(waiting, k.Name)})
		}
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "kits", "kit-table", v)
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: "Collect", Area: area, Tab: listPath, Body: v})
}

// says is what is searched in: what the kit and its readings are called.
func (v rowView) says() string {
	text := v.Title + " " + v.Name + " " + v.About + " " + v.Folder
	for _, r := range v.Readings {
		text += " " + r.Name
	}
	return text
}

var columns = ui.Columns[rowView]{
	"":         ui.ByText(func(v rowView) string { return v.Folder + "\x00" + v.Title }),
	"title":    ui.ByText(func(v rowView) string { return v.Title }),
	"devices":  ui.ByNumber(func(v rowView) int { return v.Fitted }),
	"readings": ui.ByNumber(func(v rowView) int { return len(v.Readings) }),
	"requests": ui.ByNumber(func(v rowView) float64 { return v.One.RequestsPerMinute }),
	"storage":  ui.ByNumber(func(v rowView) float64 { return v.One.BytesPerMonth }),
}

func (s Screen) schema(w http.ResponseWriter, r *http.Request) error {
	text, err := s.Kits.Schema(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/schema+json")
	_, err = w.Write(text)
	return err
}

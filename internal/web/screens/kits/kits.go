// Package kits is the pages of kits: what they read, their versions, and the form that changes one.
package kits

import (
	"embed"
	"io/fs"
	"net/http"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
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
}

const (
	area     = domain.AreaCollect
	listPath = "/collect"
	// SavePath and RehearsalPath take larger requests than others: kit files.
	SavePath      = "/collect/kits"
	RehearsalPath = "/collect/kits/rehearsal"
	// MaxBytes is how much may be sent there, in bytes: a form writes a character in up to three.
	MaxBytes = 3*collect.MaxKit + 4<<10
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
			screen.Get(SavePath+"/new", area, s.blank),
			screen.Get(SavePath+"/{name}", area, s.one),
			screen.Get(SavePath+"/{name}/edit", area, s.edit),
			screen.Get(SavePath+"/{name}/file", area, s.file),
			screen.Post(SavePath, area, configure, s.save),
			screen.Post(RehearsalPath, area, see, s.rehearse),
		},
	}
}

type listView struct {
	Show string
	May  bool
	Bar  ui.FilterBar
	ui.Filled[rowView]
}

// rowView is a kit in the list.
type rowView struct {
	*kit.Kit
	Fitted int
	One    kit.Cost // on a device with ten rows of each kind
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
			Placeholder: "Kit or reading", Label: "Filter kits"},
	}
	perSample := s.Kits.BytesPerSample(r.Context())
	rows := make([]rowView, len(kits))
	for i, k := range kits {
		rows[i] = rowView{k, count[k.Name], k.Estimate(func(kit.Parts) int { return 10 }, perSample)}
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "kits", "kit-table", v)
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: "Collect", Area: area, Tab: listPath, Body: v})
}

// says is what is searched in: what the kit and its readings are called.
func (v rowView) says() string {
	text := v.Title + " " + v.Name + " " + v.About
	for _, r := range v.Readings {
		text += " " + r.Name
	}
	return text
}

var columns = ui.Columns[rowView]{
	"":         ui.ByText(func(v rowView) string { return v.Title }),
	"devices":  ui.ByNumber(func(v rowView) int { return v.Fitted }),
	"readings": ui.ByNumber(func(v rowView) int { return len(v.Readings) }),
	"requests": ui.ByNumber(func(v rowView) float64 { return v.One.RequestsPerMinute }),
	"storage":  ui.ByNumber(func(v rowView) float64 { return v.One.BytesPerMonth }),
}

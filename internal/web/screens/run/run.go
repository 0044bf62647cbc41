// Package run is the application itself: its figures, channels, and the drill.
package run

import (
	"embed"
	"io/fs"
	"net/http"
	"strconv"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is running the application.
type Screen struct {
	Render *render.Renderer
	Run    *run.Service
	Kits   *collect.Service
	// Respond knows the channels.
	Respond *respond.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, operate, configure = domain.AreaRun, domain.AccessOperate, domain.AccessConfigure
	out := screen.Screen{
		Templates: map[string]fs.FS{"run": files},
		Menu: []render.Entry{
			{Title: "This application", Path: figuresPath, Area: area, Whole: true},
			{Title: "Storage", Path: storagePath, Area: area, Whole: true},
			{Title: "Channels", Path: channelsPath, Area: area, Whole: true},
		},
		Routes: []screen.Route{
			screen.Get(figuresPath, area, s.figures),
			screen.Get(storagePath, area, s.storage),
			screen.Get("/run/storage/keep", area, s.showKeep),
			screen.Get(channelsPath, area, s.channels),
			screen.Post("/run/storage/keep", area, configure, s.saveKeep),
			screen.Post("/run/channels/new", area, configure, s.addChannel),
			screen.Post("/run/channels/{id}", area, configure, s.saveChannel),
			screen.Post("/run/channels/{id}/test", area, configure, s.testChannel),
			screen.Get(drillPath, area, s.drill),
			screen.Post(drillPath, area, operate, s.breakThing),
			screen.Post("/run/drill/{id}/mend", area, operate, s.mend),
		},
	}
	if s.Run.Simulates() {
		out.Menu = append(out.Menu, render.Entry{Title: "Drill", Path: drillPath, Area: area, Whole: true})
	}
	return out
}

const (
	figuresPath  = "/run"
	storagePath  = "/run/storage"
	channelsPath = "/run/channels"
	drillPath    = "/run/drill"
)

// may is what may be done with the application itself.
func may(r *http.Request) domain.Access {
	return middleware.Who(r.Context()).Level(domain.AreaRun, domain.At(0))
}

type figuresView struct {
	Show string
	run.Figures
}

func deviceURL(id domain.ID) string { return "/devices/" + strconv.FormatInt(id, 10) }

func (s Screen) figures(w http.ResponseWriter, r *http.Request) error {
	figures, err := s.Run.Figures(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	v := figuresView{"figures", figures}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Run", Area: domain.AreaRun, Tab: figuresPath, Body: v})
}

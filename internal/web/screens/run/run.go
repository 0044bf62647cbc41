// Package run is the application itself: its figures, channels, and the drill.
package run

import (
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
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

type drillView struct {
	Show string
	run.Simulated
	Places  []string
	Volumes []volumeView
	Problem string
	Drill   bool
	May     domain.Access
}

type volumeView struct{ Device, Volume string }

// DeviceOptions are the devices that can be stopped.
func (v drillView) DeviceOptions() (out []ui.Option) {
	for _, d := range v.Devices {
		out = append(out, ui.Option{Value: d.Name, Title: d.Name})
	}
	return out
}

// PlaceOptions are the places that can be cut off.
func (v drillView) PlaceOptions() []ui.Option { return ui.Options(v.Places) }

// VolumeOptions are the volumes that can be filled.
func (v drillView) VolumeOptions() (out []ui.Option) {
	for _, x := range v.Volumes {
		out = append(out, ui.Option{Value: x.Device + " " + x.Volume, Title: x.Volume + " of " + x.Device})
	}
	return out
}

// ServedOptions are the ways in which what devices serve can fail.
func (v drillView) ServedOptions() (out []ui.Option) {
	for _, s := range v.Services {
		for _, m := range s.Modes {
			out = append(out, ui.Option{Value: s.Name + between + m.Name, Title: s.Title + ": " + m.Title})
		}
	}
	return out
}

// between parts the names of a service and of its mode in a choice.
const between = " / "

// brokenView is something that is broken, with what is the matter in words.
type brokenView struct {
	domain.Fault
	Says string
}

// Broken are the things that are broken.
func (v drillView) Broken() (out []brokenView) {
	for _, f := range v.Faults {
		out = append(out, brokenView{f, v.says(f)})
	}
	return out
}

func (v drillView) says(f domain.Fault) string {
	switch f.Kind {
	case "stop":
		return f.Target + " is stopped"
	case "cut":
		return f.Target + " is cut off"
	case "fill":
		return f.Volume + " of " + f.Target + " fills"
	}
	for _, o := range append(v.ServedOptions(), v.ServiceOptions()...) {
		if o.Value == f.Target+between+f.Mode || o.Value == f.Kind {
			return o.Title
		}
	}
	return f.Kind
}

// ServiceOptions are how services can be spoilt.
func (drillView) ServiceOptions() []ui.Option {
	return []ui.Option{
		{Value: "desk-refuses", Title: "the desk answers 500"},
		{Value: "desk-hangs", Title: "the desk hangs"},
		{Value: "desk-nonsense", Title: "the desk answers nonsense"},
		{Value: "desk-lies", Title: "the desk does it and says that it failed"},
		{Value: "mail-refuses", Title: "the mail server refuses"},
		{Value: "mail-thinks", Title: "the mail server thinks for 25 s"},
		{Value: "mail-hangs-up", Title: "the mail server takes it and hangs up"},
	}
}

func (s Screen) drill(w http.ResponseWriter, r *http.Request) error {
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Drill", Area: domain.AreaRun, Tab: drillPath, Body: v})
}

func (s Screen) drillView(r *http.Request) (v drillView, err error) {
	v = drillView{Show: "drill", Drill: s.Run.Simulates(), May: may(r)}
	if !v.Drill {
		return v, nil
	}
	if v.Simulated, err = s.Run.Simulated(r.Context(), middleware.Who(r.Context())); err != nil {
		if errors.Is(err, domain.ErrForbidden) {
			return v, err
		}
		v.Problem = err.Error()
		return v, nil
	}
	for _, d := range v.Devices {
		if !slices.Contains(v.Places, d.Place) {
			v.Places = append(v.Places, d.Place)
		}
		for _, x := range d.Volumes {
			if x != "/" {
				v.Volumes = append(v.Volumes, volumeView{d.Name, x})
			}
		}
	}
	return v, nil
}

func (s Screen) breakThing(w http.ResponseWriter, r *http.Request) error {
	f := domain.Fault{Kind: r.PostFormValue("kind"), Target: r.PostFormValue("target")}
	switch f.Kind {
	case "fill":
		f.Target, f.Volume, _ = strings.Cut(f.Target, " ")
	case "service":
		f.Target, f.Mode, _ = strings.Cut(f.Target, between)
	}
	failed := s.Run.Break(r.Context(), middleware.Who(r.Context()), f)
	return s.again(w, r, failed)
}

func (s Screen) mend(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	failed := s.Run.Mend(r.Context(), middleware.Who(r.Context()), int(id))
	return s.again(w, r, failed)
}

func (s Screen) again(w http.ResponseWriter, r *http.Request, failed error) error {
	if errors.Is(failed, domain.ErrForbidden) || errors.Is(failed, domain.ErrNotFound) {
		return failed
	}
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	if failed != nil {
		v.Problem = failed.Error()
	}
	return s.Render.Fragment(w, http.StatusOK, "run", "drill", v)
}

// Package run is the application itself: its figures, channels, credentials,
// and the drill.
package run

import (
	"context"
	"embed"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screens/device"
)

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS

// Drill breaks and mends things in a simulated estate.
type Drill interface {
	Devices(ctx context.Context) ([]demo.Device, error)
	Faults(ctx context.Context) ([]demo.Fault, error)
	Break(ctx context.Context, f demo.Fault) (demo.Fault, error)
	Mend(ctx context.Context, id int) (demo.Fault, error)
	Sites() (desk, mail string)
}

// Screen is running the application.
type Screen struct {
	Render *render.Renderer
	Store  *store.Store
	Engine *engine.Collector
	Kits   *collect.Service
	// Keep is for how many days samples are kept where nothing else is set.
	Keep  store.KeepDays
	Watch *watch.Service
	Drill Drill // nil without a simulated estate
	// Respond knows the channels.
	Respond *respond.Service
}

// Routes mounts the screen.
func (s Screen) Routes(r chi.Router) {
	r.Get("/run", s.Render.Handle(s.figures))
	r.Get("/run/storage", s.Render.Handle(s.storage))
	r.Get("/run/storage/keep", s.Render.Handle(s.showKeep))
	r.Get("/run/channels", s.Render.Handle(s.channels))
	r.Get("/run/drill", s.Render.Handle(s.drill))
	r.Group(func(r chi.Router) {
		r.Use(middleware.Needs(domain.AccessConfigure))
		r.Post("/run/storage/keep", s.Render.Handle(s.saveKeep))
		r.Post("/run/channels/new", s.Render.Handle(s.addChannel))
		r.Post("/run/channels/{id}", s.Render.Handle(s.saveChannel))
		r.Post("/run/channels/{id}/test", s.Render.Handle(s.testChannel))
	})
	r.Group(func(r chi.Router) {
		r.Use(middleware.Needs(domain.AccessOperate))
		r.Post("/run/drill", s.Render.Handle(s.breakThing))
		r.Post("/run/drill/{id}/mend", s.Render.Handle(s.mend))
	})
}

type figuresView struct {
	Show    string
	Stats   engine.CollectorStats
	Samples samples.Stats
	Process engine.Footprint
	Trouble *engine.Trouble // nil when all is well
	Jump    *engine.Jump    // of the clock, the newest; nil for none
	Drill   bool
}

func deviceURL(id domain.ID) string { return "/devices/" + strconv.FormatInt(id, 10) }

func (s Screen) figures(w http.ResponseWriter, r *http.Request) error {
	v := figuresView{Show: "figures", Stats: s.Engine.Stats(), Samples: s.Store.Samples.Stats(), Process: s.Engine.Footprint(), Drill: s.Drill != nil}
	if t, bad := s.Engine.Trouble(); bad {
		v.Trouble = &t
	}
	set, err := s.Store.Settings.Get(r.Context(), engine.SettingJump)
	if err != nil {
		return err
	}
	if jump, ok := engine.Jumped(set); ok {
		v.Jump = &jump
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Run", Area: "run", Body: v})
}

type drillView struct {
	Show       string
	Devices    []demo.Device
	Places     []string
	Volumes    []volumeView
	Faults     []demo.Fault
	Desk, Mail string
	Problem    string
	Drill      bool
	May        domain.Access
}

type volumeView struct{ Device, Volume string }

func (s Screen) drill(w http.ResponseWriter, r *http.Request) error {
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Drill", Area: "run", Body: v})
}

func (s Screen) drillView(r *http.Request) (drillView, error) {
	v := drillView{Show: "drill", Drill: s.Drill != nil, May: middleware.Who(r.Context()).Level}
	if s.Drill == nil {
		return v, nil
	}
	var err error
	if v.Devices, err = s.Drill.Devices(r.Context()); err != nil {
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
	v.Desk, v.Mail = s.Drill.Sites()
	v.Faults, err = s.Drill.Faults(r.Context())
	return v, err
}

func (s Screen) breakThing(w http.ResponseWriter, r *http.Request) error {
	if s.Drill == nil {
		return domain.ErrNotFound
	}
	f := demo.Fault{Kind: r.PostFormValue("kind"), Target: r.PostFormValue("target")}
	if f.Kind == "fill" {
		f.Target, f.Volume, _ = strings.Cut(f.Target, " ")
	}
	_, failed := s.Drill.Break(r.Context(), f)
	return s.again(w, r, failed)
}

func (s Screen) mend(w http.ResponseWriter, r *http.Request) error {
	if s.Drill == nil {
		return domain.ErrNotFound
	}
	id, err := device.ID(r)
	if err != nil {
		return err
	}
	_, failed := s.Drill.Mend(r.Context(), int(id))
	return s.again(w, r, failed)
}

func (s Screen) again(w http.ResponseWriter, r *http.Request, failed error) error {
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	if failed != nil {
		v.Problem = failed.Error()
	}
	return s.Render.Fragment(w, http.StatusOK, "run", "drill", v)
}

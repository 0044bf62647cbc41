// Package run is the application itself: its figures, channels, credentials,
// and the drill.
package run

import (
	"cmp"
	"context"
	"embed"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/collect"
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
	Test  func(ctx context.Context, id domain.ID, to string) (string, error)
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
	Drill   bool
}

func deviceURL(id domain.ID) string { return "/devices/" + strconv.FormatInt(id, 10) }

func (s Screen) figures(w http.ResponseWriter, r *http.Request) error {
	v := figuresView{"figures", s.Engine.Stats(), s.Store.Samples.Stats(), s.Drill != nil}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Run", Area: "run", Body: v})
}

type channelsView struct {
	Show        string
	Channels    []channelView
	Credentials []domain.Credential
	May         domain.Access
	Drill       bool
}

type channelView struct {
	domain.Channel
	Errors  domain.FieldErrors
	Notice  string
	Problem string
	May     domain.Access
}

func (s Screen) channels(w http.ResponseWriter, r *http.Request) error {
	channels, err := s.Store.Channels.All(r.Context())
	if err != nil {
		return err
	}
	v := channelsView{Show: "channels", May: middleware.Who(r.Context()).Level, Drill: s.Drill != nil}
	for _, c := range channels {
		v.Channels = append(v.Channels, channelView{Channel: c, May: v.May})
	}
	if v.Credentials, err = s.Store.Credentials.All(r.Context()); err != nil {
		return err
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Channels", Area: "run", Body: v})
}

// fields of each kind of channel.
var fields = map[domain.ChannelKind][]string{domain.ChannelMail: {"host", "port", "from", "user"}, domain.ChannelDesk: {"url"}}

func (s Screen) channel(r *http.Request) (channelView, error) {
	id, err := device.ID(r)
	if err != nil {
		return channelView{}, err
	}
	c, _, err := s.Store.Channels.One(r.Context(), id)
	return channelView{Channel: c, Errors: domain.FieldErrors{}, May: middleware.Who(r.Context()).Level}, err
}

// addChannel makes a channel that is to be filled in.
func (s Screen) addChannel(w http.ResponseWriter, r *http.Request) error {
	kind := domain.ChannelKind(r.PostFormValue("kind"))
	names := map[domain.ChannelKind]string{domain.ChannelMail: "Mail", domain.ChannelDesk: "Ticket desk"}
	have, err := s.Store.Channels.All(r.Context())
	if err != nil || names[kind] == "" {
		return cmp.Or(err, error(domain.ErrNotFound))
	}
	c := domain.Channel{Kind: kind, Name: names[kind], Settings: map[string]string{}}
	for n := 2; slices.ContainsFunc(have, func(x domain.Channel) bool { return x.Name == c.Name }); n++ {
		c.Name = fmt.Sprintf("%s %d", names[kind], n)
	}
	if kind == domain.ChannelMail {
		c.Settings["port"] = "25"
	}
	if _, err := s.Store.Channels.Save(r.Context(), c, ""); err != nil {
		return err
	}
	http.Redirect(w, r, "/run/channels", http.StatusSeeOther)
	return nil
}

func (s Screen) saveChannel(w http.ResponseWriter, r *http.Request) error {
	v, err := s.channel(r)
	if err != nil {
		return err
	}
	for _, f := range fields[v.Kind] {
		v.Settings[f] = strings.TrimSpace(r.PostFormValue(f))
	}
	v.check()
	if len(v.Errors) > 0 {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "run", "channel", v)
	}
	if _, err := s.Store.Channels.Save(r.Context(), v.Channel, domain.Secret(r.PostFormValue("secret"))); err != nil {
		return err
	}
	v.Notice, v.HasKey = "Saved.", v.HasKey || r.PostFormValue("secret") != ""
	return s.Render.Fragment(w, http.StatusOK, "run", "channel", v)
}

func (v *channelView) check() {
	if v.Kind == domain.ChannelDesk {
		if !strings.HasPrefix(v.Settings["url"], "http://") && !strings.HasPrefix(v.Settings["url"], "https://") {
			v.Errors["url"] = "Must begin with http:// or https://."
		}
		return
	}
	if v.Settings["host"] == "" {
		v.Errors["host"] = "Name the mail server."
	}
	if n, err := strconv.Atoi(v.Settings["port"]); err != nil || n < 1 || n > 65535 {
		v.Errors["port"] = "Must be a number from 1 to 65535."
	}
	if !strings.Contains(v.Settings["from"], "@") {
		v.Errors["from"] = "Must be an address such as owl@kittiwake.example."
	}
}

func (s Screen) testChannel(w http.ResponseWriter, r *http.Request) error {
	v, err := s.channel(r)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(r.Context(), 20*time.Second)
	defer cancel()
	outcome, err := s.Test(ctx, v.ID, r.PostFormValue("to"))
	if err != nil {
		v.Problem = err.Error()
	} else {
		v.Notice = "It works: " + outcome + "."
	}
	return s.Render.Fragment(w, http.StatusOK, "run", "channel", v)
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

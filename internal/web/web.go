// Package web serves the screens.
package web

import (
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/access"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	collectscreen "tirelessowl/internal/web/screens/collect"
	devicescreen "tirelessowl/internal/web/screens/device"
	"tirelessowl/internal/web/screens/estate"
	findscreen "tirelessowl/internal/web/screens/find"
	"tirelessowl/internal/web/screens/incident"
	judgescreen "tirelessowl/internal/web/screens/judge"
	"tirelessowl/internal/web/screens/problem"
	"tirelessowl/internal/web/screens/run"
	"tirelessowl/internal/web/screens/session"
	whyscreen "tirelessowl/internal/web/screens/why"
)

// Drill breaks and mends things in a simulated estate.
type Drill = run.Drill

// Wiring are what the screens need.
type Wiring struct {
	Store    *store.Store
	Access   *access.Service
	Kits     *collect.Service
	Find     *find.Service
	Judge    *judge.Service
	Respond  *respond.Service
	Transfer *transfer.Service
	// Keep is for how many days samples are kept where nothing else is set.
	Keep    store.KeepDays
	Watch   *watch.Service
	Devices *devices.Service
	Engine  *engine.Collector
	Hub     *engine.Hub
	Drill   Drill // nil without a simulated estate
	Log     *slog.Logger
	// Port is what a new sweep asks by default.
	Port   int
	Secure bool // served over TLS
	// API is mounted below /api.
	API http.Handler
}

// New builds the handler of all screens.
func New(p Wiring) (http.Handler, error) {
	sessions := scs.New()
	sessions.Store = p.Store.Sessions
	sessions.Lifetime = middleware.SessionTime
	sessions.Cookie.Name, sessions.Cookie.HttpOnly, sessions.Cookie.SameSite, sessions.Cookie.Secure = "owl", true, http.SameSiteLaxMode, p.Secure
	strip := newStrip(p.Watch, p.Engine)
	r, err := render.New(func(req *http.Request, f *render.Frame) error {
		u := middleware.Who(req.Context())
		f.User, f.Live = &u, true
		var err error
		f.Estate, err = strip.view(req)
		return err
	}, p.Log)
	if err != nil {
		return nil, err
	}
	for name, files := range map[string]fs.FS{"problem": problem.Files, "session": session.Files, "estate": estate.Files, "device": devicescreen.Files, "series": sub(devicescreen.SeriesFiles, "series"),
		"removed": sub(devicescreen.RemovedFiles, "removed"),
		"find":    findscreen.Files, "collect": collectscreen.Files, "judge": judgescreen.Files, "incident": incident.Files, "why": whyscreen.Files, "run": run.Files, "away": sub(problem.AwayFiles, "away")} {
		if err := r.Screen(name, files); err != nil {
			return nil, err
		}
	}
	r.Away = func(w http.ResponseWriter, req *http.Request, err error) bool {
		return away(p, r, w, req, err)
	}
	return routes(p, r, sessions, strip), nil
}

func sub(files fs.FS, dir string) fs.FS {
	out, err := fs.Sub(files, dir)
	if err != nil {
		panic(fmt.Sprintf("embedded folder %s: %v", dir, err)) // cannot be: it is compiled in
	}
	return out
}

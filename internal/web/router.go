package web

import (
	"net/http"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	chimiddleware "github.com/go-chi/chi/v5/middleware"

	"tirelessowl/internal/api"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	collectscreen "tirelessowl/internal/web/screens/collect"
	devicescreen "tirelessowl/internal/web/screens/device"
	"tirelessowl/internal/web/screens/estate"
	findscreen "tirelessowl/internal/web/screens/find"
	"tirelessowl/internal/web/screens/incident"
	judgescreen "tirelessowl/internal/web/screens/judge"
	"tirelessowl/internal/web/screens/run"
	"tirelessowl/internal/web/screens/session"
	whyscreen "tirelessowl/internal/web/screens/why"
	"tirelessowl/internal/web/ui"
)

// routes mounts everything that is served.
func routes(p Wiring, r *render.Renderer, sessions *scs.SessionManager, strip *strip) http.Handler {
	root := chi.NewRouter()
	root.Use(chimiddleware.Recoverer, middleware.Headers, middleware.Limits(map[string]int64{api.ImportPath: api.MaxImport}))
	root.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("ok\n")) })
	root.Get("/readyz", ready(p))
	root.Handle("/static/*", http.StripPrefix("/static/", cached(http.FileServerFS(ui.Static()))))
	root.Group(func(g chi.Router) {
		g.Use(present(p, r))
		g.Get("/present", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
		if p.API != nil {
			g.Mount("/api", p.API)
		}
		screens(g, p, r, sessions, strip)
	})
	return root
}

// screens mounts every screen for those who are signed in.
func screens(root chi.Router, p Wiring, r *render.Renderer, sessions *scs.SessionManager, strip *strip) {
	failed := func(w http.ResponseWriter, req *http.Request, err error) {
		r.Handle(func(http.ResponseWriter, *http.Request) error { return err })(w, req)
	}
	sessions.ErrorFunc = failed
	root.Group(func(g chi.Router) {
		g.Use(http.NewCrossOriginProtection().Handler) // refuses writes from other origins
		g.Get("/events", events(p, sessions))
		g.Group(func(g chi.Router) {
			g.Use(sessions.LoadAndSave)
			session.Screen{Render: r, Access: p.Access, Sessions: sessions}.Routes(g)
			g.Group(func(g chi.Router) {
				g.Use(middleware.SignedIn(sessions, p.Access, failed))
				estate.Screen{Render: r, Watch: p.Watch, Store: p.Store, Strip: strip.view}.Routes(g)
				devicescreen.Screen{Render: r, Watch: p.Watch, Store: p.Store, Engine: p.Engine, Kits: p.Kits, Transfer: p.Transfer, Devices: p.Devices}.Routes(g)
				findscreen.Screen{Render: r, Find: p.Find, Store: p.Store, Port: p.Port}.Routes(g)
				collectscreen.Screen{Render: r, Kits: p.Kits, Store: p.Store}.Routes(g)
				judgescreen.Screen{Render: r, Judge: p.Judge, Store: p.Store}.Routes(g)
				incident.Screen{Render: r, Respond: p.Respond, Store: p.Store}.Routes(g)
				whyscreen.Screen{Render: r, Watch: p.Watch, Store: p.Store, Respond: p.Respond, Engine: p.Engine}.Routes(g)
				run.Screen{Render: r, Store: p.Store, Engine: p.Engine, Kits: p.Kits, Watch: p.Watch, Keep: p.Keep, Drill: p.Drill, Respond: p.Respond}.Routes(g)
				g.Get("/*", r.Handle(notFound))
			})
		})
	})
}

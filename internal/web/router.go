package web

import (
	"net/http"

	"github.com/alexedwards/scs/v2"
	"github.com/go-chi/chi/v5"
	chimiddleware "github.com/go-chi/chi/v5/middleware"

	"tirelessowl/internal/api"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/screens/attributes"
	"tirelessowl/internal/web/screens/audit"
	"tirelessowl/internal/web/screens/browse"
	"tirelessowl/internal/web/screens/calendars"
	"tirelessowl/internal/web/screens/changes"
	"tirelessowl/internal/web/screens/collect"
	"tirelessowl/internal/web/screens/collected"
	"tirelessowl/internal/web/screens/credentials"
	"tirelessowl/internal/web/screens/device"
	"tirelessowl/internal/web/screens/estate"
	"tirelessowl/internal/web/screens/find"
	"tirelessowl/internal/web/screens/fitting"
	"tirelessowl/internal/web/screens/gallery"
	"tirelessowl/internal/web/screens/incident"
	"tirelessowl/internal/web/screens/judge"
	"tirelessowl/internal/web/screens/kits"
	"tirelessowl/internal/web/screens/modules"
	"tirelessowl/internal/web/screens/people"
	"tirelessowl/internal/web/screens/places"
	"tirelessowl/internal/web/screens/problem"
	"tirelessowl/internal/web/screens/query"
	"tirelessowl/internal/web/screens/recognition"
	"tirelessowl/internal/web/screens/run"
	"tirelessowl/internal/web/screens/search"
	"tirelessowl/internal/web/screens/session"
	"tirelessowl/internal/web/screens/settings"
	"tirelessowl/internal/web/screens/why"
	"tirelessowl/internal/web/ui"
)

// every is all screens: those for everybody, and those for people who are signed in.
type every struct{ outside, inside []screen.Screen }

// screens lists all screens: one line each, in the order of the menus.
func screens(p Wiring, r *render.Renderer, sessions *scs.SessionManager, strip *strip) (all every) {
	all.outside = []screen.Screen{
		problem.Screen,
		session.Screen{Render: r, People: p.People, Sessions: sessions, URL: p.URL}.Manifest(),
	}
	all.inside = []screen.Screen{
		estate.Screen{Render: r, Watch: p.Watch, Respond: p.Respond, Places: p.Places, Strip: strip.view}.Manifest(),
		device.Screen{Render: r, Watch: p.Watch, Kits: p.Kits, Transfer: p.Transfer, Devices: p.Devices, Places: p.Places}.Manifest(),
		collected.Screen{
			Render:     r,
			Fitting:    p.Fitting,
			Settings:   p.Settings,
			Devices:    p.Devices,
			Attributes: p.Attributes,
			Places:     p.Places,
			Watch:      p.Watch,
		}.Manifest(),
		query.Screen{Render: r, Query: p.Query}.Manifest(),
		browse.Screen{Render: r, Browse: p.Browse, Kits: p.Kits, Devices: p.Devices}.Manifest(),
		find.Screen{
			Render:      r,
			Find:        p.Find,
			Places:      p.Places,
			Addition:    p.Addition,
			Credentials: p.Credentials,
			Port:        p.Port,
		}.Manifest(),
		recognition.Screen{Render: r, Recognition: p.Recognition}.Manifest(),
		kits.Screen{Render: r, Kits: p.Kits, Fitting: p.Fitting, Browse: p.Browse, Changes: p.Changes}.Manifest(),
		fitting.Screen{Render: r, Fitting: p.Fitting, Changes: p.Changes}.Manifest(),
		changes.Screen{Render: r, Changes: p.Changes}.Manifest(),
		collect.Screen{Render: r, Kits: p.Kits, Watch: p.Watch, Places: p.Places}.Manifest(),
		credentials.Screen{Render: r, Credentials: p.Credentials, Places: p.Places}.Manifest(),
		modules.Screen{Render: r, Modules: p.Modules}.Manifest(),
		judge.Screen{Render: r, Judge: p.Judge, Watch: p.Watch, Changes: p.Changes}.Manifest(),
		incident.Screen{Render: r, Respond: p.Respond, Watch: p.Watch}.Manifest(),
		why.Screen{Render: r, Watch: p.Watch, Respond: p.Respond, People: p.People, Find: p.Find}.Manifest(),
		run.Screen{Render: r, Run: p.Run, Kits: p.Kits, Respond: p.Respond}.Manifest(),
		places.Screen{Render: r, Places: p.Places}.Manifest(),
		calendars.Screen{Render: r, Calendars: p.Calendars}.Manifest(),
		settings.Screen{Render: r, Settings: p.Settings, Changes: p.Changes}.Manifest(),
		attributes.Screen{Render: r, Attributes: p.Attributes, Places: p.Places}.Manifest(),
		people.Screen{
			Render:   r,
			People:   p.People,
			Places:   p.Places,
			Sessions: sessions,
			Keep:     middleware.Keeper(sessions),
			URL:      p.URL,
		}.Manifest(),
		gallery.Screen{Render: r}.Manifest(),
		audit.Screen{Render: r, Audit: p.Audit, Places: p.Places}.Manifest(),
	}
	all.inside = append(all.inside, search.Screen{Render: r, Watch: p.Watch, Screens: all.inside}.Manifest())
	return all
}

// bounds are the paths that take larger requests than others, and those of strangers, who
// have little to say.
var bounds = map[string]int64{
	api.ImportPath:        api.MaxImport,
	attributes.ImportPath: 3 * attributes.MaxTable,
	modules.LoadPath:      modules.MaxBytes,
	recognition.LoadPath:  recognition.MaxBytes,
	api.EnterprisesPath:   api.MaxEnterprises,
	find.TablePath:        find.MaxTable,
	kits.SavePath:         kits.MaxBytes,
	kits.RehearsalPath:    kits.MaxBytes,
	kits.TrialPath:        kits.MaxBytes,
	kits.SheetPath:        kits.MaxBytes,
	"/signin":             fromStrangers,
	"/signin/second":      fromStrangers,
	"/signin/passkey":     fromStrangers,
}

// fromStrangers is how much a request may bring from who is not signed in, in bytes.
const fromStrangers = 16 << 10

// documents are the paths that scripts send documents to, and no forms.
var documents = []string{
	"/me/passkeys",
	"/me/passkeys/begin",
	"/me/trust/passkey",
	"/me/trust/passkey/begin",
	"/signin/passkey",
	"/signin/passkey/begin",
}

// routes mounts everything that is served.
func routes(p Wiring, r *render.Renderer, sessions *scs.SessionManager, all every) http.Handler {
	root := chi.NewRouter()
	root.Use(
		middleware.Behind(p.Proxies),
		middleware.Hosts(p.URL),
		chimiddleware.Recoverer,
		middleware.Pace(bounds),
		middleware.Headers(p.Secure),
		middleware.Limits(bounds),
	)
	root.Get("/healthz", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("ok\n")) })
	root.Get("/readyz", ready(p))
	root.Handle("/static/*", http.StripPrefix("/static/", cached(files(ui.Static()))))
	root.Group(func(g chi.Router) {
		g.Use(present(p, r))
		g.Get("/present", func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusNoContent) })
		if p.API != nil {
			g.Mount("/api", p.API)
		}
		mount(g, p, r, sessions, all)
	})
	return root
}

// mount mounts the screens.
func mount(root chi.Router, p Wiring, r *render.Renderer, sessions *scs.SessionManager, all every) {
	failed := func(w http.ResponseWriter, req *http.Request, err error) {
		r.Handle(func(http.ResponseWriter, *http.Request) error { return err })(w, req)
	}
	sessions.ErrorFunc = failed
	root.Group(func(g chi.Router) {
		g.Use(http.NewCrossOriginProtection().Handler) // refuses writes from other origins
		g.Get("/events", events(p, sessions, &streams{of: map[domain.ID]int{}}))
		g.Group(func(g chi.Router) {
			g.Use(middleware.Forms(documents, failed))
			g.Use(sessions.LoadAndSave)
			add(g, p, r, all.outside)
			g.Group(func(g chi.Router) {
				g.Use(middleware.SignedIn(sessions, p.People, failed))
				add(g, p, r, all.inside)
				g.Get("/*", r.Handle(notFound))
			})
		})
	})
}

// add mounts the routes of screens.
func add(to chi.Router, p Wiring, r *render.Renderer, all []screen.Screen) {
	for _, s := range all {
		for _, route := range s.Routes {
			to.Method(route.Method, route.Path, r.Handle(guarded(p.Desk, route)))
		}
	}
}

// guarded refuses whoever may nowhere do what a route is for.
func guarded(desk *act.Desk, route screen.Route) render.Handler {
	if route.Needs == "" {
		return owned(route)
	}
	deed := act.Deed{Name: "open " + route.Path, Area: route.Area, Needs: route.Needs}
	if route.Method != http.MethodGet {
		deed.Name = "use " + route.Path
	}
	return func(w http.ResponseWriter, req *http.Request) error {
		if err := desk.May(req.Context(), middleware.Who(req.Context()), deed); err != nil {
			return err
		}
		return route.Handle(w, req)
	}
}

// owned refuses changes of what is one's own in a browser that is not trusted.
func owned(route screen.Route) render.Handler {
	if route.Method == http.MethodGet || route.Anywhere {
		return route.Handle
	}
	return func(w http.ResponseWriter, req *http.Request) error {
		if middleware.Who(req.Context()).Untrusted {
			return act.ErrUntrusted
		}
		return route.Handle(w, req)
	}
}

func notFound(http.ResponseWriter, *http.Request) error { return domain.ErrNotFound }

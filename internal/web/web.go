// Package web serves the screens.
package web

import (
	"log/slog"
	"net/http"
	"net/netip"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/service/calendars"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/modules"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/query"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

// Hub tells what changed.
type Hub interface {
	// Listen returns a channel of news and the function that ends it.
	Listen() (<-chan domain.News, func())
}

// Wiring are what the screens need.
type Wiring struct {
	Desk        *act.Desk
	People      *people.Service
	Places      *places.Service
	Calendars   *calendars.Service
	Settings    *settings.Service
	Attributes  *attributes.Service
	Audit       *audit.Service
	Kits        *collect.Service
	Fitting     *fitting.Service
	Changes     *changes.Service
	Browse      *browse.Service
	Modules     *modules.Service
	Recognition *recognition.Service
	Credentials *credentials.Service
	Find        *find.Service
	Addition    *addition.Service
	Query       *query.Service
	Judge       *judge.Service
	Respond     *respond.Service
	Transfer    *transfer.Service
	Watch       *watch.Service
	Devices     *devices.Service
	Run         *run.Service
	Hub         Hub
	Log         *slog.Logger
	// Sessions is where sessions are kept.
	Sessions scs.Store
	// Port is what a new sweep asks by default.
	Port   int
	Secure bool // served over TLS
	// URL is how people reach it.
	URL string
	// Proxies are those whose word is taken for where a request came from.
	Proxies []netip.Prefix
	// API is mounted below /api.
	API http.Handler
}

// New builds the handler of all screens.
func New(p Wiring) (http.Handler, error) {
	sessions := scs.New()
	sessions.Store = p.Sessions
	sessions.Lifetime = domain.SignInTime
	sessions.HashTokenInStore = true // who reads the database can act for nobody
	sessions.Cookie.Name = "owl"
	if p.Secure {
		sessions.Cookie.Name = "__Host-owl" // browsers take it from this host alone, over TLS
	}
	sessions.Cookie.HttpOnly = true
	sessions.Cookie.SameSite = http.SameSiteLaxMode
	sessions.Cookie.Secure = p.Secure
	strip := newStrip(p.Watch, p.Run)
	var menu menu
	r, err := render.New(func(req *http.Request, f *render.Frame) (err error) {
		who := middleware.Who(req.Context())
		f.Who, f.Live = &who, true
		f.Areas, f.Tabs = menu.areas(who), menu.tabs(who, f.Area)
		f.Estate, err = strip.view(req)
		return err
	}, p.Log)
	if err != nil {
		return nil, err
	}
	all := screens(p, r, sessions, strip)
	menu = menuOf(all.inside)
	if err := templates(r, all); err != nil {
		return nil, err
	}
	r.Away = func(w http.ResponseWriter, req *http.Request, err error) bool { return away(p, r, w, req, err) }
	return routes(p, r, sessions, all), nil
}

// templates hands the templates of all screens to the renderer.
func templates(r *render.Renderer, all every) error {
	for _, list := range [][]screen.Screen{all.outside, all.inside} {
		for _, s := range list {
			for name, files := range s.Templates {
				if err := r.Screen(name, files); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

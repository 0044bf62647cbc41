// Package api is the REST API: thin, on the same services as the screens.
package api

import (
	"log/slog"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

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
	"tirelessowl/internal/service/once"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/query"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
)

// Wiring are what the API needs.
type Wiring struct {
	URL         string // how clients reach the application
	Desk        *act.Desk
	People      *people.Service
	Places      *places.Service
	Calendars   *calendars.Service
	Settings    *settings.Service
	Attributes  *attributes.Service
	Audit       *audit.Service
	Run         *run.Service
	Find        *find.Service
	Addition    *addition.Service
	Query       *query.Service
	Judge       *judge.Service
	Respond     *respond.Service
	Transfer    *transfer.Service
	Kits        *collect.Service
	Fitting     *fitting.Service
	Changes     *changes.Service
	Browse      *browse.Service
	Modules     *modules.Service
	Recognition *recognition.Service
	Credentials *credentials.Service
	Watch       *watch.Service
	Devices     *devices.Service
	Once        *once.Service
	Log         *slog.Logger
}

// api carries the parts to the operations.
type api struct {
	Wiring
	huma.API
	router chi.Router
	turns  *turns
}

// New builds the handler, to be mounted at /api.
func New(p Wiring) http.Handler {
	router := chi.NewRouter()
	a := &api{Wiring: p, router: router, turns: newTurns()}
	router.Use(middleware.GetHead)
	router.NotFound(notThere)
	router.MethodNotAllowed(a.notAllowed)
	a.API = humachi.New(router, a.config())
	a.places()
	a.calendars()
	a.devices()
	a.attributes()
	a.settings()
	a.sweeps()
	a.alone()
	a.credentials()
	a.browse()
	a.modules()
	a.recognition()
	a.kits()
	a.fittingRules()
	a.fittings()
	a.changeSets()
	a.kitUpdates()
	a.series()
	a.samples()
	a.combined()
	a.keeps()
	a.rules()
	a.incidents()
	a.deliveries()
	a.plans()
	a.channels()
	a.people()
	a.teams()
	a.tokens()
	a.audit()
	a.search()
	return router
}

func (a *api) config() huma.Config {
	c := huma.DefaultConfig("Tireless Owl", "1.0.0")
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = "/v1/openapi", "", "/v1/schemas"
	c.CreateHooks = nil // no "$schema" in every answer
	c.Transformers = []huma.Transformer{discreet, picked}
	c.Servers = []*huma.Server{{URL: a.URL + "/api"}}
	c.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer", Description: "owl token create --name N --level L"},
	}
	c.Components.Responses = problemResponses(c.Components.Schemas)
	c.Security = []map[string][]string{{"token": {}}}
	return c
}

// methods are those that a path knows.
func (a *api) methods(r *http.Request) (can []string) {
	for _, method := range []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete} {
		asked := method
		if method == http.MethodHead {
			asked = http.MethodGet
		}
		if a.router.Match(chi.NewRouteContext(), asked, chi.RouteContext(r.Context()).RoutePath) {
			can = append(can, method)
		}
	}
	return slices.Compact(can)
}

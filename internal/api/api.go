// Package api is the REST API: thin, on the same services as the screens.
package api

import (
	"context"
	"errors"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
)

// Wiring are what the API needs.
type Wiring struct {
	Desk     *act.Desk
	People   *people.Service
	Places   *places.Service
	Settings *settings.Service
	Audit    *audit.Service
	Run      *run.Service
	Find     *find.Service
	Judge    *judge.Service
	Respond  *respond.Service
	Transfer *transfer.Service
	Kits     *collect.Service
	Watch    *watch.Service
	Devices  *devices.Service
	Log      *slog.Logger
}

// api carries the parts to the operations.
type api struct {
	Wiring
	huma.API
}

// New builds the handler, to be mounted at /api.
func New(p Wiring) http.Handler {
	router := chi.NewRouter()
	config := huma.DefaultConfig("Tireless Owl", "1.0.0")
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "/v1/openapi", "", "/v1/schemas"
	config.CreateHooks = nil // no "$schema" in every answer
	config.Servers = []*huma.Server{{URL: "/api"}}
	config.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token": {Type: "http", Scheme: "bearer", Description: "owl token create --name N --level L"},
	}
	config.Security = []map[string][]string{{"token": {}}}
	a := &api{p, humachi.New(router, config)}
	a.places()
	a.sweeps()
	a.devices()
	a.changing()
	a.endpoints()
	a.settings()
	a.kits()
	a.series()
	a.standing()
	a.rules()
	a.incidents()
	a.samples()
	a.combined()
	a.keeps()
	return router
}

type actorKey struct{}

// caller is who a request came from.
func caller(ctx context.Context) access.Actor {
	who, _ := ctx.Value(actorKey{}).(access.Actor)
	return who
}

// authorise checks the bearer token, and whether its holder may do somewhere what is
// asked for.
func (a *api) authorise(deed act.Deed) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		key, ok := strings.CutPrefix(ctx.Header("Authorization"), "Bearer ")
		if !ok {
			ctx.SetHeader("WWW-Authenticate", "Bearer")
			_ = huma.WriteErr(a.API, ctx, http.StatusUnauthorized, "a bearer token is needed")
			return
		}
		from, _, _ := net.SplitHostPort(ctx.RemoteAddr())
		who, err := a.People.Holder(ctx.Context(), domain.Secret(key), from)
		if err == nil && deed.Needs != "" {
			err = a.Desk.May(ctx.Context(), who, deed)
		}
		switch {
		case errors.Is(err, domain.ErrSignIn):
			ctx.SetHeader("WWW-Authenticate", `Bearer error="invalid_token"`)
			_ = huma.WriteErr(a.API, ctx, http.StatusUnauthorized, "the token is not known, or has ended")
		case errors.Is(err, domain.ErrForbidden):
			_ = huma.WriteErr(a.API, ctx, http.StatusForbidden, forbidden(err))
		case err != nil && a.Run.Unavailable(ctx.Context(), err):
			_ = huma.WriteErr(a.API, ctx, http.StatusServiceUnavailable, unavailable)
		case err != nil:
			a.Log.Error("API sign-in failed", "error", err)
			_ = huma.WriteErr(a.API, ctx, http.StatusInternalServerError, "the token could not be checked")
		default:
			next(huma.WithValue(ctx, actorKey{}, who))
		}
	}
}

func forbidden(err error) string {
	return strings.TrimPrefix(err.Error(), domain.ErrForbidden.Error()+": ")
}

// add registers an operation below /v1.
func add[I, O any](
	a *api,
	area domain.Area,
	level domain.Access,
	method, path, tag, summary string,
	f func(context.Context, *I) (*O, error),
) {
	id := strings.ToLower(method) + strings.NewReplacer("/", "-", "{", "", "}", "").Replace(path)
	op := huma.Operation{OperationID: id, Method: method, Path: "/v1" + path, Tags: []string{tag}, Summary: summary,
		Description: needs(
			area,
			level,
		), Middlewares: huma.Middlewares{a.authorise(act.Deed{Name: "use the API: " + method + " " + path, Area: area, Needs: level})}}
	if method == http.MethodPost {
		op.DefaultStatus = http.StatusOK
	}
	if strings.HasSuffix(path, "/import") {
		op.MaxBodyBytes, op.BodyReadTimeout = MaxImport, time.Minute
	}
	huma.Register(a.API, op, func(ctx context.Context, in *I) (*O, error) {
		out, err := f(ctx, in)
		if err != nil {
			return nil, a.problem(ctx, op, err)
		}
		return out, nil
	})
}

func needs(area domain.Area, level domain.Access) string {
	if level == "" {
		return "Needs a token only."
	}
	return "Needs the level “" + string(level) + "” for the area “" + string(area) + "” where the thing is."
}

// problem turns an error into one of RFC 9457.
func (a *api) problem(ctx context.Context, op huma.Operation, err error) error {
	var fields domain.FieldErrors
	switch {
	case errors.As(err, &fields):
		var details []error
		for field, text := range fields {
			details = append(details, &huma.ErrorDetail{Location: "body." + field, Message: text})
		}
		return huma.Error422UnprocessableEntity("some fields are wrong", details...)
	case errors.Is(err, domain.ErrForbidden):
		return huma.Error403Forbidden(forbidden(err))
	case errors.Is(err, domain.ErrChanged):
		return huma.Error412PreconditionFailed("somebody else has changed it meanwhile: get it as it is now")
	case errors.Is(err, domain.ErrNotFound):
		return huma.Error404NotFound("there is no such thing")
	case errors.Is(err, domain.ErrConflict):
		return huma.Error409Conflict(strings.TrimPrefix(err.Error(), domain.ErrConflict.Error()+": "))
	}
	if a.Run.Unavailable(ctx, err) {
		a.Log.Warn("an API request met a database that takes nothing", "operation", op.OperationID, "error", err)
		return huma.Error503ServiceUnavailable(unavailable)
	}
	if ctx.Err() == nil {
		a.Log.Error("API request failed", "operation", op.OperationID, "error", err)
	}
	return huma.Error500InternalServerError("it failed on our side")
}

const unavailable = "the database takes nothing at the moment: try again in some seconds"

// Page picks a part of a long list.
type Page struct {
	Limit  int `query:"limit"  minimum:"1" maximum:"1000" default:"100" doc:"Most items to return"`
	Offset int `query:"offset" minimum:"0"                              doc:"Items to leave out at the begin"`
}

// ByID names one thing.
type ByID struct {
	ID int64 `path:"id" minimum:"1"`
}

// Body wraps an answer.
type Body[T any] struct{ Body T }

// Items wraps a list, so that it can grow fields later.
type Items[T any] struct {
	Items []T    `json:"items"           nullable:"false"`
	Total *int64 `json:"total,omitempty"                  doc:"How many there are in all, where that is counted"`
}

func items[T any](in []T, err error) (*Body[Items[T]], error) {
	if in == nil {
		in = []T{}
	}
	return &Body[Items[T]]{Items[T]{Items: in}}, err
}

func one[T any](x T, err error) (*Body[T], error) { return &Body[T]{x}, err }

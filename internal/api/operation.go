package api

import (
	"cmp"
	"context"
	"errors"
	"net"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// operation is what is told of one beside what it takes and gives.
type operation struct {
	Method, Path, Summary string
	Area                  domain.Area
	Level                 domain.Access // empty where a token is enough
}

// id is what clients call it: what is done, and then to what; get is what reading without
// the id of a thing is called.
func (o operation) id(get string) string {
	var parts []string
	for part := range strings.SplitSeq(strings.Trim(o.Path, "/"), "/") {
		if !strings.HasPrefix(part, "{") {
			parts = append(parts, part)
		}
	}
	last := len(parts) - 1
	switch {
	case o.Method == http.MethodGet && !strings.HasSuffix(o.Path, "}"):
		return get + "-" + singular(parts[:last]) + parts[last]
	case o.Method == http.MethodPost && last > 0:
		return cmp.Or(verbs[parts[last]], parts[last]) + "-" + strings.TrimSuffix(singular(parts[:last]), "-")
	}
	return verbs[o.Method] + "-" + strings.TrimSuffix(singular(parts), "-")
}

var verbs = map[string]string{
	http.MethodGet:    "read",
	http.MethodPost:   "make",
	http.MethodPut:    "change",
	http.MethodPatch:  "patch",
	http.MethodDelete: "remove",
	// What ends a path and is no verb.
	"devices":   "fill",
	"rehearsal": "rehearse",
	"link":      "invite",
}

// singular writes the words of a path as one of each, each with a - behind it.
func singular(parts []string) (out string) {
	for _, part := range parts {
		switch part {
		case "people":
			part = "person"
		case "series", "samples":
		case "deliveries":
			part = "delivery"
		default:
			part = strings.TrimSuffix(part, "s")
		}
		out += part + "-"
	}
	return out
}

// tag is the sort of thing that it is about: the first word of its path.
func (o operation) tag() string {
	tag, _, _ := strings.Cut(strings.TrimPrefix(o.Path, "/"), "/")
	return tag
}

func (o operation) needs() string {
	if o.Level == "" {
		return "Needs a token only."
	}
	return "Needs the level “" + string(o.Level) + "” for the area “" + string(o.Area) + "” where the thing is."
}

func (o operation) writes() bool { return o.Method != http.MethodGet }

// errors are the statuses with which it may fail.
func (o operation) errors() []int {
	out := []int{
		http.StatusUnauthorized,
		http.StatusForbidden,
		http.StatusUnprocessableEntity,
		http.StatusTooManyRequests,
		http.StatusInternalServerError,
		http.StatusServiceUnavailable,
	}
	if strings.Contains(o.Path, "{") {
		out = append(out, http.StatusNotFound)
	}
	if o.writes() {
		out = append(out, http.StatusBadRequest, http.StatusConflict, http.StatusRequestTimeout, http.StatusRequestEntityTooLarge,
			http.StatusUnsupportedMediaType)
	}
	if o.Method == http.MethodPut || o.Method == http.MethodPatch || o.Method == http.MethodDelete {
		out = append(out, http.StatusPreconditionFailed)
	}
	slices.Sort(out)
	return out
}

// add registers an operation below /v1.
func add[I, O any](a *api, o operation, f func(context.Context, *I) (*O, error)) {
	addAs(a, o, o.id("read"), f)
}

func addAs[I, O any](a *api, o operation, id string, f func(context.Context, *I) (*O, error)) {
	a.register(o, id, func(op huma.Operation) {
		huma.Register(a.API, op, func(ctx context.Context, in *I) (*O, error) {
			out, err := f(ctx, in)
			if err != nil {
				return nil, a.problem(ctx, op, err)
			}
			return out, nil
		})
	})
}

// register lets an operation be registered with all that is the same for each.
func (a *api) register(o operation, id string, register func(huma.Operation)) {
	deed := act.Deed{Name: "use the API: " + o.Method + " " + o.Path, Area: o.Area, Needs: o.Level}
	op := huma.Operation{
		OperationID: id,
		Method:      o.Method,
		Path:        "/v1" + o.Path,
		Tags:        []string{o.tag()},
		Summary:     o.Summary,
		Description: o.needs(),
		Responses:   problems(o.errors()),
		Middlewares: huma.Middlewares{a.asked, a.authorise(deed), a.inTurn, a.text},
	}
	if o.Method == http.MethodPost && !strings.HasSuffix(ImportPath, o.Path) {
		op.Parameters = append(op.Parameters, keyParameter())
		op.Middlewares = append(op.Middlewares, a.once)
	}
	register(op)
	a.illustrate(o)
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

package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"tirelessowl/internal/domain"
)

func forbidden(err error) string {
	return strings.TrimPrefix(err.Error(), domain.ErrForbidden.Error()+": ")
}

const unavailable = "the database takes nothing at the moment: try again in some seconds"

// problem turns an error into one of RFC 9457.
func (a *api) problem(ctx context.Context, op huma.Operation, err error) error {
	var fields domain.FieldErrors
	var told huma.StatusError
	switch {
	case errors.As(err, &told):
		return err
	case errors.As(err, &fields):
		return huma.Error422UnprocessableEntity("some fields are wrong", a.details(op, fields)...)
	case errors.Is(err, domain.ErrForbidden):
		return huma.Error403Forbidden(forbidden(err))
	case errors.Is(err, domain.ErrChanged):
		return huma.Error412PreconditionFailed("somebody else has changed it meanwhile: get it as it is now")
	case errors.Is(err, domain.ErrNotFound):
		return huma.Error404NotFound("there is no such thing")
	case errors.Is(err, domain.ErrConflict):
		return huma.Error409Conflict(conflict(err))
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

// conflict says what is in the way, but not how the database puts it.
func conflict(err error) string {
	said, ok := strings.CutPrefix(err.Error(), domain.ErrConflict.Error()+": ")
	if !ok || strings.Contains(said, "SQLSTATE") {
		return "it is not in a state that allows this, or there is such a thing already"
	}
	return said
}

func (a *api) details(op huma.Operation, fields domain.FieldErrors) (out []error) {
	for field, said := range fields {
		out = append(out, &huma.ErrorDetail{Location: a.location(op, field), Message: said})
	}
	slices.SortFunc(out, func(x, y error) int { return strings.Compare(x.Error(), y.Error()) })
	return out
}

// location is where the sender of a request finds a field that services have a name for:
// among its parameters, or in its body, where ids are called so.
func (a *api) location(op huma.Operation, field string) string {
	spec := a.find(op.Method, op.Path)
	for _, p := range spec.Parameters {
		if p.Name == field {
			return p.In + "." + field
		}
	}
	if spec.RequestBody == nil {
		return field
	}
	for _, content := range spec.RequestBody.Content {
		if content.Schema == nil {
			continue
		}
		have := resolved(a.OpenAPI().Components.Schemas, content.Schema).Properties
		for _, name := range []string{field, field + "_id", strings.TrimSuffix(field, "s") + "_ids"} {
			if have[name] != nil {
				return "body." + name
			}
		}
	}
	return "body." + field
}

// find is an operation as it is described.
func (a *api) find(method, path string) *huma.Operation {
	item := a.OpenAPI().Paths[path]
	switch method {
	case http.MethodGet:
		return item.Get
	case http.MethodPost:
		return item.Post
	case http.MethodPut:
		return item.Put
	case http.MethodPatch:
		return item.Patch
	}
	return item.Delete
}

// discreet takes out of a problem what was sent: it may be a secret, or long.
func discreet(_ huma.Context, _ string, v any) (any, error) {
	problem, ok := v.(*huma.ErrorModel)
	if !ok {
		return v, nil
	}
	for i, e := range problem.Errors {
		if e != nil {
			problem.Errors[i] = &huma.ErrorDetail{Location: e.Location, Message: e.Message}
		}
	}
	return problem, nil
}

// plainProblem tells of a problem where no operation is reached.
func plainProblem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(huma.ErrorModel{Title: http.StatusText(status), Status: status, Detail: detail})
}

func notThere(w http.ResponseWriter, _ *http.Request) {
	plainProblem(w, http.StatusNotFound, "there is no such path: see /api/v1/openapi.json")
}

func (a *api) notAllowed(w http.ResponseWriter, r *http.Request) {
	if can := a.methods(r); len(can) > 0 {
		w.Header().Set("Allow", strings.Join(can, ", "))
	}
	plainProblem(w, http.StatusMethodNotAllowed, "this path does not know "+shortened(r.Method))
}

package api

import (
	"net/http"
	"reflect"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

const exampleTime = "2026-03-14T03:40:00Z"

// illustrate gives an operation an example of what it takes and of what it gives, made of
// the examples of the fields.
func (a *api) illustrate(o operation) {
	op := a.find(o.Method, "/v1"+o.Path)
	if op.RequestBody != nil {
		for _, content := range op.RequestBody.Content {
			content.Example = a.example(content.Schema, asked, nil)
		}
	}
	for _, response := range op.Responses {
		for _, content := range response.Content {
			if content.Schema != nil {
				content.Example = a.example(content.Schema, told, nil)
			}
		}
	}
}

// side tells what an example is of.
type side bool

const (
	asked side = true
	told  side = false
)

// example makes an example of a schema; within are the schemas that it lies in.
func (a *api) example(s *huma.Schema, of side, within []string) any {
	if s.Ref != "" {
		for _, ref := range within {
			if ref == s.Ref {
				return nil // it holds itself: once is enough
			}
		}
		return a.example(resolved(a.OpenAPI().Components.Schemas, s), of, append(within, s.Ref))
	}
	switch {
	case len(s.Examples) > 0:
		return s.Examples[0]
	case s.Default != nil:
		return s.Default
	case len(s.Enum) > 0:
		return s.Enum[0]
	}
	switch s.Type {
	case huma.TypeObject:
		return a.exampleObject(s, of, within)
	case huma.TypeArray:
		if item := a.example(s.Items, of, within); item != nil {
			return []any{item}
		}
		return []any{}
	case huma.TypeInteger:
		return 1
	case huma.TypeNumber:
		return 0.5
	case huma.TypeBoolean:
		return true
	case huma.TypeString:
		return exampleText(s)
	}
	return map[string]any{}
}

func (a *api) exampleObject(s *huma.Schema, of side, within []string) any {
	out := map[string]any{}
	for name, p := range s.Properties {
		if of == asked && p.ReadOnly || of == told && p.WriteOnly {
			continue
		}
		if x := a.example(p, of, within); x != nil {
			out[name] = x
		}
	}
	if values, ok := s.AdditionalProperties.(*huma.Schema); ok {
		out["name"] = a.example(values, of, within)
	}
	return out
}

func exampleText(s *huma.Schema) any {
	switch s.Format {
	case "date-time":
		return exampleTime
	case "uri":
		return "about:blank"
	case "ipv4", "ip":
		return "192.0.2.17"
	}
	return "text"
}

// causes are what each error says for example.
var causes = map[int]string{
	http.StatusBadRequest:            "validation failed",
	http.StatusUnauthorized:          "the token is not known, or has ended",
	http.StatusForbidden:             "to change a place needs the level “configure” here",
	http.StatusNotFound:              "there is no such thing",
	http.StatusRequestTimeout:        "the body did not come in whole",
	http.StatusConflict:              "it is resolved already",
	http.StatusPreconditionFailed:    "somebody else has changed it meanwhile: get it as it is now",
	http.StatusRequestEntityTooLarge: "a request may bring at most this many bytes: 524,288",
	http.StatusUnsupportedMediaType:  "validation failed",
	http.StatusUnprocessableEntity:   "some fields are wrong",
	http.StatusTooManyRequests:       "this token asks for too much at once",
	http.StatusInternalServerError:   "it failed on our side",
	http.StatusServiceUnavailable:    unavailable,
}

// problemResponses describe the errors that operations have in common.
func problemResponses(r huma.Registry) map[string]*huma.Response {
	out := map[string]*huma.Response{}
	schema := r.Schema(reflect.TypeFor[huma.ErrorModel](), true, "Problem")
	for status := range causes {
		content := &huma.MediaType{Schema: schema, Example: exampleProblem(status)}
		out[problemName(status)] = &huma.Response{
			Description: http.StatusText(status),
			Content:     map[string]*huma.MediaType{"application/problem+json": content},
		}
	}
	return out
}

// problems are the responses of an operation that may fail with some statuses.
func problems(statuses []int) map[string]*huma.Response {
	out := map[string]*huma.Response{}
	for _, status := range statuses {
		out[strconv.Itoa(status)] = &huma.Response{Ref: "#/components/responses/" + problemName(status)}
	}
	return out
}

// problemName is the name of a status as one word, such as NotFound.
func problemName(status int) string { return strings.ReplaceAll(http.StatusText(status), " ", "") }

func exampleProblem(status int) any {
	out := map[string]any{"title": http.StatusText(status), "status": status, "detail": causes[status]}
	if status == http.StatusUnprocessableEntity {
		out["errors"] = []any{map[string]any{"location": "body.name", "message": "Give it a name."}}
	}
	return out
}

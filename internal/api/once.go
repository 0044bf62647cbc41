package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5/middleware"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/once"
)

// keyParameter describes the header by which a request can be sent again.
func keyParameter() *huma.Param {
	longest := 255
	return &huma.Param{
		Name:        once.Key,
		In:          "header",
		Description: "Any text that no other request has. The same request sent again within a day is answered as the first time",
		Schema:      &huma.Schema{Type: huma.TypeString, MaxLength: &longest, Examples: []any{"3f1c0f9e-adopt-pier"}},
	}
}

// keptHeaders are what of the head of an answer is told again.
var keptHeaders = []string{"Content-Type", "ETag", "Location"}

// once answers a request that was sent before as the first time.
func (a *api) once(ctx huma.Context, next func(huma.Context)) {
	key := ctx.Header(once.Key)
	if key == "" || ctx.URL().Path == ImportPath { // to import again does no harm
		next(ctx)
		return
	}
	r, w := humachi.Unwrap(ctx)
	body, err := io.ReadAll(r.Body)
	if err != nil {
		_ = huma.WriteErr(a.API, ctx, http.StatusRequestTimeout, brokenOff)
		return
	}
	who := caller(ctx.Context())
	before, err := a.Once.Begin(ctx.Context(), who, key, digestOf(r, body))
	switch {
	case err != nil:
		a.refuse(ctx, err)
		return
	case before != nil:
		tell(w, *before)
		return
	}
	r = r.WithContext(ctx.Context())
	r.Body = io.NopCloser(bytes.NewReader(body))
	var text bytes.Buffer
	held := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
	held.Tee(&text)
	held.Discard()
	next(humachi.NewContext(ctx.Operation(), r, held))
	a.ended(context.WithoutCancel(ctx.Context()), key, held.Status(), held.Header(), text.Bytes())
	w.WriteHeader(held.Status())
	_, _ = w.Write(text.Bytes())
}

// refuse tells why a request is not worked on.
func (a *api) refuse(ctx huma.Context, err error) {
	var told huma.StatusError
	var fields domain.FieldErrors
	errors.As(a.problem(ctx.Context(), *ctx.Operation(), err), &told)
	errors.As(err, &fields)
	_ = huma.WriteErr(a.API, ctx, told.GetStatus(), told.Error(), headerErrors(fields)...)
}

// ended keeps what was answered. Of what came to nothing nothing is kept, so that it may be
// tried again.
func (a *api) ended(ctx context.Context, key string, status int, head http.Header, text []byte) {
	who := caller(ctx)
	var err error
	switch status {
	case http.StatusUnauthorized, http.StatusForbidden, http.StatusRequestTimeout, http.StatusServiceUnavailable:
		err = a.Once.Forget(ctx, who, key)
	default:
		kept := map[string]string{}
		for _, name := range keptHeaders {
			if value := head.Get(name); value != "" {
				kept[name] = value
			}
		}
		err = a.Once.End(ctx, who, key, domain.Answer{Status: status, Headers: kept, Body: text})
	}
	if err != nil {
		a.Log.Error("what was answered could not be kept", "error", err)
	}
}

func tell(w http.ResponseWriter, a domain.Answer) {
	for name, value := range a.Headers {
		w.Header().Set(name, value)
	}
	w.WriteHeader(a.Status)
	_, _ = w.Write(a.Body)
}

// digestOf is the same for requests that ask for the same.
func digestOf(r *http.Request, body []byte) []byte {
	h := sha256.New()
	for _, part := range []string{r.Method, r.URL.Path, r.URL.RawQuery} {
		_, _ = io.WriteString(h, part+"\n")
	}
	_, _ = h.Write(body)
	return h.Sum(nil)
}

func headerErrors(fields domain.FieldErrors) (out []error) {
	for name, said := range fields {
		out = append(out, &huma.ErrorDetail{Location: "header." + name, Message: said})
	}
	return out
}

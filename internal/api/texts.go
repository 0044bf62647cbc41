package api

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"tirelessowl/internal/core/text"
)

// mostBody is how much one request may bring, in bytes, unless it brings samples.
const mostBody = 1 << 19

// brokenOff is said of a body that ended too early, or came too slowly.
const brokenOff = "the body did not come in whole"

func tooLarge(most int64) string {
	return "a request may bring at most this many bytes: " + text.Thousands(most)
}

// text refuses bodies that are no text, or hold the character NUL in a text: nothing that
// we keep does. What is longer than mostBody is not read to its end.
func (a *api) text(ctx huma.Context, next func(huma.Context)) {
	r, w := humachi.Unwrap(ctx)
	if r.Body == nil || r.Body == http.NoBody || r.URL.Path == ImportPath { // what is long is looked at line by line
		next(ctx)
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostBody))
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		_ = huma.WriteErr(a.API, ctx, http.StatusRequestEntityTooLarge, tooLarge(large.Limit))
	case err != nil:
		_ = huma.WriteErr(a.API, ctx, http.StatusRequestTimeout, brokenOff)
	case !utf8.Valid(body) || bytes.IndexByte(body, 0) >= 0 || escapedNUL(body):
		_ = huma.WriteErr(a.API, ctx, http.StatusUnprocessableEntity, "the body "+notText)
	default:
		again := r.WithContext(ctx.Context())
		again.Body = io.NopCloser(bytes.NewReader(body))
		next(humachi.NewContext(ctx.Operation(), again, w))
	}
}

// escapedNUL tells whether a text of a JSON document (RFC 8259, section 7) holds the
// character NUL: backslashes stand in texts only, each with what it escapes behind it.
func escapedNUL(document []byte) bool {
	for i := bytes.IndexByte(document, '\\'); i >= 0; {
		if bytes.HasPrefix(document[i:], []byte(`\u0000`)) {
			return true
		}
		rest := min(i+2, len(document))
		next := bytes.IndexByte(document[rest:], '\\')
		if next < 0 {
			return false
		}
		i = rest + next
	}
	return false
}

package api

import (
	"bytes"
	"errors"
	"io"
	"net/http"
	"unicode/utf8"

	"tirelessowl/internal/core/text"
)

// mostBody is how much one request may bring, in bytes, unless it brings samples.
const mostBody = 1 << 20

// brokenOff is said of a body that ended too early, or came too slowly.
const brokenOff = "the body did not come in whole"

func tooLarge(most int64) string {
	return "a request may bring at most this many bytes: " + text.Thousands(most)
}

// texts refuses bodies that are no text, or hold the character NUL in a text: nothing that
// we keep does.
func texts(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body == nil || r.Body == http.NoBody {
			next.ServeHTTP(w, r)
			return
		}
		if r.URL.Path == ImportPath {
			next.ServeHTTP(w, r) // what is long is looked at line by line
			return
		}
		body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, mostBody))
		var large *http.MaxBytesError
		switch {
		case errors.As(err, &large):
			plainProblem(w, http.StatusRequestEntityTooLarge, tooLarge(large.Limit))
		case err != nil:
			plainProblem(w, http.StatusRequestTimeout, brokenOff)
		case !utf8.Valid(body) || bytes.IndexByte(body, 0) >= 0 || escapedNUL(body):
			plainProblem(w, http.StatusUnprocessableEntity, "the body "+notText)
		default:
			r.Body = io.NopCloser(bytes.NewReader(body))
			next.ServeHTTP(w, r)
		}
	})
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

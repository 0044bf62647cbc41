package render

import (
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// screens are one that shows its body, one that fails, and the one for problems.
func screens(t *testing.T, frame Framer, log *strings.Builder) *Renderer {
	t.Helper()
	r, err := New(frame, slog.New(slog.NewTextHandler(log, nil)))
	require.NoError(t, err)
	for name, text := range map[string]string{
		"good":    `{{define "body"}}<p id="good">{{.}}</p>{{end}}{{define "part"}}part {{.}}{{end}}`,
		"broken":  `{{define "body"}}before {{.Missing.Field}} after{{end}}`,
		"problem": `{{define "body"}}<h1>{{.Status}} {{.Title}}</h1>{{.Text}}{{end}}`,
	} {
		require.NoError(t, r.Screen(name, fstest.MapFS{"tmpl/x.html": {Data: []byte(text)}}))
	}
	return r
}

func noFrame(*http.Request, *Frame) error { return nil }

func TestPagesAndFragments(t *testing.T) {
	var log strings.Builder
	r := screens(t, noFrame, &log)
	w := httptest.NewRecorder()
	require.NoError(t, r.Page(w, httptest.NewRequest("GET", "/", nil), "good", Frame{Title: "T <x>", Body: "<b>"}))
	assert.Contains(t, w.Body.String(), `<p id="good">&lt;b&gt;</p>`)
	assert.Contains(t, w.Body.String(), "T &lt;x&gt;")
	assert.Equal(t, "no-store", w.Header().Get("Cache-Control"))
	assert.Equal(t, "HX-Request", w.Header().Get("Vary"))
	w = httptest.NewRecorder()
	require.NoError(t, r.Fragment(w, http.StatusUnprocessableEntity, "good", "part", "7"))
	assert.Equal(t, "part 7", w.Body.String())
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
}

func TestErrorsBecomePages(t *testing.T) {
	for _, c := range []struct {
		err    error
		status int
		want   string
		logged bool
	}{
		{fmt.Errorf("x: %w", domain.ErrNotFound), 404, "not here", false},
		{domain.ErrForbidden, 403, "does not allow", false},
		{fmt.Errorf("%w: it runs already", domain.ErrConflict), 409, "it runs already", false},
		{domain.FieldErrors{"name": "Give it a name."}, 422, "Give it a name.", false},
		{errors.New("password=secret refused"), 500, "failed on our side", true},
	} {
		var log strings.Builder
		r := screens(t, noFrame, &log)
		h := r.Handle(func(http.ResponseWriter, *http.Request) error { return c.err })
		for _, fragment := range []bool{false, true} {
			req := httptest.NewRequest("GET", "/x", nil)
			if fragment {
				req.Header.Set("HX-Request", "true")
			}
			w := httptest.NewRecorder()
			h(w, req)
			assert.Equal(t, c.status, w.Code)
			assert.Contains(t, w.Body.String(), c.want)
			assert.NotContains(t, w.Body.String(), "secret", "causes are for the log")
			assert.Equal(t, !fragment, strings.Contains(w.Body.String(), "<h1>"))
		}
		assert.Equal(t, c.logged, strings.Contains(log.String(), "request failed"))
	}
}

// Nothing is sent of a page that fails half-way, and the frame may fail when
// the database is away.
func TestBrokenTemplatesAndFrames(t *testing.T) {
	var log strings.Builder
	r := screens(t, noFrame, &log)
	w := httptest.NewRecorder()
	r.Handle(
		func(w http.ResponseWriter, req *http.Request) error { return r.Page(w, req, "broken", Frame{Body: 7}) },
	)(
		w,
		httptest.NewRequest("GET", "/", nil),
	)
	assert.Equal(t, 500, w.Code)
	assert.NotContains(t, w.Body.String(), "before")
	assert.Contains(t, log.String(), "Missing")

	away := screens(t, func(*http.Request, *Frame) error { return errors.New("the database is away") }, &log)
	w = httptest.NewRecorder()
	away.Handle(
		func(w http.ResponseWriter, req *http.Request) error { return away.Page(w, req, "good", Frame{}) },
	)(
		w,
		httptest.NewRequest("GET", "/", nil),
	)
	assert.Equal(t, 500, w.Code)
	assert.Contains(t, w.Body.String(), "failed on our side")
	assert.Error(t, r.Screen("wrong", fstest.MapFS{"tmpl/x.html": {Data: []byte("{{")}}))
}

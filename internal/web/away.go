package web

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// awayView is what the page shows that needs no data.
type awayView struct {
	Since  time.Time
	Reason string
	Doing  string
	Waits  string
}

// present answers for all pages and the API while the database is away, and ends
// requests that wait for it when it goes.
func present(p Wiring, r *render.Renderer) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
			if p.Run.Away() {
				t, _ := p.Run.Trouble()
				unavailable(r, w, req, t)
				return
			}
			if req.URL.Path == "/events" { // it tells of that, and needs no database once it stands
				next.ServeHTTP(w, req)
				return
			}
			ctx, done := p.Run.While(req.Context())
			defer done()
			next.ServeHTTP(w, req.WithContext(ctx))
		})
	}
}

// away answers a request that failed since the database went or takes nothing.
func away(p Wiring, r *render.Renderer, w http.ResponseWriter, req *http.Request, err error) bool {
	if left(req) {
		return true // whoever asked is gone, and reads no answer
	}
	t, missed := p.Run.Missed(req.Context(), err)
	if !missed {
		return false
	}
	p.Log.Warn("a request met a database that takes nothing", "method", req.Method, "path", req.URL.Path, "error", err)
	unavailable(r, w, req, t)
	return true
}

// left tells whether a request ended because whoever asked went away.
func left(req *http.Request) bool {
	return req.Context().Err() != nil && errors.Is(context.Cause(req.Context()), context.Canceled)
}

// retryAfter is when whoever asks should ask again, in seconds.
const retryAfter = "3"

// unavailable says that the database is away, as whoever asks can use it.
func unavailable(r *render.Renderer, w http.ResponseWriter, req *http.Request, t domain.Trouble) {
	w.Header().Set("Retry-After", retryAfter)
	switch {
	case strings.HasPrefix(req.URL.Path, "/api"):
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusServiceUnavailable)
		_ = json.NewEncoder(w).
			Encode(map[string]any{
				"title": http.StatusText(http.StatusServiceUnavailable), "status": http.StatusServiceUnavailable,
				"detail": inWords(t),
			})
	case req.Header.Get("HX-Request") == "true" || !strings.Contains(req.Header.Get("Accept"), "text/html"):
		http.Error(w, inWords(t), http.StatusServiceUnavailable)
	default:
		r.Bare(w, http.StatusServiceUnavailable, "away", "The database is away", awayView{t.Since, t.Reason, t.Doing, waits(t)})
	}
}

// inWords says what keeps values from being where they should be.
func inWords(t domain.Trouble) string {
	if t.Since.IsZero() {
		return "no answer of a device came through for " + units.Span(t.Behind) + " longer than it should take"
	}
	text := "the database takes nothing since " + t.Since.Truncate(time.Second).Format(time.RFC3339)
	if t.Reason != "" {
		text += ": " + t.Reason
	}
	return text + "; " + waits(t)
}

// waits says what goes on meanwhile.
func waits(t domain.Trouble) string {
	if t.Blocks == 0 && t.Records == 0 {
		return "collecting goes on, and nothing waits yet"
	}
	var what []string
	if t.Blocks > 0 {
		what = append(what, fmt.Sprintf("%s of samples (%s)", ui.Count(t.Blocks, "block"), units.Format(float64(t.Bytes), "B")))
	}
	if t.Records > 0 {
		what = append(what, ui.Count(t.Records, "other record"))
	}
	return "collecting goes on; " + strings.Join(what, " and ") + " wait in files of this machine"
}

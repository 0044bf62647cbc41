package web

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
)

// heartbeat keeps connections alive through proxies.
const heartbeat = 20 * time.Second

// events streams what changes as server-sent events. The session is only
// looked at once: a stream must not hold it.
func events(p Wiring, sessions *scs.SessionManager) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if !signedIn(r, p, sessions) {
			http.Error(w, "sign in first", http.StatusUnauthorized)
			return
		}
		flusher, ok := w.(http.Flusher)
		if !ok {
			http.Error(w, "cannot stream", http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("X-Accel-Buffering", "no")
		fmt.Fprint(w, ": hello\n\n")
		flusher.Flush()
		changes, end := p.Hub.Listen()
		defer end()
		beat := time.NewTicker(heartbeat)
		defer beat.Stop()
		for {
			select {
			case <-r.Context().Done():
				return
			case <-beat.C:
				fmt.Fprint(w, ": still here\n\n")
			case e := <-changes:
				data, err := json.Marshal(map[string]any{"kind": e.Kind, "id": e.ID})
				if err != nil {
					return
				}
				fmt.Fprintf(w, "data: %s\n\n", data)
			}
			flusher.Flush()
		}
	}
}

func signedIn(r *http.Request, p Wiring, sessions *scs.SessionManager) bool {
	cookie, err := r.Cookie(sessions.Cookie.Name)
	if err != nil {
		return false
	}
	ctx, err := sessions.Load(r.Context(), cookie.Value)
	if err != nil {
		return false
	}
	_, err = p.Access.User(ctx, sessions.GetInt64(ctx, middleware.SessionUser))
	return err == nil
}

// ready tells whether the database answers and takes samples, and whether
// answers of devices come through.
func ready(p Wiring) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
		defer cancel()
		trouble, bad := p.Engine.Trouble()
		switch err := p.Store.Ping(ctx); {
		case err != nil:
			http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		case bad:
			http.Error(w, inWords(trouble), http.StatusServiceUnavailable)
		default:
			_, _ = w.Write([]byte("ready\n"))
		}
	}
}

// cached lets browsers keep static files for a while.
func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=300")
		next.ServeHTTP(w, r)
	})
}

func notFound(http.ResponseWriter, *http.Request) error { return domain.ErrNotFound }

package web

import (
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
)

// heartbeat keeps connections alive through proxies.
const heartbeat = 20 * time.Second

// events streams what changes as server-sent events. The session is only
// looked at once: a stream must not hold it.
func events(p Wiring, sessions *scs.SessionManager, open *streams) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		who, ok := signedIn(r, p, sessions)
		if !ok {
			http.Error(w, "sign in first", http.StatusUnauthorized)
			return
		}
		if !open.add(who.SignIn) {
			http.Error(w, "too many pages listen already", http.StatusTooManyRequests)
			return
		}
		defer open.end(who.SignIn)
		flusher, ok := w.(http.Flusher)
		if !ok {
			http.Error(w, "cannot stream", http.StatusInternalServerError)
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		w.Header().Set("Cache-Control", "no-store")
		w.Header().Set("X-Accel-Buffering", "no")
		changes, end := p.Hub.Listen()
		defer end()
		fmt.Fprint(w, ": hello\n\n") // from here on nothing is missed
		flusher.Flush()
		beat := time.NewTicker(heartbeat)
		defer beat.Stop()
		for {
			select {
			case <-r.Context().Done():
				return
			case <-beat.C:
				if who, ok = signedIn(r, p, sessions); !ok { // what may be seen may have changed
					return
				}
				fmt.Fprint(w, ": still here\n\n")
			case e := <-changes:
				if e.Area != "" && !who.May(e.Area, domain.AccessSee, e.At) {
					continue
				}
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

// mostStreams is how many pages of one sign-in are told of changes.
const mostStreams = 20

// streams counts the streams of each sign-in.
type streams struct {
	mu sync.Mutex
	of map[domain.ID]int
}

func (s *streams) add(signIn domain.ID) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.of[signIn] >= mostStreams {
		return false
	}
	s.of[signIn]++
	return true
}

func (s *streams) end(signIn domain.ID) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.of[signIn]--; s.of[signIn] <= 0 {
		delete(s.of, signIn)
	}
}

func signedIn(r *http.Request, p Wiring, sessions *scs.SessionManager) (access.Actor, bool) {
	cookie, err := r.Cookie(sessions.Cookie.Name)
	if err != nil {
		return access.Actor{}, false
	}
	ctx, err := sessions.Load(r.Context(), cookie.Value)
	if err != nil {
		return access.Actor{}, false
	}
	who, _, err := p.People.Present(ctx, middleware.SignInOf(ctx, sessions), middleware.From(r))
	return who, err == nil
}

// ready tells whether the database answers and takes samples, and whether
// answers of devices come through.
func ready(p Wiring) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		trouble, bad := p.Run.Trouble()
		switch err := p.Run.Answers(r.Context()); {
		case err != nil:
			http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		case bad:
			http.Error(w, inWords(trouble), http.StatusServiceUnavailable)
		default:
			_, _ = w.Write([]byte("ready\n"))
		}
	}
}

// files serves what ships with the application, and lists nothing.
func files(all fs.FS) http.Handler {
	each := http.FileServerFS(all)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "" || strings.HasSuffix(r.URL.Path, "/") {
			http.NotFound(w, r)
			return
		}
		each.ServeHTTP(w, r)
	})
}

// cached lets browsers keep static files for a while.
func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=300")
		next.ServeHTTP(w, r)
	})
}

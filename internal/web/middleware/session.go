// Package middleware holds what stands before the screens, one per file.
package middleware

import (
	"context"
	"errors"
	"net"
	"net/http"
	"net/url"
	"time"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
)

type actorKey struct{}

// Where the session keeps the id of the person signed in, and since when, in seconds
// of 1970.
const (
	SessionUser  = "user"
	sessionSince = "since"
)

// A sign-in lasts SessionTime without use, and never longer than sessionMost. Use
// is noted at most once in sessionStep: a page that only reads shall not write.
const (
	SessionTime = 12 * time.Hour
	sessionMost = 7 * 24 * time.Hour
	sessionStep = time.Minute
)

// SignIn makes a session that of a person. It gets a new token, against session
// fixation.
func SignIn(ctx context.Context, sessions *scs.SessionManager, user domain.ID) error {
	if err := sessions.RenewToken(ctx); err != nil {
		return err
	}
	sessions.Put(ctx, SessionUser, user)
	sessions.Put(ctx, sessionSince, time.Now().Unix())
	return nil
}

// prolong moves the end of a session that is used.
func prolong(ctx context.Context, sessions *scs.SessionManager, now time.Time) {
	since := sessions.GetInt64(ctx, sessionSince)
	if since == 0 {
		return // of an earlier version: it ends when it was to end
	}
	end := now.Add(SessionTime)
	if last := time.Unix(since, 0).Add(sessionMost); last.Before(end) {
		end = last
	}
	if end.Sub(sessions.Deadline(ctx)) > sessionStep {
		sessions.SetDeadline(ctx, end)
	}
}

// Who returns who is signed in; the zero actor, who may do nothing, where nobody is.
func Who(ctx context.Context) access.Actor {
	who, _ := ctx.Value(actorKey{}).(access.Actor)
	return who
}

// From is the address that a request came from.
func From(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// SignedIn lets only people pass who are signed in, and puts them into the
// context. Others are sent to the sign-in page, and back afterwards. failed answers
// where that cannot be known.
func SignedIn(
	sessions *scs.SessionManager,
	svc *people.Service,
	failed func(http.ResponseWriter, *http.Request, error),
) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			id := sessions.GetInt64(r.Context(), SessionUser)
			who, err := svc.Actor(r.Context(), id, From(r))
			if id != 0 && err == nil {
				prolong(r.Context(), sessions, time.Now())
				next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), actorKey{}, who)))
				return
			}
			if id != 0 && !errors.Is(err, domain.ErrNotFound) {
				failed(w, r, err)
				return
			}
			if r.Header.Get("HX-Request") == "true" || r.Method != http.MethodGet {
				http.Error(w, "sign in first", http.StatusUnauthorized)
				return
			}
			http.Redirect(w, r, "/signin?next="+url.QueryEscape(r.URL.RequestURI()), http.StatusSeeOther)
		})
	}
}

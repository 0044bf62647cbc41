// Package middleware holds what stands before the screens, one per file.
package middleware

import (
	"context"
	"errors"
	"fmt"
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

// sessionSignIn is where the session keeps in which sign-in it is.
const sessionSignIn = "signin"

// SignIn makes a session that of a person who came in. It gets a new token, against
// session fixation; a key that the browser shall keep goes with it.
func SignIn(w http.ResponseWriter, r *http.Request, sessions *scs.SessionManager, in people.Entered) error {
	if err := sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	sessions.Put(r.Context(), sessionSignIn, in.SignIn.ID)
	sessions.SetDeadline(r.Context(), in.SignIn.EndsAt)
	Keeper(sessions)(w, in.User.ID, in.Key)
	return nil
}

// SignInOf is the sign-in of a session; zero where nobody is signed in.
func SignInOf(ctx context.Context, sessions *scs.SessionManager) domain.ID {
	return sessions.GetInt64(ctx, sessionSignIn)
}

// Keeper lets a browser keep the key of a person who trusts it; an empty one changes
// nothing. Each person has one of his own, so that several can share a browser, and nobody
// can put a key there that he knows.
func Keeper(sessions *scs.SessionManager) func(w http.ResponseWriter, user domain.ID, key domain.Secret) {
	return func(w http.ResponseWriter, user domain.ID, key domain.Secret) {
		if key == "" {
			return
		}
		http.SetCookie(w, &http.Cookie{
			Name:     browserCookie(user),
			Value:    key.Reveal(),
			Path:     "/signin",
			MaxAge:   int(domain.TrustTime / time.Second),
			HttpOnly: true,
			SameSite: http.SameSiteLaxMode,
			Secure:   sessions.Cookie.Secure,
		})
	}
}

// Arrival is how a person comes in with a request.
func Arrival(r *http.Request, trust bool) people.Arrival {
	kept := func(user domain.ID) domain.Secret {
		c, err := r.Cookie(browserCookie(user))
		if err != nil {
			return ""
		}
		return domain.Secret(c.Value)
	}
	return people.Arrival{From: From(r), Agent: r.UserAgent(), Trust: trust, Kept: kept}
}

func browserCookie(user domain.ID) string { return fmt.Sprintf("owl-browser-%d", user) }

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
			id := SignInOf(r.Context(), sessions)
			who, in, err := svc.Present(r.Context(), id, From(r))
			if id != 0 && err == nil {
				if in.EndsAt.After(sessions.Deadline(r.Context())) {
					sessions.SetDeadline(r.Context(), in.EndsAt)
				}
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

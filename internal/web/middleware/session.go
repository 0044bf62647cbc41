// Package middleware holds what stands before the screens, one per file.
package middleware

import (
	"context"
	"errors"
	"net/http"
	"net/url"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/access"
)

type userKey struct{}

// SessionUser is where the session keeps the id of the person signed in.
const SessionUser = "user"

// Who returns the person signed in; the zero user where nobody is.
func Who(ctx context.Context) domain.User {
	u, _ := ctx.Value(userKey{}).(domain.User)
	return u
}

// SignedIn lets only people pass who are signed in, and puts them into the
// context. Others are sent to the sign-in page, and back afterwards. failed answers
// where that cannot be known.
func SignedIn(sessions *scs.SessionManager, svc *access.Service, failed func(http.ResponseWriter, *http.Request, error)) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			id := sessions.GetInt64(r.Context(), SessionUser)
			u, err := svc.User(r.Context(), id)
			if id != 0 && err == nil {
				next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), userKey{}, u)))
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

// Needs lets only people pass whose level includes the given one.
func Needs(level domain.Access) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if !Who(r.Context()).Level.Allows(level) {
				http.Error(w, "Your level of access does not allow this: it needs “"+string(level)+"”.", http.StatusForbidden)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

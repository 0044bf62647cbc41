package session

import (
	"errors"
	"net/http"
	"net/url"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// elsewherePath begins a sign-in at the provider of accounts.
const elsewherePath = "/signin/elsewhere"

// Where the session keeps what the provider was asked, where to go afterwards, and whether
// the browser shall be trusted.
const (
	askedKept  = "elsewhere"
	askedNext  = "elsewhere-next"
	askedTrust = "elsewhere-trust"
)

// elsewhere sends a person to the provider. To trust the browser the person must sign in
// anew there.
func (s Screen) elsewhere(w http.ResponseWriter, r *http.Request) error {
	if to := s.ownName(r); to != "" {
		http.Redirect(w, r, to, http.StatusSeeOther)
		return nil
	}
	trust := r.URL.Query().Has("trust")
	to, kept, err := s.People.BeginElsewhere(r.Context(), trust)
	if err != nil {
		return s.unconfirmed(w, r, err, r.URL.Query().Get("next"))
	}
	s.Sessions.Put(r.Context(), askedKept, kept)
	s.Sessions.Put(r.Context(), askedNext, r.URL.Query().Get("next"))
	s.Sessions.Put(r.Context(), askedTrust, trust)
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// ownName is where the same is reached by the name that the provider knows; empty where
// that is so already. The session would not be found when the person comes back.
func (s Screen) ownName(r *http.Request) string {
	at, err := url.Parse(s.URL)
	if err != nil || at.Host == r.Host || r.URL.Query().Has("named") {
		return ""
	}
	q := r.URL.Query()
	q.Set("named", "")
	return s.URL + elsewherePath + "?" + q.Encode()
}

// back signs a person in who comes back from the provider.
func (s Screen) back(w http.ResponseWriter, r *http.Request) error {
	ctx := r.Context()
	kept, _ := s.Sessions.Pop(ctx, askedKept).([]byte)
	next, trust := s.Sessions.PopString(ctx, askedNext), s.Sessions.PopBool(ctx, askedTrust)
	in, err := s.People.SignInElsewhere(ctx, kept, r.URL.Query(), middleware.Arrival(r, trust))
	if err != nil {
		return s.unconfirmed(w, r, err, next)
	}
	if before := middleware.SignInOf(ctx, s.Sessions); before != 0 {
		if who, _, err := s.People.Present(ctx, before, middleware.From(r)); err == nil {
			if err := s.People.SignOut(ctx, who); err != nil {
				return err
			}
		}
	}
	return s.enter(w, r, in, ui.Inside(next, "/"))
}

// unconfirmed shows the form of the sign-in with the reason why the provider did not help.
func (s Screen) unconfirmed(w http.ResponseWriter, r *http.Request, err error, next string) error {
	v := signInView{Next: next}
	switch {
	case errors.Is(err, domain.ErrConflict):
		_, v.Problem = render.Status(err)
		v.Problem = text.UpperFirst(v.Problem) + "."
	case errors.Is(err, domain.ErrSignIn), errors.Is(err, domain.ErrNotFound):
		v.Problem = "You cannot sign in there any more."
	default:
		return err
	}
	return s.page(w, http.StatusUnprocessableEntity, s.blank(r, v))
}

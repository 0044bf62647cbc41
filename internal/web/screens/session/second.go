package session

import (
	"encoding/gob"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// pending is a person whose password was right, and who is asked for more. The session
// keeps it under pendingIn.
type pending struct {
	User     domain.ID
	Trust    bool // the person wants to trust the browser
	Until    time.Time
	Codes    bool
	Passkeys bool
}

const pendingIn = "pending"

func init() { gob.Register(pending{}) } // sessions are stored in that form

// pendingTime is for how long the code is waited for.
const pendingTime = 5 * time.Minute

const secondPath = "/signin/second"

// secondView is the form of the second factor.
type secondView struct {
	Next     string
	Codes    bool // codes are one of them
	Passkeys bool
	Errors   domain.FieldErrors
	Problem  string
}

// Title is that of the page.
func (secondView) Title() string { return "Second factor" }

// Show tells the template which of the pages it shows.
func (secondView) Show() string { return "second" }

// Code is where the code is typed.
func (v secondView) Code() ui.FieldView {
	f := ui.Typed("second-", "code", "Code", "", "From your program that shows codes, or one of your recovery codes.", v.Errors["code"])
	f.Autocomplete = "one-time-code"
	return f
}

func viewOf(p pending, next string) secondView {
	return secondView{Next: next, Codes: p.Codes, Passkeys: p.Passkeys}
}

// await remembers whose password was right, and asks for what else is needed.
func (s Screen) await(w http.ResponseWriter, r *http.Request, in people.Entered, trust bool, next string) error {
	if err := s.Sessions.RenewToken(r.Context()); err != nil {
		return err
	}
	p := pending{
		User:     in.User.ID,
		Trust:    trust,
		Until:    time.Now().Add(pendingTime),
		Codes:    !in.Asked.CodesSince.IsZero(),
		Passkeys: len(in.Asked.Passkeys) > 0 && s.People.Passkeys(),
	}
	s.Sessions.Put(r.Context(), pendingIn, p)
	return s.page(w, http.StatusOK, viewOf(p, next))
}

func (s Screen) second(w http.ResponseWriter, r *http.Request) error {
	next := r.PostFormValue("next")
	p, _ := s.Sessions.Get(r.Context(), pendingIn).(pending)
	if p.User == 0 || time.Now().After(p.Until) {
		return s.page(w, http.StatusUnprocessableEntity, s.blank(r, signInView{Next: next, Problem: "It took too long. Sign in again."}))
	}
	v := viewOf(p, next)
	in, wait, err := s.People.SignInSecond(r.Context(), p.User, r.PostFormValue("code"), middleware.Arrival(r, p.Trust))
	switch {
	case errors.Is(err, domain.ErrSlowDown):
		v.Problem = slowDown(w, wait)
		return s.page(w, http.StatusTooManyRequests, v)
	case errors.As(err, &v.Errors):
		return s.page(w, http.StatusUnprocessableEntity, v)
	case errors.Is(err, domain.ErrSignIn), errors.Is(err, domain.ErrNotFound):
		return s.page(w, http.StatusUnprocessableEntity, s.blank(r, signInView{Next: next, Problem: "You cannot sign in any more."}))
	case err != nil:
		return err
	}
	return s.enter(w, r, in, next)
}

// enter makes the session that of a person who came in.
func (s Screen) enter(w http.ResponseWriter, r *http.Request, in people.Entered, next string) error {
	if err := s.begin(w, r, in); err != nil {
		return err
	}
	http.Redirect(w, r, ui.Inside(next, "/"), http.StatusSeeOther)
	return nil
}

func (s Screen) begin(w http.ResponseWriter, r *http.Request, in people.Entered) error {
	s.Sessions.Remove(r.Context(), pendingIn)
	s.Sessions.Remove(r.Context(), pendingKey)
	return middleware.SignIn(w, r, s.Sessions, in)
}

// pendingKey is where the session keeps what a passkey was asked.
const pendingKey = "pending-key"

func (s Screen) beginPasskey(w http.ResponseWriter, r *http.Request) error {
	c, err := s.People.BeginPasskeySignIn()
	if err != nil {
		return err
	}
	s.Sessions.Put(r.Context(), pendingKey, c.Kept)
	return middleware.JSON(w, http.StatusOK, c.Options)
}

func (s Screen) passkey(w http.ResponseWriter, r *http.Request) error {
	var body struct {
		Trust  bool            `json:"trust"`
		Next   string          `json:"next"`
		Answer json.RawMessage `json:"answer"`
	}
	if err := json.NewDecoder(r.Body).Decode(&body); err != nil && !errors.Is(err, io.EOF) {
		return middleware.JSON(w, http.StatusUnprocessableEntity, domain.FieldErrors{"passkey": "This cannot be read."})
	}
	kept, _ := s.Sessions.Pop(r.Context(), pendingKey).([]byte)
	in, err := s.People.PasskeySignIn(r.Context(), kept, body.Answer, middleware.Arrival(r, body.Trust))
	var errs domain.FieldErrors
	switch {
	case errors.As(err, &errs):
		return middleware.JSON(w, http.StatusUnprocessableEntity, errs)
	case errors.Is(err, domain.ErrSignIn), errors.Is(err, domain.ErrNotFound):
		return middleware.JSON(w, http.StatusUnprocessableEntity, domain.FieldErrors{"passkey": "You cannot sign in any more."})
	case err != nil:
		return err
	}
	if err := s.begin(w, r, in); err != nil {
		return err
	}
	return middleware.JSON(w, http.StatusOK, map[string]string{"to": ui.Inside(body.Next, "/")})
}

package people

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// presenceView is where a person is signed in, and which browsers the person trusts.
type presenceView struct {
	Own      bool // it is the person who looks
	May      bool // may end it
	UserID   domain.ID
	SignIns  []signInView
	Total    int64
	Browsers []browserView
}

// Unshown tells whether there are more sign-ins than are shown.
func (v presenceView) Unshown() bool { return v.Total > int64(len(v.SignIns)) }

// Others is how many sign-ins are ended together.
func (v presenceView) Others() int64 {
	if v.Own {
		return v.Total - 1
	}
	return v.Total
}

// EndAll asks before that is done.
func (v presenceView) EndAll() string {
	what := text.Count(v.Others(), "sign-in")
	if v.Own {
		return "End " + what + "? You stay signed in here; whoever works in another browser has to sign in again."
	}
	return "End " + what + "? The person has to sign in again everywhere."
}

type signInView struct {
	domain.SignIn
	Here bool // the one that looks
}

type browserView struct {
	domain.Browser
	Here bool
}

func (s Screen) presence(r *http.Request, user domain.ID) (v presenceView, err error) {
	who := middleware.Who(r.Context())
	p, err := s.People.Presence(r.Context(), who, user)
	if err != nil {
		return v, err
	}
	v.UserID, v.Total = user, p.Total
	v.Own, v.May = who.Kind == access.Person && who.ID == user, !who.Untrusted
	var here domain.ID
	for _, in := range p.SignIns {
		shown := signInView{in, in.ID == who.SignIn}
		if shown.Here {
			here = in.BrowserID
		}
		v.SignIns = append(v.SignIns, shown)
	}
	for _, b := range p.Browsers {
		v.Browsers = append(v.Browsers, browserView{b, b.ID == here})
	}
	slices.SortStableFunc(v.SignIns, func(a, b signInView) int { return cmp.Compare(truth(b.Here), truth(a.Here)) })
	return v, nil
}

func truth(is bool) int {
	if is {
		return 1
	}
	return 0
}

func (s Screen) endSignIn(w http.ResponseWriter, r *http.Request) error {
	return s.ended(w, r, s.People.EndSignIn)
}

// endSignIns ends all sign-ins of the person who looks but this one, or all of another.
func (s Screen) endSignIns(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	of, err := ui.IDOf(r.PostFormValue("person"))
	if err != nil {
		return err
	}
	if err := s.People.EndSignIns(r.Context(), who, cmp.Or(of, who.ID)); err != nil {
		return err
	}
	return backTo(w, r, of)
}

func (s Screen) distrust(w http.ResponseWriter, r *http.Request) error {
	return s.ended(w, r, s.People.Distrust)
}

// ended ends something of a person, and returns to where it was shown.
func (s Screen) ended(w http.ResponseWriter, r *http.Request, end ending) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := end(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	of, err := ui.IDOf(r.PostFormValue("person"))
	if err != nil {
		return err
	}
	return backTo(w, r, of)
}

// backTo shows the page of a person again; zero for the own account.
func backTo(w http.ResponseWriter, r *http.Request, person domain.ID) error {
	to := mePath
	if person != 0 {
		to = fmt.Sprintf("%s/%d", peoplePath, person)
	}
	http.Redirect(w, r, to, http.StatusSeeOther)
	return nil
}

// trustView is the form in which a person shows once more who he is.
type trustView struct {
	Next    string
	Agent   string
	Days    int
	Factors people.Factors
	Keys    bool // a passkey can be used
	// Elsewhere is the provider that can confirm who it is; empty where there is none.
	Elsewhere string
	Errors    domain.FieldErrors
	Problem   string
}

// Show tells the template which of the pages it shows.
func (trustView) Show() string { return "trust" }

// Password is where the password is typed.
func (v trustView) Password() ui.FieldView {
	f := ui.TypedSecret("trust-", "password", "Your password, once more", v.Errors["password"])
	f.Autocomplete = "current-password"
	return f
}

// Code is where a code is typed, where codes are a second factor.
func (v trustView) Code() ui.FieldView {
	f := ui.Typed("trust-", "code", "Code", "", "From your program that shows codes, or one of your recovery codes.", v.Errors["code"])
	f.Autocomplete = "one-time-code"
	return f
}

// Codes tells whether a code is asked for.
func (v trustView) Codes() bool { return !v.Factors.CodesSince.IsZero() }

func (s Screen) trustView(r *http.Request, next string) (v trustView, err error) {
	who := middleware.Who(r.Context())
	v = trustView{Next: next, Days: int(domain.TrustTime / (24 * time.Hour))}
	v.Factors, err = s.People.Factors(r.Context(), who, who.ID)
	if err != nil {
		return v, err
	}
	v.Elsewhere, err = s.People.Elsewhere(r.Context())
	v.Keys = s.People.Passkeys() && len(v.Factors.Passkeys) > 0
	return v, err
}

func (s Screen) trustForm(w http.ResponseWriter, r *http.Request) error {
	v, err := s.trustView(r, r.URL.Query().Get("next"))
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "Trust this browser", Body: v})
}

func (s Screen) trust(w http.ResponseWriter, r *http.Request) error {
	v, err := s.trustView(r, r.PostFormValue("next"))
	if err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	proof := people.Proof{Password: domain.Secret(r.PostFormValue("password")), Code: r.PostFormValue("code")}
	key, wait, err := s.People.Trust(r.Context(), who, proof, r.UserAgent())
	switch {
	case errors.As(err, &v.Errors):
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "people", "trust-form", v)
	case errors.Is(err, domain.ErrSlowDown):
		v.Problem = fmt.Sprintf("Too many attempts. Try again in %d s.", int(wait/time.Second)+1)
		return s.Render.Fragment(w, http.StatusTooManyRequests, "people", "trust-form", v)
	case err != nil:
		return err
	}
	s.Keep(w, who.ID, key)
	w.Header().Set("HX-Redirect", ui.Inside(v.Next, mePath))
	return nil
}

package people

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"image/png"
	"net/http"

	"github.com/pquerna/otp"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// factorsView is the second factors of the own account.
type factorsView struct {
	people.Factors
	Possible bool // passkeys are
	URL      string
	// Picture and Secret are what a program that shows codes takes over; empty unless
	// codes are being set up.
	Picture template.URL
	Secret  string
	// Recovery codes are shown once, when codes were set up.
	Codes  []string
	Errors domain.FieldErrors
}

// InUse tells whether codes are asked for.
func (v factorsView) InUse() bool { return !v.CodesSince.IsZero() }

// Code is where the first code is typed.
func (v factorsView) Code() ui.FieldView {
	f := ui.Typed("codes-", "code", "The code that it shows", "", "", v.Errors["code"])
	f.Autocomplete = "one-time-code"
	return f
}

// Password is where the password is typed to stop.
func (v factorsView) Password() ui.FieldView {
	f := ui.TypedSecret("codes-", "password", "Your password", v.Errors["password"])
	f.Autocomplete = "current-password"
	return f
}

// Name is where a new passkey is named.
func (v factorsView) Name() ui.FieldView {
	return ui.Typed("passkey-", "name", "Name of a new passkey", "", "Such as that of the device which has it.", v.Errors["name"])
}

func (s Screen) factors(r *http.Request) (v factorsView, err error) {
	who := middleware.Who(r.Context())
	v.Possible, v.URL = s.People.Passkeys(), s.URL
	v.Factors, err = s.People.Factors(r.Context(), who, who.ID)
	return v, err
}

// factorsCard answers with the card of the second factors, after something was done.
func (s Screen) factorsCard(w http.ResponseWriter, r *http.Request, done error, fill func(*factorsView) error) error {
	v, err := s.factors(r)
	if err != nil {
		return err
	}
	status := http.StatusOK
	if errors.As(done, &v.Errors) {
		status = http.StatusUnprocessableEntity
	} else if done != nil {
		return done
	}
	if fill != nil {
		if err := fill(&v); err != nil {
			return err
		}
	}
	return s.Render.Fragment(w, status, "people", "factors", v)
}

func (s Screen) beginCodes(w http.ResponseWriter, r *http.Request) error {
	key, err := s.People.PrepareCodes(r.Context(), middleware.Who(r.Context()))
	return s.factorsCard(w, r, err, func(v *factorsView) error {
		if key == nil {
			return nil
		}
		return v.offer(key)
	})
}

// pictureSize is that of the code that a camera reads, in pixels.
const pictureSize = 220

func (v *factorsView) offer(key *otp.Key) error {
	picture, err := key.Image(pictureSize, pictureSize)
	if err != nil {
		return err
	}
	var buf bytes.Buffer
	if err := png.Encode(&buf, picture); err != nil {
		return err
	}
	v.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes()))
	v.Secret = key.Secret()
	return nil
}

func (s Screen) useCodes(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	recovery, err := s.People.UseCodes(r.Context(), who, r.PostFormValue("code"))
	return s.factorsCard(w, r, err, func(v *factorsView) error {
		for _, c := range recovery {
			text := c.Reveal()
			v.Codes = append(v.Codes, text[:4]+"-"+text[4:8]+"-"+text[8:])
		}
		if err == nil {
			return nil
		}
		// What the program has taken over still holds: the form stays as it is.
		key, err := s.People.PreparedCodes(r.Context(), who)
		if errors.Is(err, domain.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		return v.offer(key)
	})
}

func (s Screen) stopCodes(w http.ResponseWriter, r *http.Request) error {
	err := s.People.StopCodes(r.Context(), middleware.Who(r.Context()), domain.Secret(r.PostFormValue("password")))
	return s.factorsCard(w, r, err, nil)
}

// pendingKey is where the session keeps what a passkey was asked.
const pendingKey = "own-key"

// begun answers with what a browser shall ask its device, and keeps the rest.
func (s Screen) begun(w http.ResponseWriter, r *http.Request, c people.Ceremony, err error) error {
	if done, err := told(w, err); done {
		return err
	}
	s.Sessions.Put(r.Context(), pendingKey, c.Kept)
	return middleware.JSON(w, http.StatusOK, c.Options)
}

// told tells a script what is wrong, if something is.
func told(w http.ResponseWriter, err error) (done bool, failed error) {
	var errs domain.FieldErrors
	switch {
	case err == nil:
		return false, nil
	case errors.As(err, &errs):
		return true, middleware.JSON(w, http.StatusUnprocessableEntity, errs)
	}
	return true, err
}

// passkeyBody is what the script sends when the device has answered.
type passkeyBody struct {
	Name   string          `json:"name"`
	Next   string          `json:"next"`
	Answer json.RawMessage `json:"answer"`
}

// answered reads what the script sends, and what was kept for it.
func (s Screen) answered(r *http.Request) (b passkeyBody, kept []byte, err error) {
	kept, _ = s.Sessions.Pop(r.Context(), pendingKey).([]byte)
	if json.NewDecoder(r.Body).Decode(&b) != nil {
		err = domain.FieldErrors{"passkey": "This cannot be read."}
	}
	return b, kept, err
}

func (s Screen) beginPasskey(w http.ResponseWriter, r *http.Request) error {
	c, err := s.People.BeginPasskey(r.Context(), middleware.Who(r.Context()))
	return s.begun(w, r, c, err)
}

func (s Screen) addPasskey(w http.ResponseWriter, r *http.Request) error {
	b, kept, err := s.answered(r)
	if err == nil {
		_, err = s.People.AddPasskey(r.Context(), middleware.Who(r.Context()), b.Name, kept, b.Answer)
	}
	if done, err := told(w, err); done {
		return err
	}
	return middleware.JSON(w, http.StatusOK, map[string]string{"to": mePath})
}

func (s Screen) takePasskey(w http.ResponseWriter, r *http.Request) error {
	return s.ended(w, r, s.People.TakePasskey)
}

func (s Screen) beginPasskeyTrust(w http.ResponseWriter, r *http.Request) error {
	c, err := s.People.BeginPasskeyTrust(r.Context(), middleware.Who(r.Context()))
	return s.begun(w, r, c, err)
}

func (s Screen) passkeyTrust(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	b, kept, err := s.answered(r)
	var key domain.Secret
	if err == nil {
		key, err = s.People.PasskeyTrust(r.Context(), who, kept, b.Answer, r.UserAgent())
	}
	if done, err := told(w, err); done {
		return err
	}
	s.Keep(w, who.ID, key)
	return middleware.JSON(w, http.StatusOK, map[string]string{"to": ui.Inside(b.Next, mePath)})
}

// takeFactors takes the second factors of another away.
func (s Screen) takeFactors(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.People.TakeFactors(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("%s/%d", peoplePath, id), http.StatusSeeOther)
	return nil
}

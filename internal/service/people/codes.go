package people

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"errors"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/totp"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	prepareCodes = act.Deed{Name: "prepare codes as a second factor"}
	useCodes     = act.Deed{Name: "use codes as a second factor"}
	stopCodes    = act.Deed{Name: "stop using codes as a second factor"}
	takeFactors  = act.Deed{Name: "take away the second factors", Area: domain.AreaRun, Needs: domain.AccessAdminister}
)

// Factors are the second factors of a person.
type Factors struct {
	// CodesSince is since when codes are used; zero where they are not.
	CodesSince time.Time
	Recovery   int64 // recovery codes that are left
	Passkeys   []domain.Passkey
}

// Any tells whether there is one.
func (f Factors) Any() bool { return !f.CodesSince.IsZero() || len(f.Passkeys) > 0 }

// Factors returns the second factors of a person, to that person and to those who
// administer the person.
func (s *Service) Factors(ctx context.Context, who access.Actor, user domain.ID) (Factors, error) {
	if who.Kind != access.Person || who.ID != user || user == 0 {
		seen, err := s.desk.Reach(ctx, who, takeFactors)
		if err != nil {
			return Factors{}, err
		}
		if _, err := seen.Users.One(ctx, user); err != nil {
			return Factors{}, err
		}
	}
	return s.factors(ctx, user)
}

func (s *Service) factors(ctx context.Context, user domain.ID) (f Factors, err error) {
	codes, err := s.store.Factors.Codes(ctx, user)
	if err != nil && !errors.Is(err, domain.ErrNotFound) {
		return f, err
	}
	f.CodesSince = codes.Since
	if f.Recovery, err = s.store.Factors.Recovery(ctx, user); err != nil {
		return f, err
	}
	f.Passkeys, err = s.store.Factors.Passkeys(ctx, user)
	return f, err
}

// issuer is how programs that show codes call us.
const issuer = "Tireless Owl"

// PrepareCodes returns a new secret, which a program that shows codes of the time takes
// over; they are used once UseCodes has seen one.
func (s *Service) PrepareCodes(ctx context.Context, who access.Actor) (key *otp.Key, err error) {
	err = s.desk.Do(ctx, who, prepareCodes, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		present, err := w.Factors.Codes(ctx, who.ID)
		if err != nil && !errors.Is(err, domain.ErrNotFound) {
			return err
		}
		if !present.Since.IsZero() {
			return domain.FieldErrors{"code": "Codes are in use already: stop using them first."}
		}
		if key, err = totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: u.Name}); err != nil {
			return err
		}
		return w.Factors.SetCodes(ctx, domain.CodeFactor{UserID: u.ID, Secret: domain.Secret(key.Secret())})
	})
	return key, err
}

// PreparedCodes returns the secret once more that was prepared and is not in use yet, or
// ErrNotFound.
func (s *Service) PreparedCodes(ctx context.Context, who access.Actor) (key *otp.Key, err error) {
	err = s.desk.Do(ctx, who, prepareCodes, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		f, err := w.Factors.Codes(ctx, u.ID)
		if err == nil && !f.Since.IsZero() {
			err = domain.ErrNotFound
		}
		if err != nil {
			return err
		}
		secret, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(f.Secret.Reveal())
		if err != nil {
			return err
		}
		key, err = totp.Generate(totp.GenerateOpts{Issuer: issuer, AccountName: u.Name, Secret: secret})
		return err
	})
	return key, err
}

// recoveryCodes is how many a person gets.
const recoveryCodes = 8

// UseCodes makes codes a second factor of a person who shows one, and returns codes for
// when the program that shows them is lost, each for one use.
func (s *Service) UseCodes(ctx context.Context, who access.Actor, code string) (recovery []domain.Secret, err error) {
	err = s.desk.Do(ctx, who, useCodes, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		f, err := w.Factors.Codes(ctx, u.ID)
		if errors.Is(err, domain.ErrNotFound) || err == nil && !f.Since.IsZero() {
			return domain.FieldErrors{"code": "There are no codes to begin with; start anew."}
		}
		if err != nil {
			return err
		}
		step, ok := stepOf(f.Secret, code, s.now())
		if !ok {
			return errCode
		}
		f.Since, f.Step = s.now().UTC(), step
		if err := w.Factors.SetCodes(ctx, f); err != nil {
			return err
		}
		var hashes [][]byte
		for range recoveryCodes {
			c := domain.Secret(strings.ToLower(rand.Text()[:recoveryLength]))
			recovery, hashes = append(recovery, c), append(hashes, digest(c))
		}
		w.NoteFor(thing(u), nil, nil, "codes are asked for at a sign-in from now on")
		return w.Factors.SetRecovery(ctx, u.ID, hashes)
	})
	if err != nil {
		return nil, err
	}
	return recovery, nil
}

// recoveryLength is that of a recovery code: 60 bits, in base 32.
const recoveryLength = 12

var errCode = domain.FieldErrors{"code": "That is not the present code. Is the clock of the device right that shows it?"}

// StopCodes lets codes be a second factor no more, for one who knows the password.
func (s *Service) StopCodes(ctx context.Context, who access.Actor, password domain.Secret) error {
	return s.desk.Do(ctx, who, stopCodes, func(w *act.Work) error {
		u, err := s.self(ctx, w, who)
		if err != nil {
			return err
		}
		problem, err := s.unproven(ctx, who, u, password)
		if err != nil {
			return err
		}
		if problem != "" {
			return domain.FieldErrors{"password": problem}
		}
		w.NoteFor(thing(u), nil, nil, "codes are not asked for any more")
		return w.Factors.DropCodes(ctx, u.ID)
	})
}

// TakeFactors takes all second factors of another person away, who has lost them.
func (s *Service) TakeFactors(ctx context.Context, who access.Actor, user domain.ID) error {
	return s.desk.Do(ctx, who, takeFactors, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, user)
		if err != nil {
			return err
		}
		if err := w.Factors.DropCodes(ctx, user); err != nil {
			return err
		}
		w.NoteFor(thing(u), nil, nil, "the password is enough from now on")
		return w.Factors.DropPasskeys(ctx, user)
	})
}

// self is the person who acts, for himself.
func (s *Service) self(ctx context.Context, w *act.Work, who access.Actor) (domain.User, error) {
	if err := w.Own(who.ID); err != nil {
		return domain.User{}, err
	}
	return w.Users.One(ctx, who.ID)
}

// useCode uses a code of a person up: one of the time, or one for recovery.
func (s *Service) useCode(ctx context.Context, w *act.Work, user domain.ID, code string) (bool, error) {
	f, err := w.Factors.Codes(ctx, user)
	if errors.Is(err, domain.ErrNotFound) || err == nil && f.Since.IsZero() {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	if step, ok := stepOf(f.Secret, code, s.now()); ok {
		return w.Factors.Step(ctx, user, step)
	}
	return w.Factors.UseRecovery(ctx, user, digest(domain.Secret(strings.ToLower(squeezed(code)))))
}

// codeStep is for how long a code holds; one step before and after are taken, too
// (RFC 6238, sections 4 and 5.2).
const codeStep = 30 * time.Second

// stepOf returns the step of time that a code is of, if it is one of now.
func stepOf(secret domain.Secret, code string, now time.Time) (int64, bool) {
	code = squeezed(code)
	for _, off := range []time.Duration{0, -codeStep, codeStep} {
		at := now.Add(off)
		right, err := totp.GenerateCode(secret.Reveal(), at)
		if err == nil && subtle.ConstantTimeCompare([]byte(right), []byte(code)) == 1 {
			return at.Unix() / int64(codeStep/time.Second), true
		}
	}
	return 0, false
}

// squeezed leaves out the gaps that people and programs put into codes.
func squeezed(code string) string {
	return strings.NewReplacer(" ", "", "-", "").Replace(strings.TrimSpace(code))
}

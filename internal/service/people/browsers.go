package people

import (
	"cmp"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode"

	"github.com/mileusna/useragent"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var (
	signIn         = act.Deed{Name: "sign in", Anywhere: true}
	signOut        = act.Deed{Name: "sign out", Anywhere: true}
	trustBrowser   = act.Deed{Name: "trust a browser", Anywhere: true}
	distrustOwn    = act.Deed{Name: "take back the trust in a browser"}
	distrustOthers = act.Deed{Name: "take back the trust in a browser", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	endOwn         = act.Deed{Name: "end a sign-in"}
	endOthers      = act.Deed{Name: "end a sign-in", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	endAllOwn      = act.Deed{Name: "end all other sign-ins"}
	endAllOthers   = act.Deed{Name: "end all other sign-ins", Area: domain.AreaRun, Needs: domain.AccessAdminister}
)

// Presence is where a person is signed in, and which browsers the person trusts.
type Presence struct {
	SignIns  []domain.SignIn // those used last
	Total    int64           // how many sign-ins there are
	Browsers []domain.Browser
}

// mostSignIns is how many sign-ins are told.
const mostSignIns = 50

// Presence tells where a person is signed in, to that person and to those who
// administer the person.
func (s *Service) Presence(ctx context.Context, who access.Actor, user domain.ID) (p Presence, err error) {
	if who.Kind != access.Person || who.ID != user || user == 0 {
		seen, err := s.desk.Reach(ctx, who, endOthers)
		if err != nil {
			return p, err
		}
		if _, err := seen.Users.One(ctx, user); err != nil {
			return p, err
		}
	}
	now := s.now().UTC()
	if p.SignIns, p.Total, err = s.store.SignIns.Of(ctx, user, now, mostSignIns); err != nil {
		return p, err
	}
	p.Browsers, err = s.store.Browsers.Of(ctx, user, now)
	return p, err
}

// Proof is what a person shows once more, to be sure that it is that person.
type Proof struct {
	Password domain.Secret
	Code     string // where codes are a second factor
}

// Trust makes the browser in which a person is signed in a trusted one, when the person
// shows once more who he is. It returns the key for the browser to keep, ErrSlowDown
// with the time to wait, or what is wrong by field.
func (s *Service) Trust(
	ctx context.Context,
	who access.Actor,
	proof Proof,
	agent string,
) (key domain.Secret, wait time.Duration, err error) {
	try := attempt{name: fmt.Sprint("trust ", who.ID), from: who.From, strict: true}
	if wait := s.gate.begin(try, s.now()); wait > 0 {
		return "", wait, domain.ErrSlowDown
	}
	err = s.desk.Do(ctx, who, trustBrowser, func(w *act.Work) error {
		if err := w.Own(who.ID); err != nil {
			return err
		}
		u, err := w.Users.One(ctx, who.ID)
		if err != nil {
			return err
		}
		if err := s.prove(ctx, w, u, proof); err != nil {
			return err
		}
		key, err = s.trust(ctx, w, who, u, agent)
		return err
	})
	switch {
	case err == nil:
		s.gate.passed(try)
		return key, 0, nil
	case !errors.As(err, new(domain.FieldErrors)):
		s.gate.undecided(try)
	}
	return "", 0, err
}

// prove checks what a person shows once more: the password, and a second factor where
// there is one.
func (s *Service) prove(ctx context.Context, w *act.Work, u domain.User, proof Proof) error {
	right, err := s.gate.compare(ctx, []byte(u.Hash), proof.Password)
	if err != nil {
		return err
	}
	if !right {
		return domain.FieldErrors{"password": "That is not your password."}
	}
	f, err := s.factors(ctx, u.ID)
	switch {
	case err != nil:
		return err
	case !f.Any():
		return nil
	case f.CodesSince.IsZero():
		return domain.FieldErrors{"password": "The password is not enough: use your passkey."}
	}
	ok, err := s.useCode(ctx, w, u.ID, proof.Code)
	if err == nil && !ok {
		err = errCode
	}
	return err
}

// unproven says why a password does not show that somebody who is signed in is that person;
// it is empty where it does.
func (s *Service) unproven(ctx context.Context, who access.Actor, u domain.User, password domain.Secret) (string, error) {
	try := attempt{name: fmt.Sprint("own ", u.ID), from: who.From, strict: true}
	if wait := s.gate.begin(try, s.now()); wait > 0 {
		return fmt.Sprintf("Too many attempts. Try again in %d s.", int(wait/time.Second)+1), nil
	}
	right, err := s.gate.compare(ctx, []byte(u.Hash), password)
	switch {
	case err != nil:
		s.gate.undecided(try)
		return "", err
	case !right:
		return "That is not your password.", nil
	}
	s.gate.passed(try)
	return "", nil
}

// trust makes the browser of a sign-in a trusted one.
func (s *Service) trust(ctx context.Context, w *act.Work, who access.Actor, u domain.User, agent string) (domain.Secret, error) {
	b, key, err := s.addBrowser(ctx, w, u.ID, agent)
	if err != nil {
		return "", err
	}
	w.NoteFor(thing(u), nil, nil, b.Agent)
	return key, w.SignIns.Trust(ctx, who.SignIn, b.ID)
}

// known returns the browser that a person comes from, where it is trusted, and notes
// that it is used.
func (s *Service) known(ctx context.Context, from *store.Areas, user domain.ID, a Arrival) (domain.Browser, error) {
	if a.Kept == nil || a.Kept(user) == "" {
		return domain.Browser{}, nil
	}
	now := s.now().UTC()
	b, err := from.Browsers.ByKey(ctx, user, digest(a.Kept(user)), now)
	if errors.Is(err, domain.ErrNotFound) {
		return domain.Browser{}, nil
	}
	if err != nil {
		return b, err
	}
	b.UsedAt, b.EndsAt = now, now.Add(domain.TrustTime)
	return b, from.Browsers.Used(ctx, b)
}

func (s *Service) addBrowser(ctx context.Context, w *act.Work, user domain.ID, agent string) (domain.Browser, domain.Secret, error) {
	now := s.now().UTC()
	key := domain.Secret(rand.Text() + rand.Text())
	b := domain.Browser{UserID: user, Agent: agentWords(agent), Since: now, UsedAt: now, EndsAt: now.Add(domain.TrustTime)}
	b, err := w.Browsers.Add(ctx, b, digest(key))
	return b, key, err
}

// Distrust takes the trust in a browser back: who is signed in there may only look.
func (s *Service) Distrust(ctx context.Context, who access.Actor, id domain.ID) error {
	b, err := s.store.Browsers.One(ctx, id)
	if err != nil {
		return err
	}
	return s.ofPerson(ctx, who, distrustOwn, distrustOthers, b.UserID, func(w *act.Work, u domain.User) error {
		w.NoteFor(thing(u), nil, nil, b.Agent)
		return w.Browsers.Forget(ctx, id)
	})
}

// EndSignIn ends a sign-in, of oneself or of somebody whom one administers.
func (s *Service) EndSignIn(ctx context.Context, who access.Actor, id domain.ID) error {
	in, err := s.store.SignIns.One(ctx, id)
	if err != nil {
		return err
	}
	return s.ofPerson(ctx, who, endOwn, endOthers, in.UserID, func(w *act.Work, u domain.User) error {
		w.NoteFor(thing(u), nil, nil, in.Agent+" from "+in.Origin)
		return w.SignIns.End(ctx, id)
	})
}

// EndSignIns ends all sign-ins of oneself but the present one, or all of somebody whom one
// administers.
func (s *Service) EndSignIns(ctx context.Context, who access.Actor, user domain.ID) error {
	return s.ofPerson(ctx, who, endAllOwn, endAllOthers, user, func(w *act.Work, u domain.User) error {
		but := domain.ID(0)
		if who.Kind == access.Person && who.ID == user {
			but = who.SignIn
		}
		_, before, err := w.SignIns.Of(ctx, user, s.now().UTC(), 1)
		if err != nil {
			return err
		}
		w.NoteFor(thing(u), nil, nil, text.Count(before, "sign-in")+" before")
		return w.SignIns.EndAll(ctx, user, but)
	})
}

// ofPerson does something with what belongs to a person: by oneself, or by somebody who
// administers that person.
func (s *Service) ofPerson(
	ctx context.Context,
	who access.Actor,
	own, others act.Deed,
	user domain.ID,
	f func(*act.Work, domain.User) error,
) error {
	if who.Kind == access.Person && who.ID == user && user != 0 {
		return s.desk.Do(ctx, who, own, func(w *act.Work) error {
			if err := w.Own(user); err != nil {
				return err
			}
			u, err := w.Users.One(ctx, user)
			if err != nil {
				return err
			}
			return f(w, u)
		})
	}
	return s.desk.Do(ctx, who, others, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, user)
		if err != nil {
			return err
		}
		return f(w, u)
	})
}

// SignOut ends the sign-in in which a person acts.
func (s *Service) SignOut(ctx context.Context, who access.Actor) error {
	return s.desk.Do(ctx, who, signOut, func(w *act.Work) error {
		if err := w.Own(who.ID); err != nil {
			return err
		}
		return w.SignIns.End(ctx, who.SignIn)
	})
}

// agentWords says in a few words what a browser says that it is.
func agentWords(agent string) string {
	ua := useragent.Parse(agent)
	words := []string{strings.TrimSpace(ua.Name + " " + ua.VersionNoShort())}
	if ua.OS != "" {
		words = append(words, "on", ua.OS)
	}
	out := strings.Join(words, " ")
	switch {
	case ua.Tablet:
		out += ", a tablet"
	case ua.Mobile:
		out += ", a telephone"
	}
	return cmp.Or(cleaned(out, maxAgent), "an unnamed program")
}

const maxAgent = 80

// cleaned leaves out what cannot be shown, and cuts what is too long.
func cleaned(s string, most int) string {
	s = strings.Map(func(r rune) rune {
		if !unicode.IsPrint(r) || r == unicode.ReplacementChar {
			return -1
		}
		return r
	}, s)
	if runes := []rune(s); len(runes) > most {
		s = string(runes[:most]) + "…"
	}
	return strings.TrimSpace(s)
}

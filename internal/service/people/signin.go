package people

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Arrival is how a person comes in.
type Arrival struct {
	From  string // the address
	Agent string // what the browser says that it is
	Trust bool   // the browser shall be trusted
	// Kept returns the key that the browser keeps for a person; empty where it keeps
	// none. May be nil.
	Kept func(user domain.ID) domain.Secret
}

// Entered is a person who came in.
type Entered struct {
	User   domain.User
	SignIn domain.SignIn
	// Key is for the browser to keep, since it is trusted from now on; empty otherwise.
	Key domain.Secret
	// Asked is what is asked for besides, where the password is not enough; nobody is
	// signed in then.
	Asked *Factors
}

// SignIn signs a person in who knows the password. It returns ErrSignIn, or ErrSlowDown
// with the time to wait after repeated failures.
func (s *Service) SignIn(ctx context.Context, name string, password domain.Secret, a Arrival) (Entered, time.Duration, error) {
	name = account(name)
	u, err := s.called(ctx, name)
	if err != nil {
		return Entered{}, 0, err
	}
	try := attempt{name: name, from: a.From}
	if try.browser, err = s.trusts(ctx, u.ID, a); err != nil {
		return Entered{}, 0, err
	}
	if wait := s.gate.begin(try, s.now()); wait > 0 {
		return Entered{}, wait, domain.ErrSlowDown
	}
	hash := []byte(u.Hash)
	if u.Locked || u.Hash == "" {
		hash, u.Hash = s.decoy, "" // it takes as long
	}
	right, err := s.gate.compare(ctx, hash, password)
	if err != nil {
		s.gate.undecided(try)
		return Entered{}, time.Second, err
	}
	if !right || u.Hash == "" {
		s.noteFailed(ctx, u, name, a.From, "the name or the password was not right")
		return Entered{}, 0, domain.ErrSignIn
	}
	s.gate.passed(try)
	asked, err := s.asked(ctx, u.ID, a)
	if err != nil || asked != nil {
		return Entered{User: u, Asked: asked}, 0, err
	}
	in, err := s.enter(ctx, u, a, passed)
	return in, 0, err
}

// called is the person of a name, the zero one where nobody is called so.
func (s *Service) called(ctx context.Context, name string) (domain.User, error) {
	if len(name) > maxName {
		return domain.User{}, nil
	}
	u, err := s.store.Users.ByName(ctx, name)
	if errors.Is(err, domain.ErrNotFound) {
		return domain.User{}, nil
	}
	return u, err
}

// trusts is the browser that a person trusts and comes from, zero for none.
func (s *Service) trusts(ctx context.Context, user domain.ID, a Arrival) (domain.ID, error) {
	if user == 0 || a.Kept == nil || a.Kept(user) == "" {
		return 0, nil
	}
	b, err := s.store.Browsers.ByKey(ctx, user, digest(a.Kept(user)), s.now().UTC())
	if errors.Is(err, domain.ErrNotFound) {
		return 0, nil
	}
	return b.ID, err
}

// asked is what a person has to show besides the password: nothing in a browser that is
// trusted, which is something that the person has.
func (s *Service) asked(ctx context.Context, user domain.ID, a Arrival) (*Factors, error) {
	f, err := s.factors(ctx, user)
	if err != nil || !f.Any() {
		return nil, err
	}
	b, err := s.known(ctx, &s.store.Areas, user, a)
	if err != nil || b.ID != 0 {
		return nil, err
	}
	return &f, nil
}

// SignInSecond signs a person in whose password was right, and who shows a code besides.
func (s *Service) SignInSecond(ctx context.Context, user domain.ID, code string, a Arrival) (Entered, time.Duration, error) {
	try := attempt{name: fmt.Sprint("code ", user), from: a.From, strict: true}
	if wait := s.gate.begin(try, s.now()); wait > 0 {
		return Entered{}, wait, domain.ErrSlowDown
	}
	u, err := s.store.Users.One(ctx, user)
	if err != nil {
		return Entered{}, 0, err
	}
	in, err := s.enter(ctx, u, a, func(w *act.Work) error {
		ok, err := s.useCode(ctx, w, user, code)
		if err == nil && !ok {
			err = errCode
		}
		return err
	})
	if errors.As(err, new(domain.FieldErrors)) {
		s.noteFailed(ctx, u, u.Name, a.From, "the code was not right")
		return Entered{}, 0, err
	}
	if err != nil {
		s.gate.undecided(try)
		return in, 0, err
	}
	s.gate.passed(try)
	return in, 0, nil
}

// passed is for those who have shown all already.
func passed(*act.Work) error { return nil }

// enter signs in a person who has shown who he is, if the last of it is right.
func (s *Service) enter(ctx context.Context, u domain.User, a Arrival, last func(*act.Work) error) (in Entered, err error) {
	if u.Locked {
		return in, domain.ErrSignIn
	}
	in.User = u
	who := access.Actor{Kind: access.Person, ID: u.ID, Name: u.Called(), From: a.From}
	err = s.desk.Do(ctx, who, signIn, func(w *act.Work) error {
		if err := w.Own(u.ID); err != nil {
			return err
		}
		if err := last(w); err != nil {
			return err
		}
		now := s.now().UTC()
		b, err := s.known(ctx, w.Areas, u.ID, a)
		if err != nil {
			return err
		}
		if b.ID == 0 && a.Trust {
			if b, in.Key, err = s.addBrowser(ctx, w, u.ID, a.Agent); err != nil {
				return err
			}
		}
		in.SignIn, err = w.SignIns.Add(ctx, domain.SignIn{
			UserID:    u.ID,
			BrowserID: b.ID,
			Agent:     agentWords(a.Agent),
			Origin:    a.From,
			Since:     now,
			UsedAt:    now,
			EndsAt:    now.Add(domain.SignInTime),
		})
		if err != nil {
			return err
		}
		reason := "in a browser that is not trusted"
		if b.ID != 0 {
			reason = "in a trusted browser"
		}
		w.NoteFor(thing(u), nil, nil, reason)
		return w.Users.Seen(ctx, u.ID, now)
	})
	return in, err
}

// noteFailed notes that somebody could not sign in; the name that was typed may be a
// password by mistake, so it is only noted where it is a name.
func (s *Service) noteFailed(ctx context.Context, u domain.User, name, from, reason string) {
	if u.ID == 0 {
		name = "an unknown name"
	}
	who := access.Actor{Kind: access.Person, ID: u.ID, Name: name, From: from}
	s.desk.Record(ctx, who, domain.Entry{Act: signIn.Name, Refused: true, Kind: "person", ThingID: u.ID, Thing: name, PlaceID: u.PlaceID,
		Reason: reason})
}

// Actor is a person at a browser that is trusted, or ErrNotFound where that person cannot
// sign in any more.
func (s *Service) Actor(ctx context.Context, id domain.ID, from string) (access.Actor, error) {
	u, err := s.store.Users.One(ctx, id)
	if err != nil {
		return access.Actor{}, err
	}
	return s.actor(ctx, u, from)
}

func (s *Service) actor(ctx context.Context, u domain.User, from string) (access.Actor, error) {
	if u.Locked {
		return access.Actor{}, domain.ErrNotFound
	}
	sheet, err := s.sheets.Of(ctx, u.ID)
	return access.Actor{Kind: access.Person, ID: u.ID, Name: u.Called(), From: from, Sheet: sheet}, err
}

// usedInStep is how often at most it is noted that a sign-in is used: a page that only
// reads shall not write.
const usedInStep = time.Minute

// Present is who acts in a sign-in, and until when it lasts; it is ErrNotFound where it
// has ended. Where the browser is not trusted only looking remains.
func (s *Service) Present(ctx context.Context, signIn domain.ID, from string) (access.Actor, domain.SignIn, error) {
	now := s.now().UTC()
	in, u, err := s.store.SignIns.Present(ctx, signIn, now)
	if err != nil {
		return access.Actor{}, in, err
	}
	who, err := s.actor(ctx, u, from)
	if err != nil {
		return access.Actor{}, in, err
	}
	who.SignIn = in.ID
	if in.BrowserID == 0 {
		who.Untrusted, who.Lowered = true, !who.Anywhere(domain.AccessOperate).None()
		who.Sheet = who.AtMost(domain.AccessSee, "This browser is not trusted, so that only looking remains")
	}
	if now.Sub(in.UsedAt) < usedInStep {
		return who, in, nil
	}
	in.UsedAt, in.Origin, in.EndsAt = now, from, lasts(in.Since, now)
	return who, in, s.store.SignIns.Used(ctx, in)
}

// lasts is until when a sign-in lasts that is used now.
func lasts(since, now time.Time) time.Time {
	end, last := now.Add(domain.SignInTime), since.Add(domain.SignInMost)
	if last.Before(end) {
		return last
	}
	return end
}

// Package people is who may sign in, in which teams they are, and what those may do.
package people

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/go-webauthn/webauthn/webauthn"
	"golang.org/x/crypto/bcrypt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Service is the use cases of people.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	sheets *act.Sheets
	gate   *gate
	now    func() time.Time
	// decoy is compared with when there is no such user, so that the time
	// taken does not tell.
	decoy []byte
	keys  *webauthn.WebAuthn // nil where people reach us by an address only
	url   string             // how people reach us
	asker Asker
	log   func(what string, err error)
}

// Parts are what the service stands on.
type Parts struct {
	Store  *store.Store
	Desk   *act.Desk
	Sheets *act.Sheets
	Now    func() time.Time
	// URL is how people reach the application. Passkeys belong to its name, and there are
	// none where it is an address.
	URL string
	// Asker asks the provider of accounts, and Log is told what it answers wrongly.
	Asker Asker
	Log   *slog.Logger
}

// New returns the service.
func New(p Parts) *Service {
	decoy, _ := bcrypt.GenerateFromPassword([]byte("nobody"), bcrypt.DefaultCost)
	return &Service{
		store:  p.Store,
		desk:   p.Desk,
		sheets: p.Sheets,
		gate:   newGate(),
		now:    p.Now,
		decoy:  decoy,
		keys:   keysOf(p.URL),
		url:    p.URL,
		asker:  p.Asker,
		log:    func(what string, err error) { p.Log.Warn(what, "error", err) },
	}
}

var (
	addPerson    = act.Deed{Name: "add a person", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	changePerson = act.Deed{Name: "change a person", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	removePerson = act.Deed{Name: "remove a person", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	setPassword  = act.Deed{Name: "set a password", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	ownPassword  = act.Deed{Name: "change the own password"}
)

func thing(u domain.User) act.Thing {
	return act.Thing{Kind: "person", ID: u.ID, Name: u.Called(), PlaceID: u.PlaceID}
}

// Draft is a person as it is typed.
type Draft struct {
	Name    string        `json:"name"`
	Display string        `json:"display"`
	PlaceID domain.ID     `json:"place_id"`
	Teams   []domain.ID   `json:"teams"`
	Locked  bool          `json:"locked"`
	Version int           `json:"version"`
	Secret  domain.Secret `json:"-"` // the password; empty where it is set by a link
}

const maxName = 100

// check says what is wrong, by field.
func (d Draft) check() domain.FieldErrors {
	errs := domain.FieldErrors{}
	if d.Name == "" || len(d.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give the user a name of at most %d characters.", maxName)
	}
	if len(d.Display) > maxName {
		errs["display"] = fmt.Sprintf("At most %d characters.", maxName)
	}
	return errs
}

// account is the form in which names are stored: telephones begin words with
// a capital, and nobody should be kept out by that.
func account(name string) string { return strings.ToLower(strings.TrimSpace(name)) }

func hashOf(password domain.Secret) (string, error) {
	hash, err := bcrypt.GenerateFromPassword([]byte(password.Reveal()), bcrypt.DefaultCost)
	return string(hash), err
}

// People returns everybody whom an actor may see, by name.
func (s *Service) People(ctx context.Context, who access.Actor) ([]domain.User, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	return seen.Users.All(ctx)
}

// Person returns one person, or ErrNotFound; oneself everybody may see.
func (s *Service) Person(ctx context.Context, who access.Actor, id domain.ID) (domain.User, error) {
	if who.Kind == access.Person && who.ID == id && id != 0 {
		return s.store.Users.One(ctx, id)
	}
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.User{}, err
	}
	return seen.Users.One(ctx, id)
}

// Add makes a person a user. Without a password nobody can sign in as that person
// before a link has set one.
func (s *Service) Add(ctx context.Context, who access.Actor, d Draft) (u domain.User, err error) {
	d.Name, d.Display = account(d.Name), strings.TrimSpace(d.Display)
	err = s.desk.Do(ctx, who, addPerson, func(w *act.Work) error {
		if err := w.At(d.PlaceID); err != nil {
			return err
		}
		errs := d.check()
		if d.Secret != "" {
			checkPassword(errs, d.Secret, domain.User{Name: d.Name, Display: d.Display})
		}
		if err := errs.OrNil(); err != nil {
			return err
		}
		u = domain.User{Name: d.Name, Display: d.Display, PlaceID: d.PlaceID, CreatedAt: s.now().UTC()}
		if d.Secret != "" {
			if u.Hash, err = hashOf(d.Secret); err != nil {
				return err
			}
		}
		u, err = w.Users.Add(ctx, u)
		if errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "This name cannot be used: choose another one."}
		}
		if err != nil {
			return err
		}
		w.Note(thing(u), nil, u)
		return s.join(ctx, w, who, u, d.Teams)
	})
	return u, err
}

// Change changes what is known of a person, and in which teams it is.
func (s *Service) Change(ctx context.Context, who access.Actor, id domain.ID, d Draft) error {
	d.Display = strings.TrimSpace(d.Display)
	return s.desk.Do(ctx, who, changePerson, func(w *act.Work) error {
		old, err := s.over(ctx, w, who, id)
		if err != nil {
			return err
		}
		if err := w.At(d.PlaceID); err != nil {
			return err
		}
		d.Name = old.Name // it is signed in with, and stays
		if err := d.check().OrNil(); err != nil {
			return err
		}
		u := old
		u.Display, u.PlaceID, u.Locked, u.Version = d.Display, d.PlaceID, d.Locked, d.Version
		if err := w.Users.Update(ctx, u); err != nil {
			return err
		}
		u.Version++
		w.Note(thing(u), old, u)
		if u.Locked && !old.Locked {
			if err := s.endAll(ctx, w, u.ID, 0); err != nil {
				return err
			}
		}
		if err := s.join(ctx, w, who, u, d.Teams); err != nil {
			return err
		}
		return remains(ctx, w)
	})
}

// over returns a person whom an actor may administer: one who may not more than he.
func (s *Service) over(ctx context.Context, w *act.Work, who access.Actor, id domain.ID) (domain.User, error) {
	u, err := w.Users.One(ctx, id)
	if err != nil {
		return u, w.Missing(err)
	}
	if err := w.At(u.PlaceID); err != nil {
		return u, err
	}
	sheet, err := s.sheets.Of(ctx, id)
	if err != nil {
		return u, err
	}
	if !who.Covers(sheet) {
		return u, fmt.Errorf("%w: %s may do what you may not", domain.ErrForbidden, u.Called())
	}
	return u, nil
}

// join puts a person into exactly the given teams, of those that the actor sees.
func (s *Service) join(ctx context.Context, w *act.Work, who access.Actor, u domain.User, teams []domain.ID) error {
	all, err := w.Teams.All(ctx)
	if err != nil {
		return err
	}
	for _, id := range teams {
		if !slices.ContainsFunc(all, func(t domain.Team) bool {
			return t.ID == id && who.May(domain.AreaRun, domain.AccessAdminister, domain.At(t.PlaceID))
		}) {
			return domain.FieldErrors{"teams": "There is no such team."}
		}
	}
	for _, t := range all {
		is, shall := slices.Contains(t.Members, u.ID), slices.Contains(teams, t.ID)
		if is == shall || !who.May(domain.AreaRun, domain.AccessAdminister, domain.At(t.PlaceID)) {
			continue
		}
		old := t
		t.Members = slices.DeleteFunc(slices.Clone(t.Members), func(id domain.ID) bool { return id == u.ID })
		if shall {
			t.Members = append(t.Members, u.ID)
		}
		if err := s.saveTeam(ctx, w, who, old, t); err != nil {
			return err
		}
	}
	w.Then(s.forget)
	return nil
}

func (s *Service) forget(context.Context) error {
	s.sheets.Forget()
	return nil
}

// SetPassword sets the password of another person.
func (s *Service) SetPassword(ctx context.Context, who access.Actor, id domain.ID, password domain.Secret) error {
	return s.desk.Do(ctx, who, setPassword, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, id)
		if err != nil {
			return err
		}
		return s.password(ctx, w, u, password, who.SignIn)
	})
}

// password sets a password. All sign-ins of the person end but the one given, and so does
// the trust in all other browsers: who knew the old one shall not stay.
func (s *Service) password(ctx context.Context, w *act.Work, u domain.User, password domain.Secret, keep domain.ID) error {
	errs := domain.FieldErrors{}
	checkPassword(errs, password, u)
	if err := errs.OrNil(); err != nil {
		return err
	}
	hash, err := hashOf(password)
	if err != nil {
		return err
	}
	u.Hash = hash
	if err := w.Users.Update(ctx, u); err != nil {
		return err
	}
	w.NoteFor(thing(u), nil, nil, "a new password")
	return s.endAll(ctx, w, u.ID, keep)
}

// endAll ends all sign-ins of a person but one, and the trust in all browsers but that
// in which it is.
func (s *Service) endAll(ctx context.Context, w *act.Work, user, keep domain.ID) error {
	in, err := w.SignIns.One(ctx, keep)
	if err != nil && !errors.Is(err, domain.ErrNotFound) {
		return err
	}
	if err := w.SignIns.EndAll(ctx, user, keep); err != nil {
		return err
	}
	return w.Browsers.ForgetAll(ctx, user, in.BrowserID)
}

// ChangePassword changes the own password of a person who knows the present one.
func (s *Service) ChangePassword(ctx context.Context, who access.Actor, present, next domain.Secret) error {
	return s.desk.Do(ctx, who, ownPassword, func(w *act.Work) error {
		if err := w.Own(who.ID); err != nil {
			return err
		}
		u, err := w.Users.One(ctx, who.ID)
		if err != nil {
			return err
		}
		problem, err := s.unproven(ctx, who, u, present)
		if err != nil {
			return err
		}
		if problem != "" {
			return domain.FieldErrors{"present": problem}
		}
		return s.password(ctx, w, u, next, who.SignIn)
	})
}

// Remove takes a person out of all teams; nobody can sign in as that person any more.
// What was done keeps the name. It is ErrChanged where the person has another version, but
// zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, removePerson, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, id)
		if err != nil {
			return err
		}
		if version != 0 && version != u.Version {
			return domain.ErrChanged
		}
		if err := s.leave(ctx, w, u.ID); err != nil {
			return err
		}
		gone := u
		gone.RemovedAt = s.now().UTC()
		if err := w.Users.Update(ctx, gone); err != nil {
			return err
		}
		w.Note(thing(u), u, nil)
		w.Then(s.forget)
		if err := s.endAll(ctx, w, u.ID, 0); err != nil {
			return err
		}
		return remains(ctx, w)
	})
}

// leave takes a person out of all teams.
func (s *Service) leave(ctx context.Context, w *act.Work, user domain.ID) error {
	teams, err := w.Teams.Of(ctx, user)
	if err != nil {
		return err
	}
	for _, t := range teams {
		old := t
		t.Members = slices.DeleteFunc(slices.Clone(t.Members), func(id domain.ID) bool { return id == user })
		saved, err := w.Teams.Save(ctx, t)
		if err != nil {
			return err
		}
		w.Note(teamThing(saved), old, saved)
	}
	return nil
}

// remains refuses what would leave nobody who may administer the whole tree.
func remains(ctx context.Context, w *act.Work) error {
	teams, err := w.Teams.All(ctx)
	if err != nil {
		return err
	}
	users, err := w.Users.All(ctx)
	if err != nil {
		return err
	}
	able := map[domain.ID]bool{}
	for _, u := range users {
		able[u.ID] = !u.Locked
	}
	for _, t := range teams {
		for _, g := range t.Grants {
			if g.PlaceID == 0 && g.Level == domain.AccessAdminister && g.For(domain.AreaRun) &&
				slices.ContainsFunc(t.Members, func(id domain.ID) bool { return able[id] }) {
				return nil
			}
		}
	}
	return fmt.Errorf(
		"%w: nobody would be left who may administer the whole tree; make somebody else an administrator first",
		domain.ErrConflict,
	)
}

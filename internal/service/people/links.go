package people

import (
	"context"
	"crypto/rand"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	makeLink = act.Deed{Name: "make a link to set a password", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	takeLink = act.Deed{Name: "take back a link to set a password", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	useLink  = act.Deed{Name: "set the own password by a link", Anywhere: true}
)

// linkTime is for how long a link holds.
const linkTime = 3 * 24 * time.Hour

// MakeLink makes a link with which a person sets a password once, for an invitation or
// where the password is forgotten. It returns the key, of which only the hash is stored,
// and until when it holds; a link that the person had before ends.
func (s *Service) MakeLink(ctx context.Context, who access.Actor, user domain.ID) (key domain.Secret, ends time.Time, err error) {
	err = s.desk.Do(ctx, who, makeLink, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, user)
		if err != nil {
			return err
		}
		key, ends = domain.Secret(rand.Text()+rand.Text()), s.now().UTC().Add(linkTime)
		w.NoteFor(thing(u), nil, nil, "it holds until "+ends.Format(time.RFC3339))
		return w.Links.Set(ctx, user, digest(key), ends)
	})
	if err != nil {
		return "", time.Time{}, err
	}
	return key, ends, nil
}

// LinkUntil tells until when the link of a person holds; zero where there is none.
func (s *Service) LinkUntil(ctx context.Context, who access.Actor, user domain.ID) (time.Time, error) {
	seen, err := s.desk.Reach(ctx, who, makeLink)
	if err != nil {
		return time.Time{}, err
	}
	if _, err := seen.Users.One(ctx, user); err != nil {
		return time.Time{}, err
	}
	return s.store.Links.Until(ctx, user, s.now().UTC())
}

// TakeLink takes the link of a person back.
func (s *Service) TakeLink(ctx context.Context, who access.Actor, user domain.ID) error {
	return s.desk.Do(ctx, who, takeLink, func(w *act.Work) error {
		u, err := s.over(ctx, w, who, user)
		if err != nil {
			return err
		}
		had, err := w.Links.Drop(ctx, user)
		if had {
			w.NoteFor(thing(u), nil, nil, "it opens nothing any more")
		}
		return err
	})
}

// Linked returns whose link a key is of, or ErrNotFound.
func (s *Service) Linked(ctx context.Context, key domain.Secret) (domain.User, error) {
	id, err := s.store.Links.User(ctx, digest(key), s.now().UTC())
	if err != nil {
		return domain.User{}, err
	}
	u, err := s.store.Users.One(ctx, id)
	if err == nil && u.Locked {
		err = domain.ErrNotFound
	}
	return u, err
}

// UseLink sets the password of the person whose link it is, and ends the link and all
// sign-ins of the person.
func (s *Service) UseLink(ctx context.Context, key, password domain.Secret, from string) (domain.User, error) {
	u, err := s.Linked(ctx, key)
	if err != nil {
		return u, err
	}
	who := access.Actor{Kind: access.Person, ID: u.ID, Name: u.Called(), From: from}
	return u, s.desk.Do(ctx, who, useLink, func(w *act.Work) error {
		if err := w.Own(u.ID); err != nil {
			return err
		}
		if err := s.password(ctx, w, u, password, 0); err != nil {
			return err
		}
		had, err := w.Links.Drop(ctx, u.ID)
		if err == nil && !had {
			return domain.ErrNotFound // somebody was faster
		}
		return err
	})
}

package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	makeToken     = act.Deed{Name: "make a token"}
	takeToken     = act.Deed{Name: "take back a token"}
	makeFreeToken = act.Deed{Name: "make a token without an owner", Area: domain.AreaRun, Needs: domain.AccessAdminister}
)

func tokenThing(t domain.Token) act.Thing { return act.Thing{Kind: "token", ID: t.ID, Name: t.Name} }

// tokenPrefix makes our tokens easy to recognise where they leak.
const tokenPrefix = "owl_"

// MakeToken makes a key for the API and returns it; only its hash is stored. It acts
// for the person who makes it, and may do nothing that this person may not. One that
// the application makes belongs to nobody.
func (s *Service) MakeToken(ctx context.Context, who access.Actor, t domain.Token) (made domain.Token, key domain.Secret, err error) {
	t.Name = strings.TrimSpace(t.Name)
	deed := makeToken
	if who.Kind == access.Application {
		deed = makeFreeToken
	}
	err = s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		ask := func() error { return w.Own(who.ID) }
		if who.Kind == access.Application {
			ask = w.Whole
		}
		if err := ask(); err != nil {
			return err
		}
		if err := s.checkToken(t).OrNil(); err != nil {
			return err
		}
		t.OwnerID, t.CreatedAt = who.ID, s.now().UTC()
		key = domain.Secret(tokenPrefix + rand.Text() + rand.Text())
		made, err = w.Tokens.Add(ctx, t, digest(key))
		if errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "There is a token of this name already."}
		}
		if err != nil {
			return err
		}
		w.Note(tokenThing(made), nil, made)
		return nil
	})
	if err != nil {
		return domain.Token{}, "", err
	}
	return made, key, nil
}

func (s *Service) checkToken(t domain.Token) domain.FieldErrors {
	errs := domain.FieldErrors{}
	if t.Name == "" || len(t.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give the token a name of at most %d characters.", maxName)
	}
	if !t.Grant.Level.Valid() {
		errs["level"] = "Must be see, operate, configure or administer."
	}
	if slices.ContainsFunc(t.Grant.Areas, func(a domain.Area) bool { return !a.Valid() }) {
		errs["areas"] = "There is no such work area."
	}
	if t.Grant.Tag != "" {
		errs["level"] = "A token is bounded by a place, not by a tag."
	}
	if t.Ended(s.now()) {
		errs["ends"] = "Must lie in the future."
	}
	return errs
}

// Tokens returns the tokens of an actor; all of them to those who may administer the
// whole tree.
func (s *Service) Tokens(ctx context.Context, who access.Actor) ([]domain.Token, error) {
	if who.Kind == "" {
		return nil, domain.ErrForbidden
	}
	all, err := s.store.Tokens.All(ctx)
	if who.May(domain.AreaRun, domain.AccessAdminister, domain.At(0)) {
		return all, err
	}
	return slices.DeleteFunc(all, func(t domain.Token) bool { return who.Kind != access.Person || t.OwnerID != who.ID }), err
}

// TakeToken takes a token back: it opens nothing any more.
func (s *Service) TakeToken(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, takeToken, func(w *act.Work) error {
		t, err := w.Tokens.One(ctx, id)
		owner := w.Own(t.OwnerID)
		if !who.May(domain.AreaRun, domain.AccessAdminister, domain.At(0)) && owner != nil {
			return domain.ErrNotFound
		}
		if err != nil {
			return err
		}
		w.Note(tokenThing(t), t, nil)
		return w.Tokens.Delete(ctx, id)
	})
}

// usedStep is how often at most it is noted that a token is used.
const usedStep = time.Minute

// Holder is who acts with a key, or ErrSignIn.
func (s *Service) Holder(ctx context.Context, key domain.Secret, from string) (access.Actor, error) {
	t, err := s.store.Tokens.ByHash(ctx, digest(key))
	if errors.Is(err, domain.ErrNotFound) || err == nil && t.Ended(s.now()) {
		return access.Actor{}, domain.ErrSignIn
	}
	if err != nil {
		return access.Actor{}, err
	}
	sheet, err := s.sheetOf(ctx, t)
	if err != nil {
		return access.Actor{}, err
	}
	if now := s.now().UTC(); now.Sub(t.UsedAt) > usedStep {
		if err := s.store.Tokens.Used(ctx, t.ID, now); err != nil {
			return access.Actor{}, err
		}
	}
	return access.Actor{Kind: access.Token, ID: t.ID, Name: t.Name, From: from, Sheet: sheet}, nil
}

// sheetOf is what a token may do: what its owner may, within its own bounds.
func (s *Service) sheetOf(ctx context.Context, t domain.Token) (access.Sheet, error) {
	if t.OwnerID == 0 {
		tree, err := s.sheets.Tree(ctx)
		return access.NewSheet(tree, []access.Given{{Grant: t.Grant, From: "The token “" + t.Name + "”"}}), err
	}
	u, err := s.store.Users.One(ctx, t.OwnerID)
	if errors.Is(err, domain.ErrNotFound) || err == nil && u.Locked {
		return access.Sheet{}, domain.ErrSignIn
	}
	if err != nil {
		return access.Sheet{}, err
	}
	sheet, err := s.sheets.Of(ctx, t.OwnerID)
	return sheet.Within(t.Grant, "The token “"+t.Name+"” is bounded"), err
}

// digest suffices for tokens: they are long and random, unlike passwords.
func digest(key domain.Secret) []byte {
	sum := sha256.Sum256([]byte(key.Reveal()))
	return sum[:]
}

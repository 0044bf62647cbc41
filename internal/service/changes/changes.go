// Package changes lets people gather changes of kits, fitting rules, rules and settings, see what they would
// do together, put them in force in one go, and take them back.
package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/store"
)

// Wiring are what the service works with: what is gathered is put in force by the use cases of the others.
type Wiring struct {
	Store    *store.Store
	Desk     *act.Desk
	Kits     *collect.Service
	Fitting  *fitting.Service
	Judge    *judge.Service
	Settings *settings.Service
}

// Service is the use cases.
type Service struct{ Wiring }

// New returns the service.
func New(w Wiring) *Service { return &Service{w} }

var (
	gather    = act.Deed{Name: "gather changes", Area: domain.AreaCollect}
	applySet  = act.Deed{Name: "apply changes", Area: domain.AreaCollect}
	rollBack  = act.Deed{Name: "roll back changes", Area: domain.AreaCollect}
	seeOthers = act.Deed{Name: "look at changes of others", Area: domain.AreaCollect, Needs: domain.AccessSee}
)

// Bounds of sets of changes.
const (
	mostName   = 80   // characters
	mostReason = 2000 // characters
	mostEdits  = 200
	mostBytes  = 4 << 20 // of all edits together
)

// All returns the sets that an actor may see, the newest first and without their edits: those of all to who sees all of collecting,
// else one's own.
func (s *Service) All(ctx context.Context, who access.Actor) ([]domain.ChangeSet, error) {
	if who.Scope(domain.AreaCollect, domain.AccessSee).All() {
		return s.Store.ChangeSets.All(ctx)
	}
	if !s.May(who) {
		if err := s.Desk.May(ctx, who, seeOthers); err != nil {
			return nil, err
		}
	}
	return s.Store.ChangeSets.By(ctx, string(who.Kind), who.ID)
}

// One returns one of them, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (domain.ChangeSet, error) {
	c, err := s.Store.ChangeSets.One(ctx, id)
	if err == nil && !own(c, who) && !who.Scope(domain.AreaCollect, domain.AccessSee).All() {
		err = fmt.Errorf("change set %d: %w", id, domain.ErrNotFound)
	}
	return c, err
}

func own(c domain.ChangeSet, who access.Actor) bool {
	return c.AuthorKind == string(who.Kind) && c.AuthorID == who.ID
}

// Open returns the newest set that an actor gathers; ok is false where there is none.
func (s *Service) Open(ctx context.Context, who access.Actor) (c domain.ChangeSet, ok bool, err error) {
	c, err = s.Store.ChangeSets.Draft(ctx, string(who.Kind), who.ID)
	if errors.Is(err, domain.ErrNotFound) {
		return domain.ChangeSet{}, false, nil
	}
	return c, err == nil, err
}

// Begin begins a set that has a name and a reason, both of which may be empty; its edits are checked as in
// Gather.
func (s *Service) Begin(ctx context.Context, who access.Actor, c domain.ChangeSet) (saved domain.ChangeSet, err error) {
	fresh := domain.ChangeSet{Name: c.Name, Reason: c.Reason, Edits: c.Edits, State: domain.Gathering, AuthorKind: string(who.Kind),
		AuthorID: who.ID, Author: who.Name, CreatedAt: time.Now().UTC()}
	if fresh.Name == "" {
		fresh.Name = "Changes of " + fresh.CreatedAt.Format("2006-01-02 15:04")
	}
	return s.keep(ctx, who, &fresh)
}

// Describe gives a set another name and reason. It is ErrChanged where it has another version, but zero.
func (s *Service) Describe(
	ctx context.Context, who access.Actor, id domain.ID, name, reason string, version int,
) (domain.ChangeSet, error) {
	return s.change(ctx, who, id, version, func(c *domain.ChangeSet) error {
		c.Name, c.Reason = name, reason
		return nil
	})
}

// Replace makes a set that was not applied what another one says: name, reason and edits. It is ErrChanged where
// the set has another version, but zero.
func (s *Service) Replace(ctx context.Context, who access.Actor, id domain.ID, by domain.ChangeSet, version int) (domain.ChangeSet, error) {
	return s.change(ctx, who, id, version, func(c *domain.ChangeSet) error {
		c.Name, c.Reason, c.Edits = by.Name, by.Reason, by.Edits
		return nil
	})
}

// Discard throws a set away that was not applied. It is ErrChanged where it has another version, but zero.
func (s *Service) Discard(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.Desk.Do(ctx, who, gather, func(w *act.Work) error {
		c, err := s.locked(ctx, w, id, version)
		if err != nil {
			return err
		}
		w.Note(thing(c), c, nil)
		return w.ChangeSets.Remove(ctx, id)
	})
}

func thing(c domain.ChangeSet) act.Thing {
	return act.Thing{Kind: "change-set", ID: c.ID, Name: c.Name}
}

// locked is a set of the actor's own that was not applied, of a version where that is not zero.
func (s *Service) locked(ctx context.Context, w *act.Work, id domain.ID, version int) (domain.ChangeSet, error) {
	c, err := w.ChangeSets.Lock(ctx, id)
	if err != nil {
		return c, w.Missing(err)
	}
	if err := w.By(c.AuthorKind, c.AuthorID); err != nil {
		return c, err
	}
	switch {
	case c.State != domain.Gathering:
		return c, fmt.Errorf("%w: the changes are in force already", domain.ErrConflict)
	case version != 0 && version != c.Version:
		return c, domain.ErrChanged
	}
	return c, nil
}

// change changes a set that is stored.
func (s *Service) change(
	ctx context.Context, who access.Actor, id domain.ID, version int, f func(*domain.ChangeSet) error,
) (saved domain.ChangeSet, err error) {
	err = s.Desk.Do(ctx, who, gather, func(w *act.Work) error {
		c, err := s.locked(ctx, w, id, version)
		if err != nil {
			return err
		}
		if err := f(&c); err != nil {
			return err
		}
		saved, err = s.store(ctx, w, c)
		return err
	})
	return saved, err
}

// keep stores a set that is new.
func (s *Service) keep(ctx context.Context, who access.Actor, c *domain.ChangeSet) (saved domain.ChangeSet, err error) {
	if !s.May(who) {
		return saved, s.Desk.May(ctx, who, act.Deed{Name: gather.Name, Area: domain.AreaCollect, Needs: domain.AccessConfigure})
	}
	err = s.Desk.Do(ctx, who, gather, func(w *act.Work) error {
		if err := w.By(c.AuthorKind, c.AuthorID); err != nil {
			return err
		}
		saved, err = s.store(ctx, w, *c)
		return err
	})
	return saved, err
}

// May tells whether an actor may configure anything that can be gathered.
func (s *Service) May(who access.Actor) bool {
	for _, area := range []domain.Area{domain.AreaCollect, domain.AreaJudge, domain.AreaRun} {
		if !who.Scope(area, domain.AccessConfigure).None() {
			return true
		}
	}
	return false
}

func (s *Service) store(ctx context.Context, w *act.Work, c domain.ChangeSet) (domain.ChangeSet, error) {
	if errs := tidy(&c); len(errs) > 0 {
		return c, errs
	}
	for i := range c.Edits {
		c.Edits[i].Back, c.Edits[i].Became = nil, nil // it is not applied yet
	}
	return w.ChangeSets.Save(ctx, c)
}

// tidy puts a set in order; what is wrong is told by field: name, reason, edits.
func tidy(c *domain.ChangeSet) domain.FieldErrors {
	errs := domain.FieldErrors{}
	c.Name, c.Reason = strings.Join(strings.Fields(c.Name), " "), strings.TrimSpace(c.Reason)
	switch {
	case c.Name == "":
		errs["name"] = "Give the changes a name."
	case len([]rune(c.Name)) > mostName:
		errs["name"] = fmt.Sprintf("At most %d characters.", mostName)
	case !text.Printable(c.Name):
		errs["name"] = "It has characters that cannot be shown."
	}
	switch {
	case len([]rune(c.Reason)) > mostReason:
		errs["reason"] = fmt.Sprintf("At most %s characters.", text.Thousands(mostReason))
	case !text.Printable(strings.ReplaceAll(c.Reason, "\n", " ")):
		errs["reason"] = "It has characters that cannot be shown."
	}
	if len(c.Edits) > mostEdits {
		errs["edits"] = fmt.Sprintf("At most %d changes at once.", mostEdits)
	}
	size := 0
	for i, e := range c.Edits {
		if things(e) != 1 {
			errs[editField(i)] = "It must say exactly one thing: a kit, a fitting rule, a rule or a setting."
		}
		if slices.ContainsFunc(c.Edits[:i], func(x domain.Edit) bool { return same(x, e) }) {
			errs[editField(i)] = "Something before is about the same thing: say it in one."
		}
		size += bytesOf(e)
	}
	if size > mostBytes {
		errs["edits"] = fmt.Sprintf("At most %d MiB at once.", mostBytes>>20)
	}
	return errs
}

// editField is the field at which it is told what is wrong with an edit.
func editField(i int) string { return fmt.Sprintf("edits.%d", i) }

// Problem is what is wrong with one edit of a set.
type Problem struct {
	Index int
	Err   error
}

func (p Problem) Error() string { return fmt.Sprintf("change %d: %v", p.Index+1, p.Err) }

// Unwrap is what is wrong with it by itself.
func (p Problem) Unwrap() error { return p.Err }

// Overtaken is said where somebody else has changed the same meanwhile.
const Overtaken = "Somebody else has changed it since you did."

// Said is what is wrong, for people.
func (p Problem) Said() string {
	errs := domain.FieldErrors{}
	switch {
	case errors.As(p.Err, &errs):
		var all []string
		for _, problem := range errs {
			all = append(all, problem)
		}
		return strings.Join(all, " ")
	case errors.Is(p.Err, domain.ErrChanged):
		return Overtaken
	case errors.Is(p.Err, domain.ErrNotFound):
		return "It is not there any more, or you do not see it."
	}
	return text.UpperFirst(p.Err.Error()) + "."
}

// told is a problem by the field of its edit; any other error is itself.
func told(err error) error {
	var p Problem
	if !errors.As(err, &p) || errors.Is(err, domain.ErrForbidden) {
		return err
	}
	return domain.FieldErrors{editField(p.Index): p.Said()}
}

// Package act is where every use case begins: it decides whether the actor may, works
// in one transaction, notes what was changed and tells of it. A use case that changes
// something looks like this:
//
//	func (s *Service) Pause(ctx context.Context, who access.Actor, id domain.ID) error {
//		return s.desk.Do(ctx, who, pause, func(w *act.Work) error {
//			d, err := w.Device(id)
//			…
//			w.Note(act.Device(d), before, after)
//			return nil
//		})
//	}
//
// and one that reads begins with See.
package act

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Deed is what is about to be done.
type Deed struct {
	// Name says it in words, such as “pause a device”: so it stands in the audit.
	Name string
	Area domain.Area
	// Needs is the level that it needs; empty for what everybody does for himself.
	Needs domain.Access
	// Anywhere is true for what a person may do for himself in a browser that is not
	// trusted, too.
	Anywhere bool
}

// Desk is where use cases begin.
type Desk struct {
	store *store.Store
	tell  func(domain.News)
	log   *slog.Logger
	brake *brake
}

// NewDesk returns the desk; tell spreads what changed to those who look.
func NewDesk(s *store.Store, tell func(domain.News), log *slog.Logger) *Desk {
	return &Desk{s, tell, log, newBrake()}
}

// See returns what an actor may see of an area; it is ErrForbidden where that is
// nothing.
func (d *Desk) See(ctx context.Context, who access.Actor, area domain.Area) (*store.Seen, error) {
	scope := who.Scope(area, domain.AccessSee)
	if scope.None() {
		return nil, d.refused(ctx, who, Deed{Name: "look", Area: area, Needs: domain.AccessSee}, errNothing)
	}
	return d.seen(ctx, scope), nil
}

// SeeWhole returns the database to those who may see all of an area: it holds
// what belongs to no place.
func (d *Desk) SeeWhole(ctx context.Context, who access.Actor, area domain.Area) (*store.Seen, error) {
	scope := who.Scope(area, domain.AccessSee)
	if !scope.All() {
		return nil, d.refused(ctx, who, Deed{Name: "look", Area: area, Needs: domain.AccessSee}, errNothing)
	}
	return d.seen(ctx, scope), nil
}

// Reach returns the database as far as an actor may do a deed; it is ErrForbidden
// where that is nowhere.
func (d *Desk) Reach(ctx context.Context, who access.Actor, deed Deed) (*store.Seen, error) {
	if err := d.May(ctx, who, deed); err != nil {
		return nil, err
	}
	return d.seen(ctx, who.Scope(deed.Area, deed.Needs)), nil
}

// May refuses an actor who may do a deed nowhere.
func (d *Desk) May(ctx context.Context, who access.Actor, deed Deed) error {
	if deed.Needs != "" && who.Scope(deed.Area, deed.Needs).None() {
		return d.refused(ctx, who, deed, lacks(deed))
	}
	return nil
}

var errNothing = fmt.Errorf("%w: nothing of this may be seen", domain.ErrForbidden)

func lacks(deed Deed) error {
	if deed.Needs == "" {
		return fmt.Errorf("%w: to %s is for the person alone", domain.ErrForbidden, deed.Name)
	}
	return fmt.Errorf("%w: to %s needs the level “%s” here", domain.ErrForbidden, deed.Name, deed.Needs)
}

// Do runs a use case that changes something: in one transaction, in which it must ask
// w whether the actor may. What it notes is stored with it; what it leaves for
// afterwards runs when all is stored.
func (d *Desk) Do(ctx context.Context, who access.Actor, deed Deed, f func(w *Work) error) error {
	if err := d.May(ctx, who, deed); err != nil {
		return err
	}
	w := &Work{who: who, deed: deed, ctx: ctx, whole: wholeOf(ctx)}
	if w.whole != nil {
		w.Areas = w.whole.Areas
		return d.refused(ctx, who, deed, w.run(f))
	}
	err := d.store.InTx(ctx, func(tx *store.Areas) error {
		w.Areas = tx
		if err := w.run(f); err != nil {
			return err
		}
		if err := w.close(ctx); err != nil {
			return err
		}
		for i := range w.entries {
			w.entries[i].ChangeSet = w.set
		}
		return tx.Audit.Add(ctx, w.entries...)
	})
	if err != nil {
		return d.refused(ctx, who, deed, err)
	}
	for _, n := range w.news {
		d.tell(n)
	}
	// What is stored must come into force, also when whoever asked has gone.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), forceLimit)
	defer cancel()
	return w.follow(ctx)
}

// Together is Do for several use cases as one: those that f calls with its context store and note in one
// transaction, or none of them does, and what they leave for afterwards runs when all is stored, the same
// things once. Each asks by itself whether the actor may. What they look at is what was stored so far.
func (d *Desk) Together(ctx context.Context, who access.Actor, deed Deed, f func(ctx context.Context, w *Work) error) error {
	return d.Do(ctx, who, deed, func(w *Work) error { return f(context.WithValue(ctx, wholeKey{}, w), w) })
}

type wholeKey struct{}

// wholeOf is the work that a use case is a part of; nil where it stands by itself.
func wholeOf(ctx context.Context) *Work {
	w, _ := ctx.Value(wholeKey{}).(*Work)
	return w
}

// Whole is the whole database, with what the work has stored that this is a part of. Nothing of it is for
// people before it is asked whether they may.
func (d *Desk) Whole(ctx context.Context) *store.Areas {
	if w := wholeOf(ctx); w != nil {
		return w.Areas
	}
	return &d.store.Areas
}

// seen is the database as far as a scope reaches, with what the work has stored that this is a part of.
func (d *Desk) seen(ctx context.Context, scope domain.Scope) *store.Seen {
	if w := wholeOf(ctx); w != nil {
		return d.store.SeenWithin(w.Areas, scope)
	}
	return d.store.Seen(scope)
}

// forceLimit bounds how long it is waited for what follows a change.
const forceLimit = 30 * time.Second

// refused notes that something was refused, if it was, and returns the error.
func (d *Desk) refused(ctx context.Context, who access.Actor, deed Deed, err error) error {
	if !errors.Is(err, domain.ErrForbidden) {
		return err
	}
	more, noted := d.brake.take(who, time.Now())
	if !noted {
		return err
	}
	e := entryOf(who, deed)
	e.Refused, e.Reason = true, err.Error()
	if more > 0 {
		e.Reason += fmt.Sprintf(", and %d more before that", more)
	}
	if failed := d.store.Audit.Add(context.WithoutCancel(ctx), e); failed != nil {
		d.log.Error("a refusal could not be noted", "actor", who.Name, "act", deed.Name, "error", failed)
	}
	return err
}

// Record notes something that is not part of a use case, such as a failed sign-in.
func (d *Desk) Record(ctx context.Context, who access.Actor, e domain.Entry) {
	base := entryOf(who, Deed{Name: e.Act})
	e.At, e.ActorKind, e.ActorID, e.Actor, e.Origin = base.At, base.ActorKind, base.ActorID, base.Actor, base.Origin
	if err := d.store.Audit.Add(context.WithoutCancel(ctx), e); err != nil {
		d.log.Error("something could not be noted", "actor", who.Name, "act", e.Act, "error", err)
	}
}

func entryOf(who access.Actor, deed Deed) domain.Entry {
	return domain.Entry{
		At:        time.Now().UTC(),
		ActorKind: string(who.Kind),
		ActorID:   who.ID,
		Actor:     who.Name,
		Origin:    who.From,
		Act:       deed.Name,
	}
}

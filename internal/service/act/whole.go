package act

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"

	"tirelessowl/internal/domain"
)

// leftover is something that a use case leaves to be done later. Those of one name are done once.
type leftover struct {
	name string
	do   func(context.Context) error
	// ids are all that were named, for what is done for some things.
	ids map[domain.ID]bool
}

// root is the work that is stored in one go.
func (w *Work) root() *Work {
	if w.whole != nil {
		return w.whole
	}
	return w
}

// run does a use case, which must have asked whether it may.
func (w *Work) run(f func(w *Work) error) error {
	if err := f(w); err != nil {
		return err
	}
	if !w.asked {
		return fmt.Errorf("%w: “%s” has not asked whether it may", domain.ErrForbidden, w.deed.Name)
	}
	return nil
}

// close does what was left for the end of the transaction.
func (w *Work) close(ctx context.Context) error {
	for len(w.last) > 0 {
		next := w.last[0]
		w.last = w.last[1:]
		if err := next.do(ctx); err != nil {
			return err
		}
	}
	return nil
}

// follow does what was left for when all is stored; one that fails does not keep the others from it.
func (w *Work) follow(ctx context.Context) error {
	var failed []error
	for _, x := range w.after {
		failed = append(failed, x.do(ctx))
	}
	return errors.Join(failed...)
}

// once leaves something under a name, of which there is one.
func once(all *[]leftover, x leftover) *leftover {
	i := slices.IndexFunc(*all, func(other leftover) bool { return x.name != "" && other.name == x.name })
	if i < 0 {
		*all = append(*all, x)
		i = len(*all) - 1
	}
	return &(*all)[i]
}

// Then runs something when all is stored, such as taking up the change.
func (w *Work) Then(f func(context.Context) error) { once(&w.root().after, leftover{do: f}) }

// ThenOnce is Then for what need be done only once, whoever leaves it under this name.
func (w *Work) ThenOnce(name string, f func(context.Context) error) {
	once(&w.root().after, leftover{name: name, do: f})
}

// ThenFor is ThenOnce for some things: it is done for all that anybody names.
func (w *Work) ThenFor(name string, ids []domain.ID, f func(context.Context, []domain.ID) error) {
	all := map[domain.ID]bool{}
	do := func(ctx context.Context) error {
		if len(all) == 0 {
			return nil
		}
		return f(ctx, slices.Sorted(maps.Keys(all)))
	}
	x := once(&w.root().after, leftover{name: name, do: do, ids: all})
	for _, id := range ids {
		x.ids[id] = true
	}
}

// AtEnd runs something within the transaction when all that belongs to it is stored, once under its name.
func (w *Work) AtEnd(name string, f func(context.Context) error) {
	once(&w.root().last, leftover{name: name, do: f})
}

// By asks whether the actor is the one who made something: what is of one's own needs no level.
func (w *Work) By(kind string, id domain.ID) error {
	w.asked = true
	if string(w.who.Kind) != kind || w.who.ID != id {
		return domain.ErrNotFound
	}
	if w.who.Untrusted {
		return ErrUntrusted
	}
	return nil
}

// BelongTo lets all that is noted belong to a set of changes.
func (w *Work) BelongTo(set domain.ID) { w.root().set = set }

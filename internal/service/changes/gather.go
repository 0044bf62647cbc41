package changes

import (
	"context"
	"fmt"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// Gather puts an edit into a set of the actor's own, in the place of one about the same thing: into the newest
// that is open where id is zero, which is begun where there is none. What is wrong with it is told as by the
// use case for it, and nothing is gathered then.
func (s *Service) Gather(ctx context.Context, who access.Actor, id domain.ID, e domain.Edit) (c domain.ChangeSet, err error) {
	if errs := tidy(&domain.ChangeSet{Name: "one", Edits: []domain.Edit{e}}); len(errs) > 0 {
		return c, errs
	}
	if c, err = s.into(ctx, who, id); err != nil {
		return c, err
	}
	edits, at := put(c.Edits, e)
	t, err := s.try(ctx, who, edits)
	if err != nil {
		return c, err
	}
	for _, p := range t.problems {
		if p.Index == at {
			return c, p.Err
		}
	}
	if c.ID == 0 {
		c.Edits = edits
		return s.Begin(ctx, who, c)
	}
	return s.change(ctx, who, c.ID, 0, func(c *domain.ChangeSet) error {
		c.Edits, _ = put(c.Edits, e)
		return nil
	})
}

// into is the set into which something is gathered; it has no id where it is still to be begun.
func (s *Service) into(ctx context.Context, who access.Actor, id domain.ID) (c domain.ChangeSet, err error) {
	if id == 0 {
		c, _, err = s.Open(ctx, who)
		return c, err
	}
	if c, err = s.One(ctx, who, id); err != nil {
		return c, err
	}
	if !own(c, who) || c.State != domain.Gathering {
		return c, fmt.Errorf("%w: these changes are not gathered by you", domain.ErrConflict)
	}
	return c, nil
}

// put is edits with one in the place of that about the same thing, or at the end, and where that is. What it
// was made of is what the one in whose place it comes was made of.
func put(edits []domain.Edit, e domain.Edit) (out []domain.Edit, at int) {
	out = slices.Clone(edits)
	at = slices.IndexFunc(out, func(x domain.Edit) bool { return same(x, e) })
	if at < 0 {
		return append(out, e), len(out)
	}
	out[at] = e
	return out, at
}

// Leave takes an edit out of a set. It is ErrChanged where the set has another version, but zero.
func (s *Service) Leave(ctx context.Context, who access.Actor, id domain.ID, at, version int) (domain.ChangeSet, error) {
	return s.change(ctx, who, id, version, func(c *domain.ChangeSet) error {
		if at < 0 || at >= len(c.Edits) {
			return fmt.Errorf("change %d: %w", at+1, domain.ErrNotFound)
		}
		c.Edits = slices.Delete(slices.Clone(c.Edits), at, at+1)
		return nil
	})
}

// Renew lets an edit be made of what the thing is now, knowing that somebody else has changed it meanwhile: what
// they changed is replaced.
func (s *Service) Renew(ctx context.Context, who access.Actor, id domain.ID, at, version int) (domain.ChangeSet, error) {
	c, err := s.One(ctx, who, id)
	if err != nil {
		return c, err
	}
	if at < 0 || at >= len(c.Edits) {
		return c, fmt.Errorf("change %d: %w", at+1, domain.ErrNotFound)
	}
	now, err := s.present(ctx, who, c.Edits[at])
	if err != nil {
		return c, err
	}
	return s.change(ctx, who, id, version, func(c *domain.ChangeSet) error {
		c.Edits = slices.Clone(c.Edits)
		if at >= len(c.Edits) || !same(c.Edits[at], now) {
			return domain.ErrChanged
		}
		c.Edits[at] = remade(c.Edits[at], now)
		return nil
	})
}

// remade is an edit as if it was made of what a thing is now.
func remade(e, now domain.Edit) domain.Edit {
	switch {
	case e.Kit != nil:
		x := *e.Kit
		x.Base = now.Kit.Base
		e.Kit = &x
	case e.FittingRule != nil:
		x := *e.FittingRule
		x.Version = now.FittingRule.Version
		e.FittingRule = &x
	case e.Rule != nil:
		x := *e.Rule
		x.Version = now.Rule.Version
		e.Rule = &x
	case e.Setting != nil:
		x := *e.Setting
		x.Mark = now.Setting.Mark
		e.Setting = &x
	}
	return e
}

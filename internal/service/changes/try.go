package changes

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/change"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/store"
)

// errTried ends a transaction in which something was only tried.
var errTried = errors.New("it was only tried")

// tried is what edits would make.
type tried struct {
	world change.World
	rules rulesBy // that judge, with what kits would say of theirs
	// problems are what is wrong with single edits; the others were tried all the same.
	problems []Problem
}

// all does edits one after the other within a work, with what each thing was before and became. An edit that
// cannot be done ends it with a Problem.
func (s *Service) all(ctx context.Context, who access.Actor, w *act.Work, edits []domain.Edit) ([]domain.Edit, error) {
	if err := lockDevices(ctx, w, edits); err != nil {
		return nil, err
	}
	out := slices.Clone(edits)
	for _, i := range order(edits) {
		done, err := s.one(ctx, who, edits[i])
		if err != nil {
			return nil, Problem{i, err}
		}
		out[i] = done
	}
	return out, nil
}

// one does an edit.
func (s *Service) one(ctx context.Context, who access.Actor, e domain.Edit) (domain.Edit, error) {
	e.Back, e.Became = nil, nil
	var back domain.Edit
	made := isNew(e)
	if !made {
		var err error
		if back, err = s.present(ctx, who, e); err != nil {
			return e, err
		}
	}
	done, err := s.do(ctx, who, e)
	if err != nil {
		return e, err
	}
	became, err := s.present(ctx, who, done)
	if made {
		back = removal(done)
	}
	e.Back, e.Became = &back, &became
	return e, err
}

// isNew tells whether an edit makes something that has no id yet.
func isNew(e domain.Edit) bool {
	return e.FittingRule != nil && e.FittingRule.ID == 0 || e.Rule != nil && e.Rule.ID == 0
}

// removal takes away what an edit made.
func removal(done domain.Edit) domain.Edit {
	if done.Rule != nil {
		return domain.Edit{Rule: &domain.RuleEdit{ID: done.Rule.ID, Remove: true}}
	}
	gone := domain.FittingRuleEdit{Remove: true}
	gone.ID = done.FittingRule.ID
	return domain.Edit{FittingRule: &gone}
}

// order is in which order edits are done, by their places: kits before what names them, new ones and changes
// before removals, and kits that are taken away last of all.
func order(edits []domain.Edit) []int {
	rank := func(e domain.Edit) int {
		switch {
		case e.Kit != nil && e.Kit.Document != "":
			return 0
		case e.Setting != nil:
			return 1
		case e.FittingRule != nil && !e.FittingRule.Remove:
			return 2
		case e.Rule != nil && !e.Rule.Remove:
			return 3
		case e.Kit == nil:
			return 4
		}
		return 5
	}
	out := make([]int, len(edits))
	for i := range out {
		out[i] = i
	}
	slices.SortStableFunc(out, func(a, b int) int { return rank(edits[a]) - rank(edits[b]) })
	return out
}

// lockDevices keeps others from changing the devices that edits are about: these come before all else, and by
// their ids, as with everybody, so that nobody waits in a circle.
func lockDevices(ctx context.Context, w *act.Work, edits []domain.Edit) error {
	var ids []domain.ID
	for _, e := range edits {
		if e.Setting != nil && e.Setting.DeviceID != 0 {
			ids = append(ids, e.Setting.DeviceID)
		}
		if e.Rule != nil && e.Rule.DeviceID != 0 {
			ids = append(ids, e.Rule.DeviceID)
		}
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		if _, err := w.Devices.Lock(ctx, id); err != nil && !errors.Is(err, domain.ErrNotFound) {
			return err
		}
	}
	return nil
}

// try does edits and takes back what it did, all of it within one transaction. One that cannot be done is left
// out, and the others are tried without it.
func (s *Service) try(ctx context.Context, who access.Actor, edits []domain.Edit) (t tried, err error) {
	if len(edits) == 0 {
		t.world, t.rules, err = s.world(ctx, &s.Store.Areas)
		return t, err
	}
	err = s.Desk.Together(collect.Drafting(ctx), who, applySet, func(ctx context.Context, w *act.Work) error {
		if err := lockDevices(ctx, w, edits); err != nil {
			return err
		}
		for _, i := range order(edits) {
			back := collect.Drafted(ctx)
			err := w.Attempt(ctx, func() error {
				_, err := s.one(ctx, who, edits[i])
				return err
			})
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if err != nil {
				back()
				t.problems = append(t.problems, Problem{i, err})
			}
		}
		if t.world, t.rules, err = s.world(ctx, w.Areas); err != nil {
			return err
		}
		return errTried
	})
	if errors.Is(err, errTried) {
		err = nil
	}
	return t, err
}

// world reads what decides about collecting and judging.
func (s *Service) world(ctx context.Context, from *store.Areas) (w change.World, rules rulesBy, err error) {
	w.Kits = s.Kits.CatalogueIn(ctx)
	fitting, err := from.FittingRules.All(ctx)
	if err != nil {
		return w, nil, err
	}
	w.Rules, _ = fit.Readable(fitting) // the list of rules tells of the others
	if w.Tree, err = from.Tree(ctx); err != nil {
		return w, nil, err
	}
	all, err := s.Kits.Judging(ctx, from)
	if err != nil {
		return w, nil, fmt.Errorf("rules: %w", err)
	}
	return w, rulesOf(all), nil
}

// settingTyped is a setting as it is typed.
func settingTyped(x domain.SettingEdit) settings.Typed {
	return settings.Typed{At: at(x), Key: x.Key, Value: x.Value, Mark: x.Mark}
}

package collect

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var withdrawKit = act.Deed{Name: "take back a kit", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// Withdraw takes a kit away that nothing needs: its versions and what was collected stay, so that it can be
// brought in again. Errors are by the field kit; it is ErrChanged where the newest revision is no more
// base, which may be 0 for any.
func (s *Service) Withdraw(ctx context.Context, who access.Actor, name string, base int) error {
	return s.Desk.Do(ctx, who, withdrawKit, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if err := w.Kits.Lock(ctx); err != nil {
			return err
		}
		newest, err := s.newest(ctx, w.Areas, name, base)
		if err != nil {
			return err
		}
		needed, err := s.needed(ctx, w.Areas, name)
		if err != nil {
			return err
		}
		if needed != "" {
			return domain.FieldErrors{"kit": needed}
		}
		gone := domain.KitVersion{Kit: name, Version: newest.Version, CreatedAt: time.Now().UTC(), Author: who.Name, Reason: who.Because,
			Withdrawn: true}
		if _, err := w.Kits.Add(ctx, gone); err != nil {
			return err
		}
		if err := w.Fittings.Forget(ctx, name); err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "kit", Name: name}, newest, nil)
		s.foresee(ctx, name, nil)
		s.take(w)
		return nil
	})
}

// newest is the version of a kit that is in force, which must be of a revision where that is not 0.
func (s *Service) newest(ctx context.Context, from *store.Areas, name string, base int) (domain.KitVersion, error) {
	all, err := from.Kits.Versions(ctx, name)
	switch {
	case err != nil:
		return domain.KitVersion{}, err
	case len(all) == 0 || all[0].Withdrawn:
		return domain.KitVersion{}, fmt.Errorf("kit %q: %w", name, domain.ErrNotFound)
	case base != 0 && all[0].Revision != base:
		return all[0], domain.ErrChanged
	}
	return all[0], nil
}

// needed says what a kit cannot be taken from; empty for nothing.
func (s *Service) needed(ctx context.Context, from *store.Areas, name string) (string, error) {
	var by []string
	for _, k := range s.CatalogueIn(ctx).Kits() {
		if slices.ContainsFunc(k.Inside, func(in kit.Inside) bool { return in.Kit == name }) {
			by = append(by, "the kit “"+k.Title+"” brings it along")
		}
	}
	rules, err := from.FittingRules.All(ctx)
	if err != nil {
		return "", err
	}
	for _, r := range rules {
		if slices.Contains(slices.Concat(r.Fits, r.KeepsOff), name) {
			by = append(by, "the fitting rule “"+r.Name+"” names it")
		}
	}
	judging, err := from.Rules.Of(ctx, name)
	if err != nil {
		return "", err
	}
	for _, r := range judging {
		if r.Key == "" {
			by = append(by, "the rule “"+r.Name+"” judges it")
		}
	}
	fitted, err := from.Fittings.On(ctx, name)
	if err != nil {
		return "", err
	}
	hands := 0
	for _, f := range fitted {
		if f.By == domain.ByHand && !f.Off {
			hands++
		}
	}
	if hands > 0 {
		by = append(by, "people fitted it to "+text.Count(int64(hands), "device"))
	}
	if len(by) == 0 {
		return "", nil
	}
	return "It is needed: " + text.Some(by, mostNeeds) + ".", nil
}

// mostNeeds is how many reasons are named why a kit is needed.
const mostNeeds = 3

// RehearseWithdrawal tells what taking a kit away would do, and changes nothing. What it is needed for is told
// in the place of that.
func (s *Service) RehearseWithdrawal(ctx context.Context, who access.Actor, name string) (trace why.Trace, err error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaCollect)
	if err != nil {
		return trace, err
	}
	k, err := s.Kit(name)
	if err != nil || strings.HasPrefix(name, own.Prefix) {
		return trace, errors.Join(err, domain.ErrNotFound)
	}
	needed, err := s.needed(ctx, &seen.Areas, name)
	if err != nil {
		return trace, err
	}
	trace.Question, trace.Answer = "What would taking “"+k.Title+"” away do?", needed
	if needed != "" {
		return trace, nil
	}
	v, err := seen.Fittings.Volume(ctx, name)
	trace.Answer = "It would be collected from no device any more"
	trace.Because("It is fitted to "+text.Count(int64(v.Devices), "device")+" by rules or not at all", "what was collected stays", nil)
	trace.Because("Its versions stay", "the kit can be brought in again", nil)
	return trace, err
}

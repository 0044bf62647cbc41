package judge

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	makeRule   = act.Deed{Name: "make a rule", Area: domain.AreaJudge, Needs: domain.AccessConfigure}
	changeRule = act.Deed{Name: "change a rule", Area: domain.AreaJudge, Needs: domain.AccessConfigure}
	removeRule = act.Deed{Name: "remove a rule", Area: domain.AreaJudge, Needs: domain.AccessConfigure}
)

// Blank is a new rule on a reading, of a kind or, without one, of the first that can judge it, to
// be filled in. It is for one device alone where one is given; a reading of a device's own is
// always for that alone. It is ErrNotFound where there is no such reading, device or kind.
func (s *Service) Blank(ctx context.Context, who access.Actor, kit, reading string, device domain.ID, kind string) (rule.Rule, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return rule.Rule{}, err
	}
	what, ok := s.kits.CatalogueIn(ctx).Reading(kit, reading)
	if !ok {
		return rule.Rule{}, fmt.Errorf("reading %s/%s: %w", kit, reading, domain.ErrNotFound)
	}
	r := rule.Rule{Name: what.Name, Kit: kit, Reading: reading, Unit: what.Unit, DeviceID: device, Enabled: true}
	if alone, is := own.DeviceOf(kit); is {
		r.DeviceID = alone
	}
	if r.DeviceID != 0 {
		if _, err := seen.Devices.One(ctx, r.DeviceID); err != nil {
			return rule.Rule{}, err
		}
	}
	fitting := s.kinds.Fitting(what.Subject())
	if len(fitting) == 0 {
		return rule.Rule{}, domain.FieldErrors{"reading": "Rules judge numbers and states; “" + what.Name + "” is a text."}
	}
	return s.Decode(ctx, r, cmp.Or(kind, fitting[0].Name), []byte("{}"))
}

// Make makes a rule and puts it in force at once. One for a device alone needs the right at its
// place, any other that for the whole tree.
func (s *Service) Make(ctx context.Context, who access.Actor, r rule.Rule) (rule.Rule, error) {
	r.ID, r.Key, r.Version = 0, "", 0
	err := s.desk.Do(ctx, who, makeRule, func(w *act.Work) error {
		place, err := s.asks(w, r)
		if err != nil {
			return err
		}
		what, ok := s.kits.CatalogueIn(ctx).Reading(r.Kit, r.Reading)
		if !ok {
			return fmt.Errorf("reading %s/%s: %w", r.Kit, r.Reading, domain.ErrNotFound)
		}
		if alone, is := own.DeviceOf(r.Kit); is && alone != r.DeviceID {
			return fmt.Errorf("reading %s/%s of another device: %w", r.Kit, r.Reading, domain.ErrNotFound)
		}
		r.Unit = what.Unit
		if errs := r.Validate(); len(errs) > 0 {
			return errs
		}
		if r, err = w.Rules.Save(ctx, r); err != nil {
			return named(err)
		}
		after, err := rule.SaidOf(r)
		if err != nil {
			return err
		}
		w.Note(thing(r, place), nil, after)
		w.ThenOnce("rules", s.InForce)
		return nil
	})
	return r, err
}

// asks whether the actor may change a rule, and returns the place that it belongs to; 0 for the
// whole tree.
func (s *Service) asks(w *act.Work, r rule.Rule) (place domain.ID, err error) {
	if r.DeviceID == 0 {
		return 0, w.Whole()
	}
	d, err := w.Device(r.DeviceID)
	return d.PlaceID, err
}

func thing(r rule.Rule, place domain.ID) act.Thing {
	return act.Thing{Kind: "rule", ID: r.ID, Name: r.Name, PlaceID: place}
}

func named(err error) error {
	if errors.Is(err, domain.ErrConflict) {
		return domain.FieldErrors{"name": "Another rule on this reading has the same name."}
	}
	return err
}

// Save changes a rule and puts it in force at once. Kit, reading, unit and device
// stay what they are. It is ErrChanged where the rule has another version, but zero.
func (s *Service) Save(ctx context.Context, who access.Actor, r rule.Rule) (rule.Rule, error) {
	err := s.desk.Do(ctx, who, changeRule, func(w *act.Work) error {
		old, place, err := s.locked(ctx, w, r.ID, r.Version)
		if err != nil {
			return err
		}
		r.Version, r.DeviceID = old.Version, old.DeviceID
		r.Key, r.Kit, r.Reading, r.Unit, r.Cause = old.Key, old.Kit, old.Reading, old.Unit, old.Cause
		if errs := r.Validate(); len(errs) > 0 {
			return errs
		}
		saved, err := w.Rules.Save(ctx, r)
		if err != nil {
			return named(err)
		}
		before, err := rule.SaidOf(old)
		if err != nil {
			return err
		}
		after, err := rule.SaidOf(saved)
		if err != nil {
			return err
		}
		w.Note(thing(r, place), before, after)
		r = saved
		w.ThenOnce("rules", s.InForce)
		return nil
	})
	return r, err
}

// locked is a rule that the actor may change, of a version where that is not zero.
func (s *Service) locked(ctx context.Context, w *act.Work, id domain.ID, version int) (old rule.Rule, place domain.ID, err error) {
	if old, err = w.Rules.Lock(ctx, id); err != nil {
		return old, 0, w.Missing(err)
	}
	if place, err = s.asks(w, old); err != nil {
		return old, 0, err
	}
	if version != 0 && version != old.Version {
		return old, 0, domain.ErrChanged
	}
	return old, place, nil
}

// Remove takes a rule away that people made: its trouble ends, what it raised still names it. It
// is ErrChanged where the rule has another version, but zero. Rules of kits are switched off.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, removeRule, func(w *act.Work) error {
		old, place, err := s.locked(ctx, w, id, version)
		if err != nil {
			return err
		}
		if old.Key != "" {
			return domain.FieldErrors{"rule": "Its kit brings it again and again: switch it off instead."}
		}
		before, err := rule.SaidOf(old)
		if err != nil {
			return err
		}
		w.Note(thing(old, place), before, nil)
		w.ThenOnce("rules", s.InForce)
		return w.Rules.Remove(ctx, id, time.Now().UTC())
	})
}

// Restore has a removed rule back, as it was, on or off.
func (s *Service) Restore(ctx context.Context, who access.Actor, id domain.ID, enabled bool) error {
	return s.desk.Do(ctx, who, makeRule, func(w *act.Work) error {
		old, err := w.Rules.Removed(ctx, id)
		if err != nil {
			return w.Missing(err)
		}
		place, err := s.asks(w, old)
		if err != nil {
			return err
		}
		if _, ok := s.kits.CatalogueIn(ctx).Reading(old.Kit, old.Reading); !ok {
			return fmt.Errorf("%w: what it judged is not collected any more", domain.ErrConflict)
		}
		after, err := rule.SaidOf(old)
		if err != nil {
			return err
		}
		after.Enabled = enabled
		w.Note(thing(old, place), nil, after)
		w.ThenOnce("rules", s.InForce)
		return named(w.Rules.Restore(ctx, id, enabled))
	})
}

// InForce takes up what is stored.
func (s *Service) InForce(ctx context.Context) error {
	rules, err := s.store.Rules.All(ctx)
	if err == nil {
		s.inForce(ctx, rules)
	}
	return err
}

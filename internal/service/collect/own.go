package collect

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// loadOwn reads the own kits of all devices. One that cannot be read is left out, and told.
func (s *Service) loadOwn(ctx context.Context) (out []*kit.Kit, broken []error) {
	all, err := s.store.OwnKits.All(ctx)
	if err != nil {
		return nil, []error{err}
	}
	for _, k := range all {
		made, err := s.ownKit(k)
		if err != nil {
			broken = append(broken, fmt.Errorf("own kit of device %d: %w", k.DeviceID, err))
			continue
		}
		out = append(out, made)
	}
	return out, broken
}

func (s *Service) ownKit(k store.OwnKit) (*kit.Kit, error) {
	text, err := k.Picked.Document(k.DeviceID, k.Version)
	if err != nil {
		return nil, err
	}
	return kit.Parse(text, s.Ways, s.Rules)
}

// OwnKit is the kit that a device would have of what is picked.
func (s *Service) OwnKit(picked own.Set, deviceID domain.ID) (*kit.Kit, error) {
	return s.ownKit(store.OwnKit{DeviceID: deviceID, Picked: picked, Version: 1})
}

// Picked is what people picked at one device to be read there, with its mark.
type Picked struct {
	own.Set
	Mark string
	// Rules counts those that judge a reading, by its key.
	Rules map[string]int
}

// Own returns what is picked at a device.
func (s *Service) Own(ctx context.Context, who access.Actor, deviceID domain.ID) (Picked, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return Picked{}, err
	}
	if _, err := seen.Devices.One(ctx, deviceID); err != nil {
		return Picked{}, err
	}
	k, err := seen.OwnKits.Of(ctx, deviceID)
	if err != nil {
		return Picked{}, err
	}
	rules, err := seen.Rules.Of(ctx, own.Name(deviceID))
	out := Picked{k.Picked, act.Mark(k.Picked), map[string]int{}}
	for _, r := range rules {
		out.Rules[r.Reading]++
	}
	return out, err
}

// OwnDocument is the own kit of a device as a kit file.
func (s *Service) OwnDocument(ctx context.Context, who access.Actor, deviceID domain.ID) (string, error) {
	picked, err := s.Own(ctx, who, deviceID)
	if err != nil {
		return "", err
	}
	text, err := picked.Document(deviceID, 1)
	return string(text), err
}

var (
	pickReading = act.Deed{Name: "pick a reading at a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	dropReading = act.Deed{Name: "drop a reading of a device's own", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// Pick has a reading collected at a device, or changes one by its key, which is returned. It is
// ErrChanged where what is picked there is no more what was seen, by its mark.
func (s *Service) Pick(ctx context.Context, who access.Actor, deviceID domain.ID, d own.Draft, mark string) (key string, err error) {
	err = s.changeOwn(ctx, who, pickReading, deviceID, mark, func(set own.Set) (own.Set, error) {
		if err := sameKind(set, d); err != nil {
			return set, err
		}
		out, errs := set.With(d)
		if len(errs) > 0 {
			return set, errs
		}
		if key = d.Key; key == "" {
			key = out.Readings[len(out.Readings)-1].Key
		}
		return out, nil
	})
	return key, err
}

// sameKind lets a reading stay of the kind that its values so far are of.
func sameKind(set own.Set, d own.Draft) error {
	before, ok := set.Reading(d.Key)
	if !ok || before.Treat == d.Treat {
		return nil
	}
	return domain.FieldErrors{"treat": "Its values so far are of another kind. Drop the reading and pick it anew."}
}

// Drop ends a reading of a device's own; its values are lost. It is told by the field key what
// must go first: readings that are computed of it, and rules that judge it.
func (s *Service) Drop(ctx context.Context, who access.Actor, deviceID domain.ID, key, mark string) error {
	return s.changeOwn(ctx, who, dropReading, deviceID, mark, func(set own.Set) (own.Set, error) {
		out, ok := set.Without(key)
		if !ok {
			return set, fmt.Errorf("reading %q of device %d: %w", key, deviceID, domain.ErrNotFound)
		}
		if needed := set.NeededBy(key); len(needed) > 0 {
			return set, domain.FieldErrors{"key": "It is needed to compute " + strings.Join(needed, ", ") + ". Change or drop that first."}
		}
		return out, nil
	})
}

func (s *Service) changeOwn(
	ctx context.Context,
	who access.Actor,
	deed act.Deed,
	deviceID domain.ID,
	mark string,
	change func(own.Set) (own.Set, error),
) error {
	return s.Desk.Do(ctx, who, deed, func(w *act.Work) error {
		d, err := w.Device(deviceID)
		if err != nil {
			return err
		}
		before, err := w.OwnKits.Of(ctx, deviceID)
		if err != nil {
			return err
		}
		if err := act.Since(before.Picked, mark); err != nil {
			return err
		}
		now := store.OwnKit{DeviceID: deviceID, Version: before.Version + 1}
		if now.Picked, err = change(before.Picked); err != nil {
			return err
		}
		if err := judgedStill(ctx, w, deviceID, before.Picked, now.Picked); err != nil {
			return err
		}
		w.Note(act.Device(d), before.Picked, now.Picked)
		return s.keepOwn(ctx, w, now)
	})
}

// judgedStill keeps readings from being dropped that rules judge.
func judgedStill(ctx context.Context, w *act.Work, deviceID domain.ID, before, now own.Set) error {
	for _, r := range before.Readings {
		if _, ok := now.Reading(r.Key); ok {
			continue
		}
		rules, err := w.Rules.On(ctx, own.Name(deviceID), r.Key, deviceID)
		if err != nil {
			return err
		}
		if len(rules) > 0 {
			return domain.FieldErrors{"key": "The rule “" + rules[0].Name + "” judges it. Remove that first."}
		}
	}
	return nil
}

// keepOwn stores what is picked at a device, brings its series in step, and takes it up.
func (s *Service) keepOwn(ctx context.Context, w *act.Work, k store.OwnKit) error {
	made, err := s.ownKit(k)
	if err != nil {
		return domain.FieldErrors{"name": err.Error()}
	}
	gone, err := w.OwnKits.Put(ctx, k)
	if err != nil {
		return err
	}
	if err := ownInStep(ctx, w, made, k.DeviceID); err != nil {
		return err
	}
	rules, err := w.Rules.Of(ctx, made.Name)
	if err != nil {
		return err
	}
	if err := rulesFollow(ctx, w.Areas, made, rules); err != nil {
		return err
	}
	w.Then(func(ctx context.Context) error {
		s.store.ForgetSeries(gone)
		s.taking.Lock()
		s.catalogue.Store(s.Catalogue().WithOwn(made))
		s.taking.Unlock()
		return s.Changed(ctx, k.DeviceID)
	})
	if len(rules) > 0 {
		w.ThenOnce("rules", s.judged)
	}
	return nil
}

// ownInStep tells series what their readings are now, and makes those of parts that are there.
func ownInStep(ctx context.Context, w *act.Work, k *kit.Kit, deviceID domain.ID) error {
	parts, err := w.Parts.Of(ctx, deviceID)
	if err != nil {
		return err
	}
	have, err := w.Series.Of(ctx, deviceID)
	if err != nil {
		return err
	}
	var wanted []domain.Series
	for _, r := range k.Readings {
		if err := w.Series.SetReading(ctx, seriesOf(k, r, 0, 0)); err != nil {
			return err
		}
		for _, p := range parts {
			x := seriesOf(k, r, deviceID, p.ID)
			there := slices.ContainsFunc(have, func(h domain.Series) bool {
				return h.PartID == p.ID && h.Kit == x.Kit && h.Reading == x.Reading
			})
			if p.Kit == k.Name && p.Kind == r.Of && !there {
				wanted = append(wanted, x)
			}
		}
	}
	_, err = w.Series.Add(ctx, wanted)
	return err
}

func (s *Service) presentOwn(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	picked, err := s.Own(ctx, who, id)
	return picked.Set, err
}

// putOwn sets what is picked at a device back.
func (s *Service) putOwn(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	shall, err := act.Read[own.Set](document)
	if err != nil {
		return err
	}
	return s.changeOwn(ctx, who, pickReading, id, "", func(own.Set) (own.Set, error) { return shall, nil })
}

package fitting

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Word is what a person says about a kit on devices.
type Word string

// What people may say.
const (
	Fit     Word = "fit"      // it is fitted, whatever rules say
	KeepOff Word = "keep_off" // it is not fitted, whatever rules say
	AsRules Word = "as_rules" // rules and other kits decide
)

// Saying is what a person says about a kit on some devices.
type Saying struct {
	Devices    []domain.ID
	Kit        string
	Word       Word
	Parameters map[string]string // with Fit; nil leaves them as they are
}

// Filled are the parameters of a kit as a form has them, as far as they are not left as the kit says; nil for none.
func Filled(k *kit.Kit, typed func(name string) string) (out map[string]string) {
	for _, p := range k.Parameters {
		value := strings.TrimSpace(typed(p.Name))
		if value == "" || value == p.Default {
			continue
		}
		if out == nil {
			out = map[string]string{}
		}
		out[p.Name] = value
	}
	return out
}

// mostDevices is on how many devices something is said at once.
const mostDevices = 10_000

var say = act.Deed{Name: "fit kits", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// check validates what is said by itself; errors are by field: kit, word, devices, and the parameters.
func (s *Service) check(ctx context.Context, x *Saying) (*kit.Kit, error) {
	if len(x.Devices) == 0 || len(x.Devices) > mostDevices {
		return nil, domain.FieldErrors{"devices": fmt.Sprintf("Choose from one to %s devices.", text.Thousands(mostDevices))}
	}
	k, err := s.Kits.CatalogueIn(ctx).Kit(x.Kit)
	if err != nil || strings.HasPrefix(x.Kit, own.Prefix) {
		return nil, domain.FieldErrors{"kit": "There is no such kit."}
	}
	if !slices.Contains([]Word{Fit, KeepOff, AsRules}, x.Word) {
		return nil, domain.FieldErrors{"word": "It is fitted, kept off, or left to the rules."}
	}
	if x.Word != Fit {
		x.Parameters = nil
	}
	if _, errs := k.Check(x.Parameters); len(errs) > 0 {
		return nil, errs
	}
	return k, nil
}

// Say has a kit fitted to devices, kept off, or left to the rules again, on all of them or none, and
// takes it up at once.
func (s *Service) Say(ctx context.Context, who access.Actor, x Saying) error {
	if _, err := s.check(ctx, &x); err != nil {
		return err
	}
	return s.Desk.Do(ctx, who, say, func(w *act.Work) error {
		// Devices before fittings, and those by their ids: as all others do, so that nobody waits in a circle.
		before := map[domain.ID]domain.Device{}
		for _, id := range slices.Sorted(slices.Values(x.Devices)) {
			d, err := w.Device(id)
			if err != nil {
				return err
			}
			before[id] = d
		}
		if err := w.Fittings.Lock(ctx); err != nil {
			return err
		}
		changed, err := s.saySet(ctx, w, who, before, x)
		if err != nil {
			return err
		}
		w.ThenFor("devices", changed, s.Changed)
		return nil
	})
}

// saySet stores what is said, and what follows of it, and returns the devices of which something
// changed.
func (s *Service) saySet(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	devices map[domain.ID]domain.Device,
	x Saying,
) (changed []domain.ID, err error) {
	all, err := w.Fittings.On(ctx, x.Kit)
	if err != nil {
		return nil, err
	}
	said := map[domain.ID]domain.Fitting{}
	for _, f := range all {
		said[f.DeviceID] = f
	}
	tree, err := w.Tree(ctx)
	if err != nil {
		return nil, err
	}
	k, err := s.Kits.CatalogueIn(ctx).Kit(x.Kit)
	if err != nil {
		return nil, err
	}
	var put, drop []domain.Fitting
	for id, d := range devices {
		was, there := said[id]
		f, keep := x.on(was, id, who.Name)
		errs, err := s.Kits.AllowSecrets(ctx, w.Areas, who, k, was.Parameters, f.Parameters)
		if err == nil {
			err = errs.OrNil()
		}
		if err != nil {
			return nil, err
		}
		if errs := s.Kits.Unset(ctx, tree, d, f); x.Word == Fit && len(errs) > 0 {
			return nil, errs
		}
		if keep {
			put = append(put, f)
		} else if there {
			drop = append(drop, was)
		}
		if there == keep && was.By == f.By && was.Off == f.Off && maps.Equal(was.Parameters, f.Parameters) {
			continue
		}
		changed = append(changed, id)
		w.Note(act.Device(d), noted{x.Kit: notedOf(was, there)}, noted{x.Kit: notedOf(f, keep)})
	}
	if err := w.Fittings.Fit(ctx, put...); err != nil {
		return nil, err
	}
	if err := w.Fittings.Drop(ctx, drop...); err != nil || len(changed) == 0 {
		return nil, err
	}
	_, err = s.refit(ctx, w.Areas, changed...)
	return changed, err
}

// on is the fitting on a device as it is said; keep is false where none is kept.
func (x Saying) on(was domain.Fitting, device domain.ID, who string) (f domain.Fitting, keep bool) {
	f = was
	f.DeviceID, f.Kit = device, x.Kit
	if x.Word == AsRules {
		if was.By != domain.ByHand {
			return was, was.Kit != ""
		}
		f.By, f.Who, f.Off, f.Since = domain.ByRule, "", true, time.Time{} // until it is decided
		return f, len(f.Parameters) > 0
	}
	off := x.Word == KeepOff
	if was.By != domain.ByHand || was.Off != off {
		f.Who, f.Since = who, time.Now().UTC()
	}
	f.By, f.Off, f.RuleID = domain.ByHand, off, 0
	if x.Parameters != nil {
		f.Parameters = x.Parameters
	}
	return f, true
}

// noted are the words of people about kits on a device, by kit, as they are noted.
type noted map[string]notedWord

type notedWord struct {
	Word       Word              `json:"word"`
	Parameters map[string]string `json:"parameters,omitempty"`
}

func notedOf(f domain.Fitting, there bool) notedWord {
	switch {
	case !there || f.By != domain.ByHand:
		return notedWord{Word: AsRules}
	case f.Off:
		return notedWord{Word: KeepOff}
	}
	return notedWord{Fit, f.Parameters}
}

// Undoing is how what was said and ruled is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	anew := func(r *domain.FittingRule) { r.ID, r.Version = 0, 0 }
	save := func(ctx context.Context, who access.Actor, r domain.FittingRule) (domain.FittingRule, error) {
		r.Version = 0
		return s.Save(ctx, who, r)
	}
	rules := act.Whole(s.Rule, save, anew, act.Whatever(s.Remove))
	return map[string]act.Undoing{
		say.Name:        {Present: s.presentSaid, Put: s.putSaid},
		makeRule.Name:   rules,
		changeRule.Name: rules,
		removeRule.Name: rules,
		orderRules.Name: s.undoOrder(),
	}
}

func (s *Service) presentSaid(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	all, err := seen.Fittings.Said(ctx, id)
	out := noted{}
	for _, k := range s.Kits.Kits() {
		out[k.Name] = notedWord{Word: AsRules}
	}
	for _, f := range all {
		out[f.Kit] = notedOf(f, true)
	}
	return out, err
}

// putSaid lets what was said of kits on a device be what it was.
func (s *Service) putSaid(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	shall, err := act.Read[noted](document)
	if err != nil {
		return err
	}
	is, err := s.presentSaid(ctx, who, id)
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(shall)) {
		now, _ := is.(noted)
		if was := shall[name]; was.Word != now[name].Word || !maps.Equal(was.Parameters, now[name].Parameters) {
			err := s.Say(ctx, who, Saying{Devices: []domain.ID{id}, Kit: name, Word: was.Word, Parameters: was.Parameters})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// Effect is what a change of fitting would do on one device.
type Effect struct {
	Device domain.Device
	fit.Change
}

// Rehearsal is what a change of fitting would do.
type Rehearsal struct {
	Effects []Effect // of the devices for which something changes, as far as they are seen, by name
	Gained  kit.Cost
	Lost    kit.Cost
	Why     why.Trace
}

// Rehearse tells what saying something would do, and changes nothing.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, x Saying) (out Rehearsal, err error) {
	if _, err := s.check(ctx, &x); err != nil {
		return out, err
	}
	seen, err := s.Desk.Reach(ctx, who, say)
	if err != nil {
		return out, err
	}
	devices, err := seen.Devices.Some(ctx, x.Devices)
	if err != nil {
		return out, err
	}
	if len(devices) < len(x.Devices) {
		return out, fmt.Errorf("a device: %w", domain.ErrNotFound)
	}
	before, err := s.read(ctx, &s.Store.Areas, x.Devices...)
	if err != nil {
		return out, err
	}
	tree, err := s.Store.Tree(ctx)
	if err != nil {
		return out, err
	}
	after := before
	after.said = maps.Clone(before.said)
	for _, d := range devices {
		was, others := x.apart(before.said[d.ID])
		f, keep := x.on(was, d.ID, who.Name)
		if errs := s.Kits.Unset(ctx, tree, d, f); x.Word == Fit && len(errs) > 0 {
			return out, errs
		}
		if after.said[d.ID] = others; keep {
			after.said[d.ID] = append(others, f)
		}
	}
	return s.compare(ctx, &s.Store.Areas, before, after)
}

// apart is what is said so far of the kit on a device, and what of others.
func (x Saying) apart(said []domain.Fitting) (was domain.Fitting, others []domain.Fitting) {
	others = slices.DeleteFunc(slices.Clone(said), func(f domain.Fitting) bool {
		if f.Kit == x.Kit {
			was = f
		}
		return f.Kit == x.Kit
	})
	return was, others
}

// compare tells what would change on the devices of a world if it were another one.
func (s *Service) compare(ctx context.Context, from *store.Areas, before, after world) (out Rehearsal, err error) {
	for _, d := range before.devices {
		c := fit.Changes(before.said[d.ID], after.decide(d))
		if c.Any() {
			out.Effects = append(out.Effects, Effect{d, c})
		}
	}
	ids := make([]domain.ID, len(out.Effects))
	for i, x := range out.Effects {
		ids[i] = x.Device.ID
	}
	w, err := s.weighing(ctx, from, ids)
	if err != nil {
		return out, err
	}
	for _, x := range out.Effects {
		for _, d := range x.Gains {
			out.Gained = out.Gained.Add(w.of(d.Kit, x.Device))
		}
		for _, d := range x.Loses {
			out.Lost = out.Lost.Add(w.of(d.Kit, x.Device))
		}
	}
	out.say()
	return out, nil
}

// say puts it into words.
func (r *Rehearsal) say() {
	gains, loses := map[string]int{}, map[string]int{}
	for _, x := range r.Effects {
		for _, d := range x.Gains {
			gains[d.Kit]++
		}
		for _, d := range x.Loses {
			loses[d.Kit]++
		}
	}
	r.Why.Question, r.Why.Answer = "What would change?", "nothing"
	if n := len(r.Effects); n > 0 {
		r.Why.Answer = text.Count(int64(n), "device") + " would be fitted otherwise"
	}
	for _, name := range slices.Sorted(maps.Keys(gains)) {
		r.Why.Because(text.Count(int64(gains[name]), "device")+" would gain "+name, "", nil)
	}
	for _, name := range slices.Sorted(maps.Keys(loses)) {
		r.Why.Because(text.Count(int64(loses[name]), "device")+" would lose "+name, "what was collected stays", nil)
	}
}

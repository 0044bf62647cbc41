// Package fitting decides which kits devices get: what people fit and keep off, and rules that fit by
// what is known of devices.
package fitting

import (
	"context"
	"maps"
	"time"

	"tirelessowl/internal/core/change"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Wiring are what the service works with.
type Wiring struct {
	Store *store.Store
	Desk  *act.Desk
	Kits  *collect.Service
	// Changed takes up what is fitted to some devices now.
	Changed func(context.Context, []domain.ID) error
}

// Service is the use cases.
type Service struct{ Wiring }

// New returns the service.
func New(w Wiring) *Service { return &Service{w} }

// world is all that decides about kits, as it is at one time.
type world struct {
	rules      fit.Rules
	kits       fit.Kits
	devices    []domain.Device
	attributes inherit.Attributes
	facts      map[domain.ID][]string
	said       map[domain.ID][]domain.Fitting
}

// read reads what decides about the given devices, or about all where none are given. Devices that are
// not there are left out.
func (s *Service) read(ctx context.Context, from *store.Areas, ids ...domain.ID) (w world, err error) {
	w.kits = s.Kits.CatalogueIn(ctx)
	rules, err := from.FittingRules.All(ctx)
	if err != nil {
		return w, err
	}
	w.rules, _ = fit.Readable(rules) // the list of rules tells of the others
	only := domain.ID(0)
	switch len(ids) {
	case 0:
		w.devices, err = from.Devices.All(ctx)
	case 1:
		only = ids[0]
		fallthrough
	default:
		w.devices, err = from.Devices.Some(ctx, ids)
	}
	if err != nil {
		return w, err
	}
	if w.facts, err = from.Facts.Of(ctx, only); err != nil {
		return w, err
	}
	said, err := from.Fittings.Said(ctx, only)
	if err != nil {
		return w, err
	}
	w.said = map[domain.ID][]domain.Fitting{}
	for _, f := range said {
		w.said[f.DeviceID] = append(w.said[f.DeviceID], f)
	}
	w.attributes, err = attributesOf(ctx, from, only, w.devices)
	return w, err
}

func attributesOf(ctx context.Context, from *store.Areas, only domain.ID, devices []domain.Device) (a inherit.Attributes, err error) {
	places, err := from.Places.All(ctx)
	if err != nil {
		return a, err
	}
	var set []domain.Attribute
	if only != 0 && len(devices) == 1 {
		set, err = from.Attributes.Along(ctx, devices[0].PlaceID, only)
	} else {
		set, err = from.Attributes.Whole(ctx)
	}
	return inherit.NewAttributes(places, set), err
}

// subject is what is known of a device.
func (w world) subject(d domain.Device) fit.Subject {
	values, tags := w.attributes.Held(d)
	return fit.Subject{Device: d, Places: w.attributes.Above(d.PlaceID), Facts: w.facts[d.ID], Tags: tags, Attributes: values}
}

// decide decides about all kits of a device.
func (w world) decide(d domain.Device) []fit.Decision {
	return w.rules.Resolve(w.subject(d), w.said[d.ID], w.kits)
}

// Estate is all devices with what decides about their kits, for comparing what would be collected.
func (s *Service) Estate(ctx context.Context, from *store.Areas) (e change.Estate, err error) {
	w, err := s.read(ctx, from)
	if err != nil {
		return e, err
	}
	e = change.Estate{Devices: w.devices, Said: w.said, Subject: w.subject, BytesPerSample: s.Kits.BytesPerSample(ctx)}
	ids := make([]domain.ID, len(w.devices))
	for i, d := range w.devices {
		ids[i] = d.ID
	}
	e.Parts, err = from.Parts.Counts(ctx, ids)
	return e, err
}

// settle is what has to be stored for a device so that it is fitted as decided.
func (w world) settle(d domain.Device, now time.Time) (put, drop []domain.Fitting) {
	said := map[string]domain.Fitting{}
	for _, f := range w.said[d.ID] {
		said[f.Kit] = f
	}
	c := fit.Changes(w.said[d.ID], w.decide(d))
	for _, x := range c.Gains {
		f := fitted(said[x.Kit], x)
		f.DeviceID, f.Kit, f.Since = d.ID, x.Kit, now
		put = append(put, f)
	}
	for _, x := range c.Keeps {
		was := said[x.Kit]
		f := fitted(was, x)
		if f.By != was.By || f.RuleID != was.RuleID || f.Inside != was.Inside || !maps.Equal(f.Presets, was.Presets) {
			put = append(put, f)
		}
	}
	for _, x := range c.Loses {
		f := said[x.Kit]
		if f.By == domain.ByHand {
			continue // only people take back what people said
		}
		if f.Off = true; len(f.Parameters) > 0 {
			put = append(put, f) // what was set for it there is not lost when it comes back
		} else {
			drop = append(drop, f)
		}
	}
	return put, drop
}

// fitted is a fitting as it was decided. What people said keeps who said it.
func fitted(was domain.Fitting, x fit.Decision) domain.Fitting {
	f := was
	f.By, f.RuleID, f.Inside, f.Presets, f.Off = x.By, x.Rule, x.Inside, x.Presets, false
	if f.By != domain.ByHand {
		f.Who = ""
	}
	return f
}

// Refit fits kits as rules and other kits say, to the given devices or to all, and returns those of which
// something changed.
func (s *Service) Refit(ctx context.Context, ids ...domain.ID) (changed []domain.ID, err error) {
	w, err := s.read(ctx, &s.Store.Areas, ids...)
	if err != nil || !w.anything() {
		return nil, err // most changes of devices change nothing here: nobody is held up
	}
	err = s.Store.InTx(ctx, func(tx *store.Areas) error {
		if err := tx.Fittings.Lock(ctx); err != nil {
			return err
		}
		changed, err = s.refit(ctx, tx, ids...)
		return err
	})
	return changed, err
}

func (w world) anything() bool {
	for _, d := range w.devices {
		if put, drop := w.settle(d, time.Time{}); len(put)+len(drop) > 0 {
			return true
		}
	}
	return false
}

// refit is Refit within a transaction that holds the lock of the fittings.
func (s *Service) refit(ctx context.Context, tx *store.Areas, ids ...domain.ID) (changed []domain.ID, err error) {
	w, err := s.read(ctx, tx, ids...)
	if err != nil {
		return nil, err
	}
	var put, drop []domain.Fitting
	now := time.Now().UTC()
	for _, d := range w.devices {
		p, l := w.settle(d, now)
		if len(p)+len(l) > 0 {
			changed = append(changed, d.ID)
		}
		put, drop = append(put, p...), append(drop, l...)
	}
	if err := tx.Fittings.Fit(ctx, put...); err != nil {
		return nil, err
	}
	return changed, tx.Fittings.Drop(ctx, drop...)
}

// weighing works out what kits cost on devices.
type weighing struct {
	parts     map[domain.ID]map[string]int
	tree      inherit.Tree
	kits      *kit.Catalogue
	perSample float64
}

func (s *Service) weighing(ctx context.Context, from *store.Areas, devices []domain.ID) (w weighing, err error) {
	w.kits, w.perSample = s.Kits.CatalogueIn(ctx), s.Kits.BytesPerSample(ctx)
	if w.tree, err = from.Tree(ctx); err != nil {
		return w, err
	}
	w.parts, err = from.Parts.Counts(ctx, devices)
	return w, err
}

// of is what a kit costs on a device, with as many parts as it is known to have of each kind.
func (w weighing) of(name string, d domain.Device) kit.Cost {
	e, err := fit.Effect(w.kits, w.tree, d, domain.Fitting{Kit: name})
	if err != nil {
		return kit.Cost{}
	}
	return e.Kit.Estimate(func(p kit.Parts) int { return w.parts[d.ID][p.Kind] }, w.perSample)
}

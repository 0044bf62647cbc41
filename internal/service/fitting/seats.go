package fitting

import (
	"context"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Fitted is a kit on a device, or one that is kept off, with what decided that.
type Fitted struct {
	Said domain.Fitting
	// Ruled is the name of the rule that decided; empty where none did.
	Ruled string
	fit.Decision
}

// Of tells what is said of every kit on a device, and why.
func (s *Service) Of(ctx context.Context, who access.Actor, device domain.ID) (out []Fitted, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Devices.One(ctx, device); err != nil {
		return nil, err
	}
	w, err := s.read(ctx, &s.Store.Areas, device)
	if err != nil || len(w.devices) == 0 {
		return nil, err
	}
	said := map[string]domain.Fitting{}
	for _, f := range w.said[device] {
		said[f.Kit] = f
	}
	for _, d := range w.decide(w.devices[0]) {
		f := Fitted{Said: said[d.Kit], Decision: d}
		i := slices.IndexFunc(w.rules, func(r fit.Rule) bool { return r.ID == d.Rule })
		if d.Rule != 0 && i >= 0 {
			f.Ruled = w.rules[i].Name
		}
		out = append(out, f)
	}
	return out, nil
}

// Collected is a kit on a device, with how it is collected there; As is empty where it is not fitted.
type Collected struct {
	Fitted
	As fit.Effective
}

// Collected tells of every kit that is fitted to a device how it is collected, and of those that are kept off, and those
// that rules speak of and do not fit there, why.
func (s *Service) Collected(ctx context.Context, who access.Actor, device domain.ID) (out []Collected, err error) {
	all, err := s.Of(ctx, who, device)
	if err != nil {
		return nil, err
	}
	tree, err := s.Store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	tree = tree.SeenBy(func(place domain.ID) bool { return who.May(domain.AreaRun, domain.AccessSee, domain.At(place)) })
	d, err := s.Store.Devices.One(ctx, device)
	if err != nil {
		return nil, err
	}
	said := make([]domain.Fitting, len(all))
	for i, f := range all {
		said[i] = f.Said
	}
	for _, f := range all {
		e, err := fit.Effect(s.Kits.Catalogue(), tree, d, f.Said, said...)
		if err == nil || !f.On && f.Said.By != domain.ByHand {
			out = append(out, Collected{f, e})
		}
	}
	return out, nil
}

// Seat is a kit on one device.
type Seat struct {
	domain.Fitting
	Device domain.Device
	Rule   string
}

// Seats are the devices on which a kit is fitted or kept off, by name, as far as they are seen.
func (s *Service) Seats(ctx context.Context, who access.Actor, kit string) (out []Seat, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	if _, err := s.Kits.Kit(kit); err != nil {
		return nil, err
	}
	return seatsOf(ctx, &seen.Areas, kit)
}

// Devices are all devices that are seen, by name.
func (s *Service) Devices(ctx context.Context, who access.Actor) ([]domain.Device, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	return seen.Devices.All(ctx)
}

// Chair is a device where a kit may be fitted, with what is said of it there.
type Chair struct {
	Seat
	There bool // something is said of the kit
	Fits  bool // the device shows what the kit needs
	// Set is what is set for the kit on the tree that holds here.
	Set []fit.Set
}

// Chairs are all devices that are seen, by name, with what is said of a kit there.
func (s *Service) Chairs(ctx context.Context, who access.Actor, kit string) (out []Chair, err error) {
	seats, err := s.Seats(ctx, who, kit)
	if err != nil {
		return nil, err
	}
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	devices, err := seen.Devices.All(ctx)
	if err != nil {
		return nil, err
	}
	facts, err := seen.Facts.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	tree, err := s.Store.Tree(ctx)
	if err != nil {
		return nil, err
	}
	tree = tree.SeenBy(func(place domain.ID) bool { return who.May(domain.AreaRun, domain.AccessSee, domain.At(place)) })
	said := map[domain.ID]Seat{}
	for _, x := range seats {
		said[x.Device.ID] = x
	}
	k, err := s.Kits.Kit(kit)
	if err != nil {
		return nil, err
	}
	for _, d := range devices {
		c := Chair{}
		if c.Seat, c.There = said[d.ID]; !c.There {
			c.Device = d
		}
		c.Fits, _ = k.Fits(facts[d.ID])
		if e, err := fit.Effect(s.Kits.Catalogue(), tree, d, c.Fitting); err == nil && c.There && !c.Off {
			c.Set = e.Set
		}
		out = append(out, c)
	}
	return out, nil
}

func seatsOf(ctx context.Context, from *store.Areas, kit string) (out []Seat, err error) {
	on, err := from.Fittings.On(ctx, kit)
	if err != nil {
		return nil, err
	}
	ids := make([]domain.ID, len(on))
	for i, f := range on {
		ids[i] = f.DeviceID
	}
	devices, err := from.Devices.Some(ctx, ids)
	if err != nil {
		return nil, err
	}
	rules, err := from.FittingRules.All(ctx)
	if err != nil {
		return nil, err
	}
	names := map[domain.ID]string{}
	for _, r := range rules {
		names[r.ID] = r.Name
	}
	byDevice := map[domain.ID]domain.Fitting{}
	for _, f := range on {
		byDevice[f.DeviceID] = f
	}
	for _, d := range devices {
		f := byDevice[d.ID]
		out = append(out, Seat{f, d, names[f.RuleID]})
	}
	return out, nil
}

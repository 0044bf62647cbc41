// Package settings is what is set at places and devices and holds for all below, until
// one set lower takes its place.
package settings

import (
	"context"
	"fmt"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store *store.Store
	desk  *act.Desk
	kits  *collect.Service
	// changed takes up what was changed of some devices.
	changed func(context.Context, []domain.ID) error
}

// New returns the service.
func New(s *store.Store, desk *act.Desk, kits *collect.Service, changed func(context.Context, []domain.ID) error) *Service {
	return &Service{s, desk, kits, changed}
}

var (
	changeAtPlace  = act.Deed{Name: "change a setting of a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	changeAtDevice = act.Deed{Name: "change a setting of a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// Setting is something that can be set, and what holds at a place or a device.
type Setting struct {
	Key   domain.SettingKey `json:"key"`
	Title string            `json:"title"`
	Help  string            `json:"help"`
	// Choices are what it can be, where that is a choice.
	Choices []Choice `json:"-"`
	inherit.Resolved
	// Shown is the value as people read it, and Else what holds without what is set here.
	Shown string `json:"shown"`
	Else  string `json:"-"`
	Here  bool   `json:"here"`
	// May tells whether the one who asks may change it.
	May bool `json:"-"`
	// Mark is that of what is set here.
	Mark string `json:"-"`
}

// Choice is one of the values that a setting can be.
type Choice struct{ Value, Label string }

// site is a place or a device at which something is set, within the tree.
type site struct {
	inherit.Where
	thing act.Thing
}

// override is what is set there.
func (x site) override(key domain.SettingKey) domain.Override {
	at := x.Itself()
	return domain.Override{PlaceID: at.Place, DeviceID: at.Device, PartID: at.Part, Key: key}
}

// siteOf finds a place or a device.
func siteOf(ctx context.Context, from *store.Areas, at inherit.Thing) (site, error) {
	if at.Part != 0 {
		p, err := from.Parts.One(ctx, at.Part)
		if err != nil {
			return site{}, err
		}
		x, err := siteOf(ctx, from, inherit.Device(p.DeviceID))
		x.Part = p.ID
		x.thing = act.Thing{Kind: "part", ID: p.ID, Name: p.Name + " of " + x.thing.Name, PlaceID: x.Place}
		return x, err
	}
	if at.Device != 0 {
		d, err := from.Devices.One(ctx, at.Device)
		return site{inherit.Where{Place: d.PlaceID, Device: d.ID}, act.Device(d)}, err
	}
	p, err := from.Places.One(ctx, at.Place)
	return site{inherit.Where{Place: p.ID}, act.Thing{Kind: "place", ID: p.ID, Name: p.Name, PlaceID: p.ID}}, err
}

// Typed is a setting as it was typed.
type Typed struct {
	At    inherit.Thing
	Key   domain.SettingKey
	Value string // empty takes it away, so that what comes from above holds again
	// Secrets are those of a credential, typed again: needed where devices lie outside of
	// what it is bound to.
	Secrets domain.Secrets
	// Mark is that of the setting as it was seen; empty for whatever is there.
	Mark string
}

// Set sets something at a place or a device. Errors are by the fields “value” and “secret”;
// it is ErrChanged where the setting is no more what was seen.
func (s *Service) Set(ctx context.Context, who access.Actor, t Typed) error {
	return s.desk.Do(ctx, who, s.deed(ctx, t), func(w *act.Work) error {
		x, err := s.locked(ctx, w, t.At)
		if err != nil {
			return err
		}
		before, err := here(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		if err := act.Since(before[t.Key], t.Mark); err != nil {
			return err
		}
		k, err := s.keep(ctx, w, who, x, t)
		if err != nil {
			return err
		}
		after, err := here(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		w.Note(x.thing, before, after)
		if !k.reloads {
			return nil
		}
		a, err := s.affected(ctx, w.Areas, x, x.override(t.Key))
		w.ThenFor("devices", idsOf(a.devices), s.changed)
		return err
	})
}

func idsOf(devices []domain.Device) []domain.ID {
	out := make([]domain.ID, len(devices))
	for i, d := range devices {
		out[i] = d.ID
	}
	return out
}

// deed is what setting something is.
func (s *Service) deed(ctx context.Context, t Typed) act.Deed {
	switch {
	case t.At.Part != 0:
		return changeAtPart
	case t.At.Device != 0:
		return changeAtDevice
	}
	if k, ok := s.kind(ctx, t.Key, site{}); ok && k.deed != nil {
		return *k.deed
	}
	return changeAtPlace
}

// locked is where something is set; nobody else changes it until the end.
func (s *Service) locked(ctx context.Context, w *act.Work, at inherit.Thing) (site, error) {
	if at.Part != 0 {
		x, err := siteOf(ctx, w.Areas, at)
		if err != nil {
			return x, w.Missing(err)
		}
		_, err = w.Device(x.Device)
		return x, err
	}
	if at.Device != 0 {
		d, err := w.Device(at.Device)
		return site{inherit.Where{Place: d.PlaceID, Device: d.ID}, act.Device(d)}, err
	}
	if _, err := w.Places.Lock(ctx, at.Place); err != nil {
		return site{}, w.Missing(err)
	}
	if err := w.At(at.Place); err != nil {
		return site{}, err
	}
	return siteOf(ctx, w.Areas, at)
}

// maxTyped is the longest value, in bytes.
const maxTyped = 4000

// keep checks what was typed and stores it.
func (s *Service) keep(ctx context.Context, w *act.Work, who access.Actor, x site, t Typed) (kind, error) {
	k, ok := s.kind(ctx, t.Key, x)
	if !ok {
		return k, domain.FieldErrors{"value": "There is no such setting here."}
	}
	o := x.override(t.Key)
	typed := strings.TrimSpace(t.Value)
	if typed == "" {
		return k, w.Overrides.Unset(ctx, o)
	}
	if len(typed) > maxTyped {
		return k, domain.FieldErrors{"value": fmt.Sprintf("At most %d characters.", maxTyped)}
	}
	value, refers, err := k.read(ctx, w.Areas, who, x, typed)
	if err != nil {
		return k, err
	}
	o.Value = value
	if k.holds != nil {
		a, err := s.affected(ctx, w.Areas, x, o)
		if err != nil {
			return k, err
		}
		if err := k.holds(ctx, w, a, t.Secrets); err != nil {
			return k, err
		}
	}
	if err := w.Overrides.Set(ctx, o, refers); err != nil || k.after == nil {
		return k, err
	}
	return k, k.after(ctx, w.Areas, who, x)
}

// here is what is set at a place or a device itself, as it is noted.
func here(ctx context.Context, from *store.Areas, x site) (map[domain.SettingKey]string, error) {
	all, err := from.Overrides.All(ctx)
	out := map[domain.SettingKey]string{}
	for _, o := range all {
		if (inherit.Thing{Place: o.PlaceID, Device: o.DeviceID, Part: o.PartID}) == x.Itself() {
			out[o.Key] = o.Value
		}
	}
	return out, err
}

// Package devices is the use cases of changing what is watched: a device that got
// another address, name or place keeps its history.
package devices

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	sheets *act.Sheets
	kits   *collect.Service
	// incidents are ended with the device that they are about.
	incidents *respond.Service
	// changed takes up what was changed of a device.
	changed func(context.Context, domain.ID) error
	// collectNow fetches one source of a device, or all, and returns how many requests that are.
	collectNow func(id domain.ID, source string) int
}

// New returns the service.
func New(
	s *store.Store,
	desk *act.Desk,
	sheets *act.Sheets,
	kits *collect.Service,
	incidents *respond.Service,
	changed func(context.Context, domain.ID) error,
	collectNow func(id domain.ID, source string) int,
) *Service {
	return &Service{s, desk, sheets, kits, incidents, changed, collectNow}
}

// Draft is a device as people type it.
type Draft struct {
	Name string `json:"name"`
	// Friendly is what people call it; empty where that is the technical name.
	Friendly string    `json:"friendly"`
	Address  string    `json:"address"`
	PlaceID  domain.ID `json:"place_id"`
	// Version is that of the device that was changed, against two who change one; zero
	// changes whatever it is now.
	Version int `json:"version"`
	// Via is the name of the device that it is reached through; empty for what
	// holds for its place.
	Via string `json:"via"`
	// Secrets are those of its credential, typed again: needed where the new
	// address lies outside of what the credential is bound to.
	Secrets domain.Secrets `json:"-"`
}

// Draft returns a device as it is, for a form, and the name of what it is reached
// through by its place.
func (s *Service) Draft(ctx context.Context, who access.Actor, id domain.ID) (d Draft, inherited string, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return d, "", err
	}
	x, err := seen.Devices.One(ctx, id)
	if err != nil {
		return d, "", err
	}
	tree, err := s.store.Tree(ctx)
	if err != nil {
		return d, "", err
	}
	d = Draft{Name: x.Name, Friendly: x.Friendly, Address: x.Address.String(), PlaceID: x.PlaceID, Version: x.Version}
	via, how := tree.Gateway(x)
	names, err := seen.Devices.Names(ctx, []domain.ID{via})
	if how.Own() {
		d.Via = names[via]
	} else {
		inherited = names[via]
	}
	return d, inherited, err
}

const maxName = 200

var (
	changeDevice  = act.Deed{Name: "change a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	pauseDevice   = act.Deed{Name: "pause a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	goOnDevice    = act.Deed{Name: "go on with a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	removeDevice  = act.Deed{Name: "remove a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	restoreDevice = act.Deed{Name: "restore a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	forgetDevice  = act.Deed{Name: "delete the history of a device", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	collectDevice = act.Deed{Name: "collect from a device now", Area: domain.AreaCollect, Needs: domain.AccessOperate}
)

// noted is what is noted of a device that is changed.
type noted struct {
	Name     string    `json:"name"`
	Friendly string    `json:"friendly"`
	Address  string    `json:"address"`
	PlaceID  domain.ID `json:"place_id"`
	Via      domain.ID `json:"via,omitempty"`
	Paused   bool      `json:"paused"`
}

func (s *Service) noted(ctx context.Context, tx *store.Areas, x domain.Device) (noted, error) {
	tree, err := tx.Tree(ctx)
	if err != nil {
		return noted{}, err
	}
	n := noted{Name: x.Name, Friendly: x.Friendly, Address: x.Address.String(), PlaceID: x.PlaceID, Paused: x.Paused}
	if via, how := tree.Gateway(x); how.Own() {
		n.Via = via
	}
	return n, nil
}

// Change changes where and what a device is. Errors are by field: name, address,
// place, via, secret. It is in force when it returns.
func (s *Service) Change(ctx context.Context, who access.Actor, id domain.ID, d Draft) (x domain.Device, err error) {
	err = s.desk.Do(ctx, who, changeDevice, func(w *act.Work) error {
		if x, err = w.Device(id); err != nil {
			return err
		}
		if d.Version != 0 && d.Version != x.Version {
			return domain.ErrChanged
		}
		before, err := s.noted(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		if x, err = s.change(ctx, w, who, x, d); err != nil {
			return err
		}
		after, err := s.noted(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		w.Note(act.Device(x), before, after)
		w.Then(func(ctx context.Context) error {
			s.sheets.Forget() // what is allowed may hang on where it stands
			return s.changed(ctx, id)
		})
		return nil
	})
	return x, err
}

func (s *Service) change(ctx context.Context, w *act.Work, who access.Actor, x domain.Device, d Draft) (domain.Device, error) {
	d.Name, d.Via, d.Friendly = strings.TrimSpace(d.Name), strings.TrimSpace(d.Via), strings.TrimSpace(d.Friendly)
	errs := domain.FieldErrors{}
	if d.Name == "" || len(d.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give it a name of at most %d characters.", maxName)
	}
	if len(d.Friendly) > maxName {
		errs["friendly"] = fmt.Sprintf("At most %d characters.", maxName)
	}
	address, err := netip.ParseAddr(strings.TrimSpace(d.Address))
	if err != nil || address.Zone() != "" {
		errs["address"] = "Must be an address such as 192.0.2.1."
	} else if refusal := s.kits.Guard.Refusal(address); refusal != "" && address != x.Address {
		errs["address"] = fmt.Sprintf("%s %s.", address, refusal)
	}
	if err := errs.OrNil(); err != nil {
		return domain.Device{}, err
	}
	if d.PlaceID != x.PlaceID && !who.May(changeDevice.Area, changeDevice.Needs, domain.At(d.PlaceID)) {
		return x, domain.FieldErrors{"place": "Choose a place."}
	}
	old := x.Address
	x.Name, x.Friendly, x.Address, x.PlaceID = d.Name, d.Friendly, address, d.PlaceID
	if err := s.place(ctx, w.Areas, who, x, d.Via); err != nil {
		return x, err
	}
	if err := s.inside(ctx, w.Areas, who, x, old); err != nil {
		return x, err
	}
	x.Version++
	if old == address {
		return x, nil
	}
	return x, s.move(ctx, w, x, old, d.Secrets)
}

// inside refuses an address that the place of a device does not let be talked to.
func (s *Service) inside(ctx context.Context, tx *store.Areas, who access.Actor, x domain.Device, old netip.Addr) error {
	field := "place"
	if x.Address != old {
		field = "address"
	}
	return bounds.Keep(ctx, tx, who, field, x)
}

// place stores name, address, place and way of a device.
func (s *Service) place(ctx context.Context, tx *store.Areas, who access.Actor, x domain.Device, via string) error {
	places, err := tx.Places.All(ctx)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(places, func(p domain.Place) bool { return p.ID == x.PlaceID }) {
		return domain.FieldErrors{"place": "Choose a place."}
	}
	err = tx.Devices.Update(ctx, x)
	if errors.Is(err, domain.ErrConflict) {
		return domain.FieldErrors{"name": "Another device is called so already; names are unique."}
	}
	if err != nil {
		return err
	}
	return s.reach(ctx, tx, who, x, via)
}

// reach sets what a device is reached through, or takes it back.
func (s *Service) reach(ctx context.Context, tx *store.Areas, who access.Actor, x domain.Device, via string) error {
	o := domain.Override{DeviceID: x.ID, Key: domain.SettingGateway}
	if via == "" {
		return tx.Overrides.Unset(ctx, o)
	}
	gateway, err := tx.Devices.Named(ctx, x.PlaceID, via)
	if errors.Is(err, domain.ErrNotFound) || err == nil && !who.May(domain.AreaCollect, domain.AccessSee, gateway.Spot()) {
		return domain.FieldErrors{"via": "There is no device of this name."}
	}
	if err != nil {
		return err
	}
	o.Value = strconv.FormatInt(gateway.ID, 10)
	if err := tx.Overrides.Set(ctx, o, gateway.ID); err != nil {
		return err
	}
	tree, err := tx.Tree(ctx)
	if err != nil {
		return err
	}
	// Following the ways from the gateway must never come back here.
	for at, hops := gateway, 0; hops <= mostHops; hops++ {
		if at.ID == x.ID {
			return domain.FieldErrors{"via": "It would be reached through itself."}
		}
		next, _ := tree.Gateway(at)
		if next == 0 {
			return nil
		}
		if at, err = tx.Devices.One(ctx, next); err != nil {
			return err
		}
	}
	return domain.FieldErrors{"via": fmt.Sprintf("It would be reached through more than %d others.", mostHops)}
}

const mostHops = 32

// move lets credentials go along to another address, within the ranges that they
// are bound to; outside of them their secrets must have been typed again.
func (s *Service) move(ctx context.Context, w *act.Work, x domain.Device, old netip.Addr, typed domain.Secrets) error {
	if err := w.Devices.Readdress(ctx, x.ID, old, x.Address); err != nil {
		return err
	}
	problem, err := s.kits.RebindAll(ctx, w, x, typed)
	if err == nil && problem != "" {
		err = domain.FieldErrors{"secret": problem}
	}
	return err
}

// SetPaused stops collecting from a device, or goes on with it.
func (s *Service) SetPaused(ctx context.Context, who access.Actor, id domain.ID, paused bool) error {
	deed := goOnDevice
	if paused {
		deed = pauseDevice
	}
	return s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		x, err := w.Device(id)
		if err != nil {
			return err
		}
		before, err := s.noted(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		after := before
		x.Paused, after.Paused = paused, paused
		w.Note(act.Device(x), before, after)
		w.Then(func(ctx context.Context) error { return s.changed(ctx, id) })
		return w.Devices.Update(ctx, x)
	})
}

// CollectNow fetches one source of a device, as kit/source, or everything where none is named, as soon as
// it is free, and returns how many requests that are.
func (s *Service) CollectNow(ctx context.Context, who access.Actor, id domain.ID, source string) (requests int, err error) {
	err = s.desk.Do(ctx, who, collectDevice, func(w *act.Work) error {
		x, err := w.Device(id)
		if err != nil {
			return err
		}
		w.NoteFor(act.Device(x), nil, nil, "")
		w.Then(func(context.Context) error {
			requests = s.collectNow(id, source)
			return nil
		})
		return nil
	})
	return requests, err
}

// Remove stops watching a device. Its history is kept until Forget; what is open
// about it is over, and its tickets are told so. It is ErrChanged where the device has
// another version, but zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	now := time.Now().UTC()
	return s.desk.Do(ctx, who, removeDevice, func(w *act.Work) error {
		d, err := w.Device(id)
		if err != nil {
			return err
		}
		if version != 0 && version != d.Version {
			return domain.ErrChanged
		}
		before, err := s.noted(ctx, w.Areas, d)
		if err != nil {
			return err
		}
		w.Note(act.Device(d), before, nil)
		w.Then(func(ctx context.Context) error {
			s.incidents.Wake()
			return gone(s.changed(ctx, id))
		})
		// First of all, so that nothing else begins for the device meanwhile.
		if err := w.Devices.Remove(ctx, id, now); err != nil {
			return err
		}
		return s.incidents.EndOf(ctx, w.Areas, d, now)
	})
}

// gone is no error where a device is taken up that is no longer there.
func gone(err error) error {
	if errors.Is(err, domain.ErrNotFound) {
		return nil
	}
	return err
}

// Removed returns devices that are no longer watched, and how many match in all.
func (s *Service) Removed(ctx context.Context, who access.Actor, f domain.RemovedFilter) ([]domain.RemovedDevice, int64, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, 0, err
	}
	return seen.Devices.Removed(ctx, f)
}

// RemovedOne returns a device that is no longer watched, or ErrNotFound.
func (s *Service) RemovedOne(ctx context.Context, who access.Actor, id domain.ID) (domain.Device, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return domain.Device{}, err
	}
	return seen.Devices.RemovedOne(ctx, id)
}

// Restore watches a removed device again as it was, with its history.
func (s *Service) Restore(ctx context.Context, who access.Actor, id domain.ID) (x domain.Device, err error) {
	err = s.desk.Do(ctx, who, restoreDevice, func(w *act.Work) error {
		if x, err = removed(ctx, w, id); err != nil {
			return err
		}
		x.CreatedAt = time.Now().UTC()
		x, err = w.Devices.Restore(ctx, id, x)
		if errors.Is(err, domain.ErrConflict) {
			return fmt.Errorf("%w: another device is called so by now; rename it first", domain.ErrConflict)
		}
		if err != nil {
			return err
		}
		after, err := s.noted(ctx, w.Areas, x)
		if err != nil {
			return err
		}
		w.Note(act.Device(x), nil, after)
		w.Then(func(ctx context.Context) error { return s.changed(ctx, id) })
		return nil
	})
	return x, err
}

// removed returns a removed device at whose place the actor may act.
func removed(ctx context.Context, w *act.Work, id domain.ID) (domain.Device, error) {
	x, err := w.Devices.RemovedOne(ctx, id)
	if err != nil {
		return x, w.Missing(err)
	}
	if err := w.On(x.Spot()); err != nil {
		return domain.Device{}, err // nothing is told of what may not be seen
	}
	return x, nil
}

// Forget deletes a removed device with all its history.
func (s *Service) Forget(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, forgetDevice, func(w *act.Work) error {
		x, err := removed(ctx, w, id)
		if err != nil {
			return err
		}
		series, err := w.Series.OfDevice(ctx, id)
		if err != nil {
			return err
		}
		w.Note(act.Device(x), noted{Name: x.Name, Address: x.Address.String(), PlaceID: x.PlaceID}, nil)
		w.Then(func(context.Context) error {
			s.store.ForgetSeries(series)
			return nil
		})
		return w.Devices.Forget(ctx, id)
	})
}

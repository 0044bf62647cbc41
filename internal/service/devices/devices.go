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

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store *store.Store
	kits  *collect.Service
	// incidents are ended with the device that they are about.
	incidents *respond.Service
	// changed takes up what was changed of a device.
	changed func(context.Context, domain.ID) error
}

// New returns the service.
func New(s *store.Store, kits *collect.Service, incidents *respond.Service, changed func(context.Context, domain.ID) error) *Service {
	return &Service{s, kits, incidents, changed}
}

// Draft is a device as people type it.
type Draft struct {
	Name    string    `json:"name"`
	Address string    `json:"address"`
	PlaceID domain.ID `json:"place_id"`
	// Via is the name of the device that it is reached through; empty for what
	// holds for its place.
	Via string `json:"via"`
	// Secrets are those of its credential, typed again: needed where the new
	// address lies outside of what the credential is bound to.
	Secrets domain.Secrets `json:"-"`
}

// Draft returns a device as it is, for a form, and the name of what it is reached
// through by its place.
func (s *Service) Draft(ctx context.Context, id domain.ID) (d Draft, inherited string, err error) {
	x, err := s.store.Devices.One(ctx, id)
	if err != nil {
		return d, "", err
	}
	tree, err := s.tree(ctx, &s.store.Areas)
	if err != nil {
		return d, "", err
	}
	d = Draft{Name: x.Name, Address: x.Address.String(), PlaceID: x.PlaceID}
	via, how := tree.Gateway(x)
	names, err := s.store.Devices.Names(ctx, []domain.ID{via})
	if how.Own() {
		d.Via = names[via]
	} else {
		inherited = names[via]
	}
	return d, inherited, err
}

func (s *Service) tree(ctx context.Context, tx *store.Areas) (t inherit.Tree, err error) {
	places, err := tx.Places.All(ctx)
	if err != nil {
		return t, err
	}
	overrides, err := tx.Overrides.All(ctx)
	return inherit.NewTree(places, overrides), err
}

const maxName = 200

// Change changes where and what a device is. Errors are by field: name, address,
// place, via, secret. It is in force when it returns.
func (s *Service) Change(ctx context.Context, id domain.ID, d Draft) (domain.Device, error) {
	d.Name, d.Via = strings.TrimSpace(d.Name), strings.TrimSpace(d.Via)
	errs := domain.FieldErrors{}
	if d.Name == "" || len(d.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give it a name of at most %d characters.", maxName)
	}
	address, err := netip.ParseAddr(strings.TrimSpace(d.Address))
	if err != nil || address.Zone() != "" {
		errs["address"] = "Must be an address such as 192.0.2.1."
	}
	if err := errs.OrNil(); err != nil {
		return domain.Device{}, err
	}
	var x domain.Device
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		if x, err = tx.Devices.One(ctx, id); err != nil {
			return err
		}
		old := x.Address
		x.Name, x.Address, x.PlaceID = d.Name, address, d.PlaceID
		if err := s.place(ctx, tx, x, d.Via); err != nil {
			return err
		}
		if old == address {
			return nil
		}
		return s.move(ctx, tx, x, old, d.Secrets)
	})
	if err != nil {
		return x, err
	}
	return x, s.changed(ctx, id)
}

// place stores name, address, place and way of a device.
func (s *Service) place(ctx context.Context, tx *store.Areas, x domain.Device, via string) error {
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
	return s.reach(ctx, tx, x, via)
}

// reach sets what a device is reached through, or takes it back.
func (s *Service) reach(ctx context.Context, tx *store.Areas, x domain.Device, via string) error {
	o := domain.Override{DeviceID: x.ID, Key: domain.SettingGateway}
	if via == "" {
		return tx.Overrides.Unset(ctx, o)
	}
	gateway, err := tx.Devices.Named(ctx, via)
	if errors.Is(err, domain.ErrNotFound) {
		return domain.FieldErrors{"via": "There is no device of this name."}
	}
	if err != nil {
		return err
	}
	o.Value = strconv.FormatInt(gateway.ID, 10)
	if err := tx.Overrides.Set(ctx, o, gateway.ID); err != nil {
		return err
	}
	tree, err := s.tree(ctx, tx)
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
func (s *Service) move(ctx context.Context, tx *store.Areas, x domain.Device, old netip.Addr, typed domain.Secrets) error {
	if err := tx.Devices.Readdress(ctx, x.ID, old, x.Address); err != nil {
		return err
	}
	endpoints, err := tx.Endpoints.Of(ctx, x.ID)
	if err != nil {
		return err
	}
	for _, e := range endpoints {
		if e.CredentialID == 0 || e.Address.IsValid() {
			continue // it is asked at an address of its own
		}
		problem, err := s.kits.Rebind(ctx, tx, e.CredentialID, x.Address, typed)
		if err != nil {
			return err
		}
		if problem != "" {
			return domain.FieldErrors{"secret": problem}
		}
	}
	return nil
}

// Remove stops watching a device. Its history is kept until Forget; what is open
// about it is over, and its tickets are told so.
func (s *Service) Remove(ctx context.Context, id domain.ID) error {
	now := time.Now().UTC()
	err := s.store.InTx(ctx, func(tx *store.Areas) error {
		d, err := tx.Devices.One(ctx, id)
		if err != nil {
			return err
		}
		// First of all, so that nothing else begins for the device meanwhile.
		if err := tx.Devices.Remove(ctx, id, now); err != nil {
			return err
		}
		return s.incidents.EndOf(ctx, tx, d, now)
	})
	if err != nil {
		return err
	}
	s.incidents.Wake()
	return gone(s.changed(ctx, id))
}

// gone is no error where a device is taken up that is no longer there.
func gone(err error) error {
	if errors.Is(err, domain.ErrNotFound) {
		return nil
	}
	return err
}

// Removed returns devices that are no longer watched, and how many match in all.
func (s *Service) Removed(ctx context.Context, f domain.RemovedFilter) ([]domain.RemovedDevice, int64, error) {
	return s.store.Devices.Removed(ctx, f)
}

// RemovedOne returns a device that is no longer watched, or ErrNotFound.
func (s *Service) RemovedOne(ctx context.Context, id domain.ID) (domain.Device, error) {
	return s.store.Devices.RemovedOne(ctx, id)
}

// Restore watches a removed device again as it was, with its history.
func (s *Service) Restore(ctx context.Context, id domain.ID) (domain.Device, error) {
	x, err := s.store.Devices.RemovedOne(ctx, id)
	if err != nil {
		return x, err
	}
	x.CreatedAt = time.Now().UTC()
	x, err = s.store.Devices.Restore(ctx, id, x)
	if errors.Is(err, domain.ErrConflict) {
		return x, fmt.Errorf("%w: another device is called so by now; rename it first", domain.ErrConflict)
	}
	if err != nil {
		return x, err
	}
	return x, s.changed(ctx, id)
}

// Forget deletes a removed device with all its history.
func (s *Service) Forget(ctx context.Context, id domain.ID) error {
	return s.store.ForgetDevice(ctx, id)
}

package collect

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Endpoint is how a device is talked to by a way, with the way's description.
type Endpoint struct {
	domain.Endpoint
	Way way.Way
	// Set is false where nothing is set: the way's defaults hold.
	Set bool
	// Credentials are those of the kinds that the way takes.
	Credentials []domain.Credential
}

// Endpoints returns how a device is talked to by every way that its fitted
// kits use, or that is set for it.
func (s *Service) Endpoints(ctx context.Context, deviceID domain.ID) ([]Endpoint, error) {
	set, err := s.store.Endpoints.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	fittings, err := s.store.Fittings.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	credentials, err := s.store.Credentials.All(ctx)
	if err != nil {
		return nil, err
	}
	used := s.used(fittings)
	var out []Endpoint
	for _, w := range s.Ways {
		e := Endpoint{Endpoint: domain.Endpoint{DeviceID: deviceID, Way: w.Name, Settings: map[string]string{}}, Way: w, Credentials: fitting(credentials, w)}
		i := slices.IndexFunc(set, func(x domain.Endpoint) bool { return x.Way == w.Name })
		if i >= 0 {
			e.Endpoint, e.Set = set[i], true
		}
		if e.Set || used[w.Name] && (len(w.Endpoint) > 0 || len(w.Credentials) > 0) {
			out = append(out, e)
		}
	}
	return out, nil
}

// used are the ways by which fitted kits ask.
func (s *Service) used(fittings []domain.Fitting) map[string]bool {
	out := map[string]bool{}
	for _, f := range fittings {
		if k, err := s.Kit(f.Kit); err == nil {
			for _, src := range k.SourcesFor(f.Parameters) {
				out[src.Way] = true
			}
		}
	}
	return out
}

func fitting(credentials []domain.Credential, w way.Way) (out []domain.Credential) {
	for _, c := range credentials {
		if slices.ContainsFunc(w.Credentials, func(k way.Credential) bool { return k.Name == c.Kind }) {
			out = append(out, c)
		}
	}
	return out
}

// EndpointDraft is an endpoint as people type it.
type EndpointDraft struct {
	Address      string // empty for the device's own
	CredentialID domain.ID
	Settings     map[string]string
	// Secrets are those of the credential, typed again: needed where the address
	// lies outside of what it is bound to.
	Secrets domain.Secrets
}

// check makes an endpoint of what was typed. The errors are by field:
// address, credential, and the way's own.
func (s *Service) check(ctx context.Context, deviceID domain.ID, name string, d EndpointDraft) (domain.Endpoint, error) {
	w, ok := s.Ways.Of(name)
	if !ok {
		return domain.Endpoint{}, fmt.Errorf("way %q: %w", name, domain.ErrNotFound)
	}
	settings, errs := field.Check(w.Endpoint, d.Settings)
	e := domain.Endpoint{DeviceID: deviceID, Way: name, CredentialID: d.CredentialID, Settings: settings}
	if d.Address != "" {
		var err error
		if e.Address, err = netip.ParseAddr(d.Address); err != nil || e.Address.Zone() != "" {
			errs["address"] = "Must be an address such as 192.0.2.1, or empty for the device's own."
		}
	}
	if d.CredentialID != 0 {
		all, err := s.store.Credentials.All(ctx)
		if err != nil {
			return e, err
		}
		if !slices.ContainsFunc(fitting(all, w), func(c domain.Credential) bool { return c.ID == d.CredentialID }) {
			errs["credential"] = "There is no such credential for this way."
		}
	}
	return e, errs.OrNil()
}

// SetEndpoint changes how a device is talked to by a way. The device must be
// loaded anew.
func (s *Service) SetEndpoint(ctx context.Context, deviceID domain.ID, name string, d EndpointDraft) error {
	e, err := s.check(ctx, deviceID, name, d)
	if err != nil {
		return err
	}
	device, err := s.store.Devices.One(ctx, deviceID)
	if err != nil {
		return err
	}
	return s.store.InTx(ctx, func(tx *store.Areas) error {
		if err := s.allow(ctx, tx, device, e, d.Secrets); err != nil {
			return err
		}
		return tx.Endpoints.Save(ctx, e)
	})
}

// allow makes sure that the credential of an endpoint may be sent to where that
// is asked.
func (s *Service) allow(ctx context.Context, tx *store.Areas, d domain.Device, e domain.Endpoint, typed domain.Secrets) error {
	if e.CredentialID == 0 {
		return nil
	}
	at := d.Address
	if e.Address.IsValid() {
		at = e.Address
	}
	problem, err := s.Rebind(ctx, tx, e.CredentialID, at, typed)
	if err == nil && problem != "" {
		err = domain.FieldErrors{"secret": problem}
	}
	return err
}

// Trial is what a device answered to what a kit would ask of it.
type Trial struct {
	Kit, Source string
	Way         string
	Fetched     derive.Fetched
	Exchange    []way.Line
}

// tryPatience bounds a trial.
const tryPatience = 30 * time.Second

// errNothingToTry is told where no fitted kit asks by a way.
var errNothingToTry = errors.New("no kit that is fitted here asks by this way")

// Try asks a device by a way as it would be asked with an endpoint that is not
// saved yet: the first source of the fitted kits that uses it.
func (s *Service) Try(ctx context.Context, deviceID domain.ID, name string, d EndpointDraft) (out Trial, err error) {
	e, err := s.check(ctx, deviceID, name, d)
	if err != nil {
		return out, err
	}
	device, err := s.store.Devices.One(ctx, deviceID)
	if err != nil {
		return out, err
	}
	// What is tried is sent as well.
	if err := s.store.InTx(ctx, func(tx *store.Areas) error { return s.allow(ctx, tx, device, e, d.Secrets) }); err != nil {
		return out, err
	}
	fittings, err := s.store.Fittings.Of(ctx, deviceID)
	if err != nil {
		return out, err
	}
	opened, err := s.store.Credentials.Secrets(ctx)
	if err != nil {
		return out, err
	}
	talk := Talks([]domain.Endpoint{e}, opened)[name]
	for _, f := range fittings {
		k, err := s.Kit(f.Kit)
		if err != nil {
			continue
		}
		for _, src := range k.SourcesFor(f.Parameters) {
			if src.Way == name {
				return s.try(ctx, k, src, device, f, talk), nil
			}
		}
	}
	return out, fmt.Errorf("%w: %w", domain.ErrConflict, errNothingToTry)
}

func (s *Service) try(ctx context.Context, k *kit.Kit, src kit.Source, d domain.Device, f domain.Fitting, talk kit.Talk) Trial {
	ctx, cancel := context.WithTimeout(ctx, tryPatience)
	defer cancel()
	q, _ := k.Question(src, d, f.Parameters, talk)
	q.Exchange = way.NewExchange(time.Now())
	got := s.Asker.Ask(ctx, q)
	return Trial{Kit: k.Name, Source: src.Key, Way: src.Way, Fetched: got, Exchange: q.Exchange.Lines}
}

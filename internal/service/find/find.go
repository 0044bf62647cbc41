// Package find sweeps address ranges and adopts what was found.
package find

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Prober asks addresses what they are.
type Prober interface {
	// Way is the way to collect by which it asks.
	Way() string
	// Credential makes a credential of what people type into a sweep.
	Credential(text domain.Secret) (kind string, secrets domain.Secrets)
	// Hello tells whether a device answers within the time that can be asked. said
	// is, in words, what another answer is; empty for silence.
	Hello(ctx context.Context, at netip.AddrPort, secrets domain.Secrets, timeout time.Duration) (answers bool, said string)
	// Learn asks a device that answers for all that a find shows.
	Learn(ctx context.Context, at netip.AddrPort, secrets domain.Secrets) (identity.Answer, error)
}

// Limits of a sweep's pace, in requests a second.
const (
	DefaultPace  = 500
	LoopbackPace = 5_000
	MaxPace      = 20_000
)

// Service is the use cases of finding.
type Service struct {
	store   *store.Store
	kits    *collect.Service
	prober  Prober
	vendors map[string]identity.Vendor
	// changed is told the sweep whose progress changed.
	changed func(domain.ID)
	// adopted is told each new device.
	adopted func(context.Context, domain.ID) error

	mu      sync.Mutex
	stops   map[domain.ID]context.CancelFunc
	running sync.WaitGroup
}

// New returns the service.
func New(s *store.Store, kits *collect.Service, p Prober, vendors map[string]identity.Vendor, changed func(domain.ID), adopted func(context.Context, domain.ID) error) *Service {
	return &Service{store: s, kits: kits, prober: p, vendors: vendors, changed: changed, adopted: adopted, stops: map[domain.ID]context.CancelFunc{}}
}

// Draft is a sweep as a person or a program asks for it.
type Draft struct {
	Name    string `json:"name"`
	Ranges  string `json:"ranges"`
	Exclude string `json:"exclude,omitempty"`
	Port    int    `json:"port"`
	// Pace in requests a second; 0 chooses by the addresses.
	Pace          int           `json:"pace,omitempty"`
	CredentialIDs []domain.ID   `json:"credential_ids,omitempty"`
	Community     domain.Secret `json:"-"` // a new credential, stored under NewName
	NewName       string        `json:"-"`
}

// maxName is the longest name of anything, in bytes.
const maxName = 200

// Check validates a draft and returns how many addresses it tries.
func (d *Draft) Check() (int64, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	d.Name = strings.TrimSpace(d.Name)
	if d.Name == "" || len(d.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give the sweep a name of at most %d characters.", maxName)
	}
	set, err := ranges.Parse(d.Ranges)
	switch {
	case err != nil:
		errs["ranges"] = err.Error()
	case set.Len() == 0:
		errs["ranges"] = "Write at least one address, range or network."
	}
	except, err := ranges.Parse(d.Exclude)
	if err != nil {
		errs["exclude"] = err.Error()
	}
	if problem := field.PortProblem(d.Port); problem != "" {
		errs["port"] = problem
	}
	if d.Pace == 0 {
		d.Pace = paceFor(set)
	}
	if d.Pace < 1 || d.Pace > MaxPace {
		errs["pace"] = fmt.Sprintf("Must be from 1 to %d requests a second.", MaxPace)
	}
	if len(d.CredentialIDs) == 0 && d.Community == "" {
		errs["credentials"] = "Choose a credential, or type a community."
	}
	total := set.Without(except).Len()
	if len(errs) == 0 && total == 0 {
		errs["exclude"] = "Nothing is left to try when these are left out."
	}
	return total, errs
}

// paceFor is gentle with networks and quick on this machine itself.
func paceFor(set ranges.Set) int {
	if set.Loopback() {
		return LoopbackPace
	}
	return DefaultPace
}

// Create stores a sweep; it does not start it.
func (s *Service) Create(ctx context.Context, d Draft) (domain.Sweep, error) {
	total, errs := d.Check()
	have, err := s.store.Credentials.All(ctx)
	if err != nil {
		return domain.Sweep{}, err
	}
	for _, id := range d.CredentialIDs {
		if !slices.ContainsFunc(have, func(c domain.Credential) bool { return c.ID == id }) {
			errs["credentials"] = fmt.Sprintf("There is no credential %d.", id)
		}
	}
	if len(errs) > 0 {
		return domain.Sweep{}, errs
	}
	var made domain.Sweep
	err = s.store.InTx(ctx, func(tx *store.Areas) error {
		again, err := rebind(ctx, tx, d)
		if err != nil {
			return err
		}
		if d.Community != "" && !again {
			kind, secrets := s.prober.Credential(d.Community)
			c, err := tx.Credentials.Add(ctx, domain.Credential{Name: credentialName(d.NewName, have), Kind: kind, Ranges: strings.TrimSpace(d.Ranges)}, secrets)
			if err != nil {
				return err
			}
			d.CredentialIDs = append(d.CredentialIDs, c.ID)
		}
		made, err = tx.Sweeps.Save(ctx, domain.Sweep{Name: d.Name, Ranges: strings.TrimSpace(d.Ranges), Exclude: strings.TrimSpace(d.Exclude), Port: d.Port, Pace: d.Pace,
			CredentialIDs: slices.Compact(d.CredentialIDs), State: domain.SweepReady, Total: total, CreatedAt: time.Now().UTC()})
		return err
	})
	return made, err
}

// credentialName finds a free name for a credential typed into a sweep.
func credentialName(wanted string, have []domain.Credential) string {
	wanted = strings.TrimSpace(wanted)
	if wanted == "" {
		wanted = "SNMP community"
	}
	name := wanted
	for n := 2; slices.ContainsFunc(have, func(c domain.Credential) bool { return c.Name == name }); n++ {
		name = fmt.Sprintf("%s %d", wanted, n)
	}
	return name
}

// Sweeps returns all sweeps, newest first.
func (s *Service) Sweeps(ctx context.Context) ([]domain.Sweep, error) { return s.store.Sweeps.All(ctx) }

// Sweep returns one sweep, or ErrNotFound.
func (s *Service) Sweep(ctx context.Context, id domain.ID) (domain.Sweep, error) {
	return s.store.Sweeps.One(ctx, id)
}

// Delete removes a sweep with its finds; adopted devices stay.
func (s *Service) Delete(ctx context.Context, id domain.ID) error {
	s.Stop(id)
	return s.store.Sweeps.Delete(ctx, id)
}

// Stop ends a running sweep; what was found stays.
func (s *Service) Stop(id domain.ID) {
	s.mu.Lock()
	stop := s.stops[id]
	s.mu.Unlock()
	if stop != nil {
		stop()
	}
}

// Close stops all sweeps and waits for their end.
func (s *Service) Close() {
	s.mu.Lock()
	for _, stop := range s.stops {
		stop()
	}
	s.mu.Unlock()
	s.running.Wait()
}

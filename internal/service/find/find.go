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

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/ports"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Prober asks addresses what they are.
type Prober interface {
	// Way is the way to collect by which it asks.
	Way() string
	// Credential makes a credential of what people type into a sweep.
	Credential(text domain.Secret) (kind string, secrets domain.Secrets)
	// Hello asks an address with a credential, and waits for so long.
	Hello(ctx context.Context, at netip.AddrPort, c way.Opened, timeout time.Duration) identity.Heard
	// Present says in words what answers at an address that none of the credentials opened;
	// empty for silence.
	Present(ctx context.Context, at netip.AddrPort, timeout time.Duration) (said string)
	// Learn asks a device that answers for all that a find shows.
	Learn(ctx context.Context, at netip.AddrPort, c way.Opened) (identity.Answer, error)
}

// Recognition tells what devices are.
type Recognition interface {
	Rules() recognise.Rules
	// Makers are what the registry calls the enterprises of object ids.
	Makers(ctx context.Context, objectIDs []string) (map[string]string, error)
}

// Repeats are after how long a sweep can begin again by itself.
var Repeats = []time.Duration{time.Hour, 6 * time.Hour, 24 * time.Hour, 7 * 24 * time.Hour}

// Limits of a sweep's pace, in requests a second.
const (
	DefaultPace  = 500
	LoopbackPace = 5_000
	MaxPace      = 50_000
)

// Service is the use cases of finding.
type Service struct {
	store       *store.Store
	desk        *act.Desk
	sheets      *act.Sheets
	kits        *collect.Service
	prober      Prober
	looker      Looker
	recognition Recognition
	// changed is told the sweep whose progress changed.
	changed func(domain.Sweep)
	// adopted is told each new device.
	adopted func(context.Context, domain.ID) error

	mu      sync.Mutex
	stops   map[domain.ID]context.CancelCauseFunc
	running sync.WaitGroup
	refused refusals
	closed  bool // nothing begins any more
}

// New returns the service.
func New(
	s *store.Store,
	desk *act.Desk,
	sheets *act.Sheets,
	kits *collect.Service,
	p Prober,
	l Looker,
	recognition Recognition,
	changed func(domain.Sweep),
	adopted func(context.Context, domain.ID) error,
) *Service {
	return &Service{
		store:       s,
		desk:        desk,
		sheets:      sheets,
		kits:        kits,
		prober:      p,
		looker:      l,
		recognition: recognition,
		changed:     changed,
		adopted:     adopted,
		stops:       map[domain.ID]context.CancelCauseFunc{},
	}
}

// Draft is a sweep as a person or a program asks for it.
type Draft struct {
	// PlaceID is the part of the tree that its finds are for; zero for all of it.
	PlaceID domain.ID `json:"place_id,omitempty"`
	Name    string    `json:"name"`
	Ranges  string    `json:"ranges"`
	Exclude string    `json:"exclude,omitempty"`
	Port    int       `json:"port"`
	// Ports are TCP ports to look at, too; with Echo it is asked by ICMP echo.
	Ports string `json:"ports,omitempty"`
	Echo  bool   `json:"echo,omitempty"`
	// Every is after how long it begins again by itself: one of Repeats, or zero for never.
	Every time.Duration `json:"every,omitempty"`
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
	except, err := ranges.Read(d.Exclude)
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
	all, err := ports.Read(d.Ports)
	if err != nil {
		errs["ports"] = text.UpperFirst(err.Error()) + "."
	}
	if d.Every != 0 && !slices.Contains(Repeats, d.Every) {
		errs["every"] = "Choose one of those that are offered."
	}
	if len(d.CredentialIDs) == 0 && d.Community == "" && len(all) == 0 && !d.Echo {
		errs["credentials"] = "Choose a credential, type a community, or look for ports or echoes below."
	}
	total := set.Without(except).Len()
	if len(errs) == 0 && total == 0 {
		errs["exclude"] = "Nothing is left to try when these are left out."
	}
	return total, errs
}

// Checked is Check, with what may not be talked to at its place.
func (s *Service) Checked(ctx context.Context, who access.Actor, d *Draft) (int64, domain.FieldErrors, error) {
	total, errs := d.Check()
	if d.Echo && !s.looker.MayEcho() {
		errs["echo"] = "This process may not: it needs the capability NET_RAW, or its group in net.ipv4.ping_group_range."
	}
	wanted, err := ranges.Parse(d.Ranges)
	if err != nil || errs["exclude"] != "" {
		return total, errs, nil
	}
	except, _ := ranges.Read(d.Exclude) // it was checked
	wanted = wanted.Without(except)
	if a, refusal, ok := s.kits.Guard.RefusalOf(wanted); !ok {
		errs["ranges"] = fmt.Sprintf("%s %s: leave it out, or allow it with OWL_ALLOW_ADDRESSES.", a, refusal)
		return total, errs, nil
	}
	if !who.May(makeSweep.Area, makeSweep.Needs, domain.At(d.PlaceID)) {
		return total, errs, nil // what is bound there is not told
	}
	tree, err := bounds.Tree(ctx, &s.store.Areas, who)
	if a, refusal, out := guard.BoundsAt(tree, d.PlaceID).First(wanted); out {
		errs["ranges"] = fmt.Sprintf("%s %s: leave it out.", a, refusal)
	}
	return total, errs, err
}

// paceFor is gentle with networks and quick on this machine itself.
func paceFor(set ranges.Set) int {
	if set.Loopback() {
		return LoopbackPace
	}
	return DefaultPace
}

var (
	makeSweep   = act.Deed{Name: "make a sweep", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	startSweep  = act.Deed{Name: "start a sweep", Area: domain.AreaFind, Needs: domain.AccessOperate}
	stopSweep   = act.Deed{Name: "stop a sweep", Area: domain.AreaFind, Needs: domain.AccessOperate}
	removeSweep = act.Deed{Name: "remove a sweep", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	adopt       = act.Deed{Name: "adopt devices", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	ignore      = act.Deed{Name: "put finds aside", Area: domain.AreaFind, Needs: domain.AccessConfigure}
	takeOver    = act.Deed{Name: "take over what was found", Area: domain.AreaFind, Needs: domain.AccessConfigure}
)

func thing(w domain.Sweep) act.Thing {
	return act.Thing{Kind: "sweep", ID: w.ID, Name: w.Name, PlaceID: w.PlaceID}
}

// Create stores a sweep; it does not start it.
func (s *Service) Create(ctx context.Context, who access.Actor, d Draft) (made domain.Sweep, err error) {
	err = s.desk.Do(ctx, who, makeSweep, func(w *act.Work) error {
		if err := w.At(d.PlaceID); err != nil {
			return err
		}
		total, errs, err := s.Checked(ctx, who, &d)
		if err != nil {
			return err
		}
		have, err := w.Credentials.All(ctx)
		if err != nil {
			return err
		}
		if id, ok := unusable(who, d.CredentialIDs, have); ok {
			errs["credentials"] = fmt.Sprintf("There is no credential %d.", id)
		}
		if err := errs.OrNil(); err != nil {
			return err
		}
		if err := s.credential(ctx, w, &d, have); err != nil {
			return err
		}
		made, err = w.Sweeps.Save(
			ctx,
			domain.Sweep{PlaceID: d.PlaceID, Name: d.Name, Ranges: strings.TrimSpace(d.Ranges), Exclude: strings.TrimSpace(d.Exclude),
				Port: d.Port, Pace: d.Pace, CredentialIDs: once(d.CredentialIDs), State: domain.SweepReady, Total: total,
				CreatedAt: time.Now().UTC(), Ports: strings.TrimSpace(d.Ports), Echo: d.Echo, Every: d.Every},
		)
		if err != nil {
			return err
		}
		w.Note(thing(made), nil, made)
		return nil
	})
	return made, err
}

// unusable returns a credential of the wanted ones that an actor may not use.
func unusable(who access.Actor, wanted []domain.ID, have []domain.Credential) (domain.ID, bool) {
	for _, id := range wanted {
		usable := slices.ContainsFunc(have, func(c domain.Credential) bool {
			return c.ID == id && who.May(makeSweep.Area, makeSweep.Needs, domain.At(c.PlaceID))
		})
		if !usable {
			return id, true
		}
	}
	return 0, false
}

// once are ids in their order, each the first time only.
func once(ids []domain.ID) (out []domain.ID) {
	for _, id := range ids {
		if !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}

// credential stores what was typed as a credential, and binds those that are used to
// the addresses of the sweep.
func (s *Service) credential(ctx context.Context, w *act.Work, d *Draft, have []domain.Credential) error {
	again, err := rebind(ctx, w, *d)
	if err != nil || d.Community == "" || again {
		return err
	}
	kind, secrets := s.prober.Credential(d.Community)
	c := domain.Credential{PlaceID: d.PlaceID, Name: credentialName(d.NewName, have), Kind: kind, Ranges: strings.TrimSpace(d.Ranges)}
	if c, err = w.Credentials.Add(ctx, c, secrets); err != nil {
		return err
	}
	w.Note(act.Thing{Kind: "credential", ID: c.ID, Name: c.Name, PlaceID: c.PlaceID}, nil, c)
	d.CredentialIDs = append(d.CredentialIDs, c.ID)
	return nil
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
func (s *Service) Sweeps(ctx context.Context, who access.Actor) ([]domain.Sweep, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return nil, err
	}
	return seen.Sweeps.All(ctx)
}

// Sweep returns one sweep, or ErrNotFound.
func (s *Service) Sweep(ctx context.Context, who access.Actor, id domain.ID) (domain.Sweep, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return domain.Sweep{}, err
	}
	return seen.Sweeps.One(ctx, id)
}

// Credentials returns what can be asked with, without the secrets.
func (s *Service) Credentials(ctx context.Context, who access.Actor) ([]domain.Credential, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return nil, err
	}
	return seen.Credentials.All(ctx)
}

// of returns a sweep at whose place the actor may do the deed.
func of(ctx context.Context, w *act.Work, id domain.ID) (domain.Sweep, error) {
	x, err := w.Sweeps.One(ctx, id)
	if err != nil {
		return x, w.Missing(err)
	}
	if err := w.At(x.PlaceID); err != nil {
		return domain.Sweep{}, err // nothing is told of what may not be seen
	}
	return x, nil
}

// Delete removes a sweep with its finds; adopted devices stay.
func (s *Service) Delete(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, removeSweep, func(w *act.Work) error {
		x, err := of(ctx, w, id)
		if err != nil {
			return err
		}
		s.end(id)
		w.Note(thing(x), x, nil)
		return w.Sweeps.Delete(ctx, id)
	})
}

// Stop ends a running sweep; what was found stays.
func (s *Service) Stop(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, stopSweep, func(w *act.Work) error {
		x, err := of(ctx, w, id)
		if err != nil {
			return err
		}
		w.NoteFor(thing(x), nil, nil, "")
		w.Then(func(context.Context) error {
			s.end(id)
			return nil
		})
		return nil
	})
}

// end ends a sweep that is running.
func (s *Service) end(id domain.ID) {
	s.mu.Lock()
	stop := s.stops[id]
	s.mu.Unlock()
	if stop != nil {
		stop(nil)
	}
}

// Close breaks all sweeps off and waits for their end; Resume goes on with them.
func (s *Service) Close() {
	s.mu.Lock()
	s.closed = true
	for _, stop := range s.stops {
		stop(errClosing)
	}
	s.mu.Unlock()
	s.running.Wait()
}

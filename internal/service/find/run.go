package find

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/time/rate"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// An address is tried twice; the second time with more patience, for links
// over satellites.
var patience = []time.Duration{900 * time.Millisecond, 1600 * time.Millisecond}

const (
	maxWaiting    = 16_384 // addresses that wait for an answer at once
	learners      = 16     // devices that are asked for details at once
	progressEvery = 500 * time.Millisecond
)

// Start begins a sweep, or begins it again. It returns at once; the sweep
// goes on until it is done or stopped.
func (s *Service) Start(ctx context.Context, who access.Actor, id domain.ID) error {
	return s.desk.Do(ctx, who, startSweep, func(w *act.Work) error {
		x, err := of(ctx, w, id)
		if err != nil {
			return err
		}
		if s.runs(id) {
			return errRuns
		}
		w.NoteFor(thing(x), nil, nil, "")
		w.Then(func(ctx context.Context) error { return s.begin(ctx, x, false) })
		return nil
	})
}

var errRuns = fmt.Errorf("%w: the sweep is running", domain.ErrConflict)

func (s *Service) runs(id domain.ID) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.stops[id] != nil
}

// begin runs a sweep beside whoever asked for it.
func (s *Service) begin(ctx context.Context, w domain.Sweep, resumed bool) error {
	id := w.ID
	tree, err := s.sheets.Tree(ctx)
	if err != nil {
		return err
	}
	spared, _, err := s.spared(ctx, w, func(domain.ID) bool { return true })
	if err != nil {
		return err
	}
	all, err := s.store.Credentials.Secrets(ctx)
	if err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.stops[id] != nil {
		return errRuns
	}
	if s.closed {
		return fmt.Errorf("%w: %w", domain.ErrConflict, errClosing)
	}
	x := &sweep{
		Service: s,
		Sweep:   w,
		tree:    tree,
		spared:  spared,
		secrets: all,
		answers: map[netip.Addr]answered{},
		sighted: map[netip.Addr]string{},
		virtual: map[netip.Addr]string{},
		kept:    map[netip.Addr]bool{},
	}
	if err := x.prepare(ctx, resumed); err != nil {
		return err
	}
	run, stop := context.WithCancelCause(context.WithoutCancel(ctx))
	s.stops[id] = stop
	s.running.Go(func() {
		defer stop(nil)
		s.run(run, x)
		s.mu.Lock()
		delete(s.stops, id)
		s.mu.Unlock()
		s.changed(x.Sweep)
	})
	return nil
}

// sweep is one run.
type sweep struct {
	*Service
	domain.Sweep
	tree    *access.Tree
	spared  ranges.Set // addresses that places say to leave alone
	secrets map[domain.ID]store.Opened
	tried   atomic.Int64
	front   front
	mu      sync.Mutex
	answers map[netip.Addr]answered
	sighted map[netip.Addr]string
	virtual map[netip.Addr]string // addresses of virtual routers that answered
	saved   int                   // answers that were saved
	kept    map[netip.Addr]bool   // addresses whose answers are stored
	told    int                   // sightings that were saved
}

type answered struct {
	identity.Answer
	credential domain.ID
}

func (s *Service) run(ctx context.Context, w *sweep) {
	done := make(chan struct{})
	go func() { w.search(ctx); close(done) }()
	tick := time.NewTicker(progressEvery)
	defer tick.Stop()
	for {
		select {
		case <-tick.C:
			_ = w.last(ctx) // it is tried again
		case <-done:
			w.ended(ctx)
			if err := w.last(ctx); err != nil && w.State != domain.SweepRunning {
				w.failed(ctx)
			}
			return
		}
	}
}

// ended says how a sweep ended. One that the end of the program broke off still runs: it goes
// on when the program does.
func (w *sweep) ended(ctx context.Context) {
	switch {
	case errors.Is(context.Cause(ctx), errClosing):
	case ctx.Err() != nil:
		w.EndedAt, w.State = time.Now().UTC(), domain.SweepStopped
	default:
		w.EndedAt, w.State = time.Now().UTC(), domain.SweepDone
	}
}

// saveLimit bounds how long storing may hold up a sweep, and the end.
const saveLimit = 2 * time.Second

// last stores progress even when the sweep is being stopped.
func (w *sweep) last(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), saveLimit)
	defer cancel()
	err := w.save(ctx)
	if err != nil {
		slog.Error("what a sweep came to could not be stored", "sweep", w.ID, "error", err)
	}
	return err
}

// failed says of a sweep that has ended that it came to nothing that could be kept: it does
// not seem to run for ever.
func (w *sweep) failed(ctx context.Context) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), saveLimit)
	defer cancel()
	w.State, w.Error = domain.SweepFailed, "what it found could not be stored: the log says why"
	if _, err := w.store.Sweeps.Save(ctx, w.Sweep); err != nil {
		slog.Error("a sweep could not be ended", "sweep", w.ID, "error", err)
	}
	w.changed(w.Sweep)
}

// targets are the addresses that a sweep tries.
func targets(w domain.Sweep, spared ranges.Set) ranges.Set {
	set, _ := ranges.Parse(w.Ranges)
	except, _ := ranges.Read(w.Exclude)
	return set.Without(except).Without(spared)
}

// search tries all addresses at the sweep's pace.
func (w *sweep) search(ctx context.Context) {
	pace := rate.NewLimiter(rate.Limit(w.Pace), max(1, w.Pace/50))
	slots, learning := make(chan struct{}, maxWaiting), make(chan struct{}, learners)
	var all sync.WaitGroup
	from := w.Reached
	targets(w.Sweep, w.spared).Each(func(a netip.Addr) bool {
		if from.IsValid() && a.Compare(from) <= 0 {
			w.tried.Add(1) // before the program ended
			return true
		}
		select {
		case slots <- struct{}{}:
		case <-ctx.Done():
			return false
		}
		if pace.Wait(ctx) != nil { // for its first request: so those that were begun come to their end soon
			<-slots
			return false
		}
		known := w.front.begin(a)
		all.Go(func() {
			defer func() { <-slots }()
			if w.try(ctx, a, pace, learning); ctx.Err() == nil {
				known()
			}
		})
		return ctx.Err() == nil
	})
	all.Wait()
}

// survived tells of an answer that could not be read: none takes the sweep, or more, down.
func survived(r any) string {
	if r == nil {
		return ""
	}
	return fmt.Sprintf("it answers, and reading that failed on our side: %v", r)
}

// hello asks an address with a credential whether it answers.
func (w *sweep) hello(ctx context.Context, at netip.AddrPort, id domain.ID, patience time.Duration) (heard identity.Heard) {
	defer func() {
		if failed := survived(recover()); failed != "" {
			heard = identity.Heard{Said: failed}
		}
	}()
	return w.prober.Hello(ctx, at, w.secrets[id].Ready(), patience)
}

// present says what answers where no credential did.
func (w *sweep) present(ctx context.Context, at netip.AddrPort) (said string) {
	defer func() { said = cmp.Or(survived(recover()), said) }()
	return w.prober.Present(ctx, at, patience[0])
}

// try asks one address with every credential; the first that is answered counts. The pace was
// kept for the first request already.
func (w *sweep) try(ctx context.Context, a netip.Addr, pace *rate.Limiter, learning chan struct{}) {
	defer func() {
		if ctx.Err() == nil {
			w.tried.Add(1)
		}
	}()
	at, left := netip.AddrPortFrom(a, uint16(w.Port)), slices.Clone(w.CredentialIDs)
	var said []string
	defer func() { w.sight(a, strings.Join(said, "; ")) }()
	paid := true
	for _, timeout := range patience {
		for _, id := range left {
			if until, rests := w.refused.rests(w.named(at, id), time.Now()); rests {
				left, said = without(left, id), append(said, w.resting(id, until))
				continue
			}
			if !paid && pace.Wait(ctx) != nil {
				return
			}
			paid = false
			heard := w.hello(ctx, at, id, timeout)
			if heard.Answers {
				w.refused.forget(w.named(at, id))
				w.learn(ctx, at, id, learning)
				return
			}
			if heard.Denied {
				w.refused.note(w.named(at, id), time.Now())
				left = without(left, id)
			}
			if heard.Said != "" && !slices.Contains(said, heard.Said) {
				said = append(said, heard.Said)
			}
		}
	}
	if len(said) == 0 && len(w.CredentialIDs) > 0 && pace.Wait(ctx) == nil {
		if engine := w.present(ctx, at); engine != "" {
			said = append(said, engine)
		}
	}
	said = append(said, w.look(ctx, a, pace)...)
}

// resting says that a credential is not tried again yet.
func (w *sweep) resting(id domain.ID, until time.Time) string {
	return fmt.Sprintf("“%s” was refused here, and is not tried again for %s", w.secrets[id].Name, units.Span(time.Until(until)))
}

// named is a credential, as it is in this run, at an address.
func (w *sweep) named(at netip.AddrPort, id domain.ID) tried {
	return tried{at, id, w.secrets[id].Version}
}

func without(ids []domain.ID, id domain.ID) []domain.ID {
	return slices.DeleteFunc(slices.Clone(ids), func(x domain.ID) bool { return x == id })
}

// mostSaid is the longest of what is kept of an answer that is not understood.
const mostSaid = 300

// mostSightings bounds how many addresses are noted that answer otherwise.
const mostSightings = 10_000

// sight notes that an address answered otherwise.
func (w *sweep) sight(a netip.Addr, said string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if said != "" && len(w.sighted) < mostSightings {
		w.sighted[a] = text.Brief(said, mostSaid)
	}
}

// sightings are those so far of addresses at which no device was found.
func (w *sweep) sightings() (out []domain.Sighting) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for a, said := range w.virtual {
		out = append(out, domain.Sighting{Address: a.String(), Said: said})
	}
	for a, said := range w.sighted {
		if _, found := w.answers[a]; !found {
			out = append(out, domain.Sighting{Address: a.String(), Said: said})
		}
	}
	return out
}

func (w *sweep) learn(ctx context.Context, at netip.AddrPort, credential domain.ID, learning chan struct{}) {
	learning <- struct{}{}
	defer func() { <-learning }()
	defer func() { w.sight(at.Addr(), survived(recover())) }()
	answer, err := w.prober.Learn(ctx, at, w.secrets[credential].Ready())
	if err != nil {
		if ctx.Err() != nil {
			return
		}
		answer = identity.Answer{
			Responder:   identity.Responder{Address: at.Addr()},
			Description: "answers, but not to questions about itself: " + err.Error(),
			Facts:       []string{"answers:snmp"},
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.answers[at.Addr()] = answered{answer.Cleaned(), credential}
}

// save stores progress and the finds so far.
func (w *sweep) save(ctx context.Context) error {
	reached := w.front.come() // before the answers are read: of what lies before it none is missing
	w.mu.Lock()
	answers := slices.Collect(maps.Values(w.answers))
	w.mu.Unlock()
	finds := w.finds(answers)
	w.Tried, w.Found = w.tried.Load(), int64(len(finds))
	if len(answers) != w.saved {
		if err := errors.Join(w.remember(ctx, answers), w.keep(ctx, finds)); err != nil {
			return fmt.Errorf("finds: %w", err)
		}
		w.saved = len(answers)
	}
	if seen := w.sightings(); len(seen) != w.told {
		if err := w.store.Sightings.Save(ctx, w.ID, seen); err != nil {
			return fmt.Errorf("what answered otherwise: %w", err)
		}
		w.told = len(seen)
	}
	w.Reached = reached
	if _, err := w.store.Sweeps.Save(ctx, w.Sweep); err != nil {
		return fmt.Errorf("progress: %w", err)
	}
	w.changed(w.Sweep)
	return nil
}

func (w *sweep) keep(ctx context.Context, finds []domain.Find) error {
	all, err := w.store.Devices.Known(ctx, w.prober.Way())
	if err != nil {
		return err
	}
	known := recogniser(w.sameOrganisation(all))
	var identities []string
	for i := range finds {
		identities = append(identities, finds[i].Identity)
		known.judge(&finds[i], w.secrets)
	}
	if err := w.store.Finds.Save(ctx, finds); err != nil {
		return err
	}
	return w.store.Finds.Prune(ctx, w.ID, identities)
}

// sameOrganisation leaves out devices of other organisations than that of the sweep:
// private addresses mean something else there.
func (w *sweep) sameOrganisation(all []store.KnownDevice) []store.KnownDevice {
	if w.PlaceID == 0 {
		return all
	}
	own := w.tree.Root(w.PlaceID)
	return slices.DeleteFunc(all, func(d store.KnownDevice) bool { return w.tree.Root(d.PlaceID) != own })
}

// real leaves out what answered at addresses of virtual routers, and notes it as such: behind
// them stands now one device and then another.
func (w *sweep) real(answers []answered) []answered {
	responders := make([]identity.Responder, len(answers))
	for i, a := range answers {
		responders[i] = a.Responder
	}
	virtual := identity.Virtual(responders)
	return slices.DeleteFunc(slices.Clone(answers), func(a answered) bool {
		if !virtual[a.Address] {
			return false
		}
		w.mu.Lock()
		defer w.mu.Unlock()
		w.virtual[a.Address] = "an address of a virtual router, where “" + text.Brief(a.Name, mostSaid) + "” answers now"
		return true
	})
}

// finds merges the addresses of one device into one find.
func (w *sweep) finds(answers []answered) []domain.Find {
	answers = w.real(answers)
	slices.SortFunc(answers, func(a, b answered) int { return a.Address.Compare(b.Address) })
	responders := make([]identity.Responder, len(answers))
	for i, a := range answers {
		responders[i] = a.Responder
	}
	now := time.Now().UTC()
	var out []domain.Find
	for _, g := range identity.Merge(responders) {
		first := answers[g.Members[0]]
		vendor, model, kind := identity.Recognise(first.ObjectID, w.vendors)
		if kind == "" {
			kind = identity.KindOf(first.Services, first.Description)
		}
		if model == "" { // it is no product that we know
			vendor, model = cmp.Or(first.Maker, vendor), first.Model
		}
		f := domain.Find{
			SweepID:      w.ID,
			Identity:     g.Key(responders),
			Doubt:        g.Doubt,
			Address:      first.Address.String(),
			Name:         first.Name,
			Vendor:       vendor,
			Model:        model,
			Kind:         kind,
			Description:  first.Description,
			ObjectID:     first.ObjectID,
			Location:     first.Location,
			Parts:        first.Parts,
			Facts:        first.Facts,
			Way:          w.prober.Way(),
			CredentialID: first.credential,
			FoundAt:      now,
		}
		for _, m := range g.Members[1:] {
			f.Others = append(f.Others, answers[m].Address.String())
		}
		out = append(out, f)
	}
	return out
}

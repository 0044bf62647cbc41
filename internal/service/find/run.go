package find

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

const (
	maxWaiting    = 24_576 // addresses that wait for an answer at once
	learners      = 16     // devices that are asked for details at once
	progressEvery = 500 * time.Millisecond
)

// Start begins a sweep, or begins it again. It returns at once; the sweep
// goes on until it is done or stopped.
func (s *Service) Start(ctx context.Context, who access.Actor, id domain.ID) error {
	s.awaitEnd(ctx, id)
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

// endLimit bounds how long it is waited for a sweep that says that it is over.
const endLimit = 5 * time.Second

// awaitEnd waits for what a sweep still does when it says that it is over, such as teaching what it learnt: whoever
// sees that it is done may start it again.
func (s *Service) awaitEnd(ctx context.Context, id domain.ID) {
	ctx, cancel := context.WithTimeout(ctx, endLimit)
	defer cancel()
	for s.runs(id) {
		w, err := s.store.Sweeps.One(ctx, id)
		if err != nil || w.State == domain.SweepRunning {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(20 * time.Millisecond):
		}
	}
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
			w.adoptAlone(ctx)
			w.ended(ctx)
			w.note(ctx)
			if err := w.last(ctx); err != nil && w.State != domain.SweepRunning {
				w.failed(ctx)
			}
			w.teach(ctx)
			return
		}
	}
}

// teach lets it be known of watched devices what the sweep learnt of them: rules may fit kits by that.
func (w *sweep) teach(ctx context.Context) {
	ctx = context.WithoutCancel(ctx)
	finds, err := w.store.Finds.Of(ctx, w.ID)
	if err != nil {
		slog.Error("what a sweep learnt of watched devices is not known of them", "sweep", w.ID, "error", err)
		return
	}
	finds = slices.DeleteFunc(finds, func(f domain.Find) bool { return f.DeviceID == 0 || f.Doubt != "" })
	changed, err := w.store.Facts.Learn(ctx, finds...)
	for _, id := range changed {
		err = errors.Join(err, w.adopted(ctx, id))
	}
	if err != nil {
		slog.Error("what a sweep learnt of watched devices is not in force", "sweep", w.ID, "error", err)
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

package find

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
)

// errClosing ends sweeps with the program.
var errClosing = errors.New("the program ends")

// Resume goes on with sweeps that the end of the program broke off. One that cannot go on is
// marked as failed.
func (s *Service) Resume(ctx context.Context) error {
	ids, err := s.store.Sweeps.Running(ctx)
	if err != nil {
		return err
	}
	for _, id := range ids {
		w, err := s.store.Sweeps.One(ctx, id)
		if err != nil {
			return err
		}
		if err = s.begin(ctx, w, true); err == nil {
			continue
		}
		slog.Error("a sweep could not go on", "sweep", id, "error", err)
		w.State, w.EndedAt, w.Error = domain.SweepFailed, time.Now().UTC(), "the server was restarted, and it could not go on"
		if _, err := s.store.Sweeps.Save(ctx, w); err != nil {
			return err
		}
	}
	return nil
}

// prepare makes a sweep ready to run: anew, or with what is known from before it was broken off.
func (w *sweep) prepare(ctx context.Context, resumed bool) error {
	w.State, w.Error, w.EndedAt = domain.SweepRunning, "", time.Time{}
	w.Total = targets(w.Sweep, w.spared).Len()
	if resumed {
		return w.recall(ctx)
	}
	w.Tried, w.Found, w.StartedAt, w.Reached = 0, 0, time.Now().UTC(), netip.Addr{}
	if err := w.store.Sightings.Drop(ctx, w.ID); err != nil {
		return err
	}
	if err := w.store.SweepAnswers.Drop(ctx, w.ID); err != nil {
		return err
	}
	_, err := w.store.Sweeps.Save(ctx, w.Sweep)
	return err
}

// recall reads what was learned before.
func (w *sweep) recall(ctx context.Context) error {
	all, err := w.store.SweepAnswers.Of(ctx, w.ID)
	if err != nil {
		return err
	}
	for _, x := range all {
		var a identity.Answer
		if err := json.Unmarshal(x.Said, &a); err != nil {
			return fmt.Errorf("what %s said: %w", x.Address, err)
		}
		w.answers[x.Address], w.kept[x.Address] = answered{a, x.CredentialID}, true
	}
	w.saved = len(all)
	seen, err := w.store.Sightings.Of(ctx, w.ID)
	for _, x := range seen {
		if a, err := netip.ParseAddr(x.Address); err == nil {
			w.sighted[a] = x.Said
		}
	}
	w.told = len(seen)
	w.front.reached = w.Reached
	return err
}

// remember stores answers that came since.
func (w *sweep) remember(ctx context.Context, answers []answered) error {
	var out []domain.SweepAnswer
	for _, a := range answers {
		if w.kept[a.Address] {
			continue
		}
		said, err := json.Marshal(a.Answer)
		if err != nil {
			return err
		}
		out = append(out, domain.SweepAnswer{Address: a.Address, CredentialID: a.credential, Said: said})
	}
	if err := w.store.SweepAnswers.Save(ctx, w.ID, out); err != nil {
		return err
	}
	for _, a := range out {
		w.kept[a.Address] = true
	}
	return nil
}

// front is up to where a sweep has come: many addresses are tried at once, and come to their
// end in any order.
type front struct {
	mu      sync.Mutex
	open    []*trial // in the order in which they were begun
	reached netip.Addr
}

type trial struct {
	at    netip.Addr
	known atomic.Bool
}

// begin notes that an address is tried. The function that it returns says that it is known
// now whether it answers.
func (f *front) begin(a netip.Addr) (known func()) {
	t := &trial{at: a}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.open = append(f.open, t)
	return func() { t.known.Store(true) }
}

// come is the last address of which, and of all that were begun before it, all is known.
func (f *front) come() netip.Addr {
	f.mu.Lock()
	defer f.mu.Unlock()
	done := 0
	for done < len(f.open) && f.open[done].known.Load() {
		f.reached = f.open[done].at
		done++
	}
	f.open = slices.Delete(f.open, 0, done)
	return f.reached
}

package find

import (
	"context"
	"encoding/json"
	"log/slog"
	"maps"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// note keeps what a run came to. Of one that was stopped it is not told who is gone: it did not
// ask everybody.
func (w *sweep) note(ctx context.Context) {
	if w.State == domain.SweepRunning {
		return // it goes on later
	}
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), saveLimit)
	defer cancel()
	r := store.SweepRun{SweepID: w.ID, StartedAt: w.StartedAt, EndedAt: w.EndedAt, State: w.State, Tried: w.tried.Load()}
	if err := w.compare(ctx, &r); err != nil {
		slog.Error("what a run of a sweep changed could not be kept", "sweep", w.ID, "error", err)
	}
}

func (w *sweep) compare(ctx context.Context, r *store.SweepRun) error {
	before, ran, err := w.store.SweepRuns.Seen(ctx, w.ID)
	if err != nil {
		return err
	}
	w.mu.Lock()
	answers := slices.Collect(maps.Values(w.answers))
	w.mu.Unlock()
	finds, err := w.finds(ctx, answers)
	if err != nil {
		return err
	}
	now := seenOf(finds)
	r.Found = int64(len(now))
	changes, next := identity.Changes(before, now)
	switch {
	case w.State == domain.SweepDone:
		r.Changes, r.Seen = changes, append([]identity.Seen{}, next...)
	case ran:
		r.Changes = slices.DeleteFunc(changes, func(c identity.Change) bool { return c.Kind == identity.Vanished })
	}
	r.Changes = append([]identity.Change{}, r.Changes...)
	return w.store.SweepRuns.Add(ctx, *r)
}

func seenOf(finds []domain.Find) []identity.Seen {
	out := make([]identity.Seen, len(finds))
	for i, f := range finds {
		out[i] = identity.Seen{Identity: f.Identity, Address: f.Address, Others: f.Others, Name: f.Name, Vendor: f.Vendor, Model: f.Model,
			Kind: f.Kind, Description: f.Description, Location: f.Location}
	}
	return out
}

// Why explains why the addresses of a find are one device, or are told apart.
func (s *Service) Why(ctx context.Context, who access.Actor, findID domain.ID) (t why.Trace, f domain.Find, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return t, f, err
	}
	if f, err = seen.Finds.One(ctx, findID); err != nil {
		return t, f, err
	}
	if len(f.Why) > 0 {
		err = json.Unmarshal(f.Why, &t)
	}
	if t.Question == "" {
		t = why.Trace{Question: "One device, or several?", Answer: "it was found before reasons were kept: run the sweep again"}
	}
	return t, f, err
}

// Run is what one run of a sweep came to.
type Run struct {
	store.SweepRun
	First bool // there was none before to compare it with
}

// Count is how many changes of a kind there are.
func (r Run) Count(kind identity.ChangeKind) (n int) {
	for _, c := range r.Changes {
		if c.Kind == kind {
			n++
		}
	}
	return n
}

// Runs returns the runs of a sweep that has ended, the last first.
func (s *Service) Runs(ctx context.Context, who access.Actor, sweepID domain.ID) ([]Run, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Sweeps.One(ctx, sweepID); err != nil {
		return nil, err
	}
	rows, err := seen.SweepRuns.Of(ctx, sweepID)
	out := make([]Run, len(rows))
	for i, r := range rows {
		out[i] = Run{r, false}
	}
	firstDone(out)
	return out, err
}

// firstDone marks the oldest run that was done, if all was new to it.
func firstDone(runs []Run) {
	for i, r := range slices.Backward(runs) {
		if r.State == domain.SweepDone {
			runs[i].First = int64(r.Count(identity.Appeared)) == r.Found
			return
		}
	}
}

package engine

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"tirelessowl/internal/store"
)

// Housekeeper makes partitions ahead of time, folds samples into steps and
// drops what is too old.
type Housekeeper struct {
	store   *store.Store
	keep    time.Duration // how long single samples are kept
	log     *slog.Logger
	stop    context.CancelFunc
	running sync.WaitGroup
}

// NewHousekeeper returns a housekeeper that does nothing before Start.
func NewHousekeeper(s *store.Store, keep time.Duration, log *slog.Logger) *Housekeeper {
	return &Housekeeper{store: s, keep: keep, log: log}
}

const (
	houseEvery = 5 * time.Minute
	// foldBack is how far back steps are made again, for late samples and
	// for a time when we did not run.
	foldBack = 2 * time.Hour
)

// Start makes sure that there is room for samples now, then works in the
// background.
func (h *Housekeeper) Start(ctx context.Context) error {
	now := time.Now().UTC()
	if err := h.store.Prepare(ctx, now.Add(-24*time.Hour), now.Add(48*time.Hour)); err != nil {
		return err
	}
	ctx, h.stop = context.WithCancel(context.WithoutCancel(ctx))
	h.running.Go(func() {
		tick := time.NewTicker(houseEvery)
		defer tick.Stop()
		for {
			h.Round(ctx, time.Now().UTC())
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
		}
	})
	return nil
}

// Stop ends the work; it may be called twice.
func (h *Housekeeper) Stop() {
	if h.stop != nil {
		h.stop()
	}
	h.running.Wait()
}

// Round does all that is due at a time.
func (h *Housekeeper) Round(ctx context.Context, now time.Time) {
	try := func(what string, err error) {
		if err != nil && ctx.Err() == nil {
			h.log.Error("housekeeping failed", "what", what, "error", err)
		}
	}
	try("partitions", h.store.Prepare(ctx, now, now.Add(48*time.Hour)))
	end := now.Truncate(store.StepWidth)
	try("steps", h.store.MakeSteps(ctx, end.Add(-foldBack), end))
	dropped, err := h.store.DropBefore(ctx, now.Add(-h.keep))
	try("retention", err)
	if len(dropped) > 0 {
		h.log.Info("dropped old samples", "days", len(dropped))
	}
}

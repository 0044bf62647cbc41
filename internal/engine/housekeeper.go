package engine

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"tirelessowl/internal/service/once"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Housekeeper folds the samples of days that ended and drops what is too old.
type Housekeeper struct {
	store   *store.Store
	keep    samples.Keep
	retire  Retire
	log     *slog.Logger
	stop    context.CancelFunc
	running sync.WaitGroup
}

// Retire removes rows that are gone for too long, and returns how many.
type Retire func(ctx context.Context, now time.Time) (int, error)

// NewHousekeeper returns a housekeeper that does nothing before Start.
func NewHousekeeper(s *store.Store, keep samples.Keep, retire Retire, log *slog.Logger) *Housekeeper {
	return &Housekeeper{store: s, keep: keep, retire: retire, log: log}
}

const houseEvery = 10 * time.Minute

// Start works in the background.
func (h *Housekeeper) Start(ctx context.Context) {
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
	days, err := h.store.Samples.FoldDue(ctx, now)
	h.report(ctx, "folding of days", err)
	if days > 0 {
		h.log.Info("folded samples", "days", days)
	}
	settled, err := h.store.SettleKeeps(ctx)
	h.report(ctx, "times to keep samples", err)
	if settled > 0 {
		h.log.Info("refiled samples that are kept for another time", "readings", settled)
	}
	h.report(ctx, "sessions that expired", h.store.Sessions.Drop(ctx, now))
	h.report(ctx, "answers that are old", h.store.Answers.Drop(ctx, now.Add(-once.Kept)))
	h.report(ctx, "sign-ins that ended", h.store.SignIns.Drop(ctx, now))
	h.report(ctx, "values that could not be", h.store.Implausible.Drop(ctx, now.Add(-h.keep.Points)))
	rows, err := h.retire(ctx, now)
	h.report(ctx, "rows that are gone", err)
	if rows > 0 {
		h.log.Info("removed rows of which devices no longer tell", "rows", rows)
	}
	entries, err := h.store.Audit.Drop(ctx)
	h.report(ctx, "audit entries that are old", err)
	if entries > 0 {
		h.log.Info("dropped old audit entries", "entries", entries)
	}
	dropped, err := h.store.Samples.Retain(ctx, now, h.keep)
	h.report(ctx, "retention", err)
	if len(dropped) > 0 {
		h.log.Info("dropped old samples", "partitions", len(dropped))
	}
}

func (h *Housekeeper) report(ctx context.Context, what string, err error) {
	if err != nil && ctx.Err() == nil {
		h.log.Error("housekeeping failed", "what", what, "error", err)
	}
}

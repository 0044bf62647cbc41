package engine

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Fetcher sends one request to a device; failures are part of the result.
type Fetcher interface {
	Fetch(ctx context.Context, r kit.Request) derive.Fetched
}

// Limits of the pipeline's memory: results wait here while the database is
// slow or away; when the buffer is full, collecting waits too.
const (
	bufferedResults = 16_384
	batchSamples    = 5_000
	flushEvery      = 500 * time.Millisecond
)

// Collector fetches, derives, stores and hands samples to the judge.
type Collector struct {
	store    *store.Store
	kits     *collect.Service
	fetcher  Fetcher
	judge    *Judge
	sched    *Scheduler
	log      *slog.Logger
	results  chan result
	commands chan func(context.Context)
	bound    map[domain.ID]*binding // used by the pipeline only
	started  sync.WaitGroup
	stop     context.CancelFunc
	stopOnce sync.Once
	stats    collectorStats
}

type collectorStats struct{ samples, fetches, failures, waiting atomic.Int64 }

// CollectorStats are figures about collecting since the start.
type CollectorStats struct {
	Scheduler SchedulerStats
	Samples   int64 // stored
	Fetches   int64
	Failures  int64 // fetches that ended in an error
	Buffered  int   // results that wait for the pipeline
	Away      bool  // the database does not take samples now
}

type result struct {
	key    string
	device domain.ID
	got    derive.Fetched
}

// NewCollector returns a collector that does nothing before Start.
func NewCollector(s *store.Store, kits *collect.Service, f Fetcher, j *Judge, log *slog.Logger) *Collector {
	c := &Collector{store: s, kits: kits, fetcher: f, judge: j, sched: NewScheduler(), log: log,
		results: make(chan result, bufferedResults), commands: make(chan func(context.Context), 64), bound: map[domain.ID]*binding{}}
	j.ask = func(id domain.ID) { c.sched.Now(id, "reachability/probe") }
	return c
}

// Start loads everything and begins to collect. soon starts all fetches at
// once instead of at their place within the interval.
func (c *Collector) Start(ctx context.Context) error {
	ctx, c.stop = context.WithCancel(context.WithoutCancel(ctx))
	if err := c.loadAll(ctx); err != nil {
		return err
	}
	if err := c.judge.restore(ctx); err != nil {
		return err
	}
	scheduled := make(chan struct{})
	c.started.Go(func() {
		c.sched.Run(ctx)
		close(scheduled)
	})
	c.started.Go(func() { c.pipeline(scheduled) })
	return nil
}

// Stop ends collecting and returns when every sample taken is stored; it may
// be called twice.
func (c *Collector) Stop() {
	if c.stop == nil {
		return
	}
	c.stopOnce.Do(func() {
		c.stop()
		c.started.Wait()
		c.keepCounters()
	})
}

// Stats returns figures about the work.
func (c *Collector) Stats() CollectorStats {
	return CollectorStats{Scheduler: c.sched.Stats(), Samples: c.stats.samples.Load(), Fetches: c.stats.fetches.Load(),
		Failures: c.stats.failures.Load(), Buffered: len(c.results), Away: c.stats.waiting.Load() > 0 || c.store.Samples.Stats().Away}
}

// CollectNow fetches everything of a device as soon as it is free, and
// returns how many requests that are.
func (c *Collector) CollectNow(id domain.ID) int { return c.sched.Now(id, "") }

// Reload takes up what was changed of a device: added, edited, paused or
// removed. It returns when the change is in force.
func (c *Collector) Reload(ctx context.Context, id domain.ID) error {
	done := make(chan error, 1)
	c.commands <- func(pipeline context.Context) { done <- c.reload(pipeline, id, true) }
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

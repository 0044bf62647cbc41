package engine

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/spill"
)

// Asker asks one question of one device; failures are part of the result.
type Asker interface {
	Ask(ctx context.Context, q way.Question) derive.Fetched
}

// Limits of the pipeline's memory: results wait here while the database is
// slow or away; when the buffer is full, collecting waits too.
const (
	bufferedResults = 16_384
	batchSamples    = 5_000
	flushEvery      = 250 * time.Millisecond
)

// Collector fetches, derives, stores and hands samples to the judge.
type Collector struct {
	store             *store.Store
	kits              *collect.Service
	asker             Asker
	judge             *Judge
	sched             *Scheduler
	log               *slog.Logger
	results           chan result
	commands          chan func(context.Context)
	bound             map[domain.ID]*binding          // used by the pipeline only
	waves             waves                           // used by the pipeline only
	takingUp          atomic.Pointer[domain.TakingUp] // nil when all is in force
	devices           atomic.Int64
	unsettled         map[sourceKey]bool // sources with new rows that the database did not take
	settled, repeated time.Time          // when these were tried last
	aside             *shelf[aside]
	files             Files
	looked            time.Time // when the last looks were kept
	writing           sync.Mutex
	clock             *Clock
	started           sync.WaitGroup
	stop              context.CancelFunc
	ending            context.Context // of the pipeline: it ends a while after we began to stop
	finish            context.CancelFunc
	stopOnce          sync.Once
	began             time.Time
	progressed        int64 // fetches when answers came through last; used by the pipeline only
	wasAway           bool
	ahead             map[domain.ID]bool // devices whose values came from the future
	stats             collectorStats
}

type collectorStats struct{ newest, samples, implausible, fetches, failures, waiting atomic.Int64 }

type result struct {
	key    string
	device domain.ID
	got    derive.Fetched
}

// NewCollector returns a collector that does nothing before Start. What the
// database does not take goes to the files, which may be nil.
func NewCollector(s *store.Store, kits *collect.Service, a Asker, j *Judge, files Files, log *slog.Logger) *Collector {
	c := &Collector{store: s, kits: kits, asker: a, judge: j, sched: NewScheduler(), log: log,
		results: make(chan result, bufferedResults), commands: make(chan func(context.Context), 64),
		bound: map[domain.ID]*binding{}, unsettled: map[sourceKey]bool{}, ahead: map[domain.ID]bool{}}
	c.ending, c.finish = context.WithCancel(context.Background())
	c.aside = c.shelfAside(log)
	c.clock, c.files = j.clock, files
	c.aside.open(files.Aside, log)
	j.recorder.open(files.Judged, log)
	return c
}

// Files take what the database does not take: what was collected beside numbers,
// what judging found, and what became of deliveries.
type Files struct {
	Aside, Judged, Sent *spill.File
	// Looks is the path of the file for the last looks at devices; none when empty.
	Looks string
}

// Start loads everything and begins to collect, each fetch at its place within
// its interval.
func (c *Collector) Start(ctx context.Context) error {
	ctx, c.stop = context.WithCancel(context.WithoutCancel(ctx))
	c.began = time.Now()
	// Never wait here: the judge calls this, and the pipeline may wait for it.
	c.judge.ask = func(id domain.ID) { go c.askNow(ctx, id) }
	if err := c.takeUpFiles(ctx); err != nil {
		return err
	}
	if n := c.store.Samples.Rewind(c.clock.Now()); n > 0 {
		c.log.Warn("the clock was set back while we did not run: newest values are later than now", "series", n)
	}
	if err := c.loadAll(ctx); err != nil {
		return err
	}
	c.aside.goOn(0)
	c.aside.begin()
	scheduled := make(chan struct{})
	c.started.Go(func() {
		c.sched.Run(ctx)
		close(scheduled)
	})
	c.started.Go(func() { c.pipeline(scheduled) })
	return nil
}

// askNow asks a device now whether it answers.
func (c *Collector) askNow(ctx context.Context, id domain.ID) {
	ask := func(context.Context) {
		if b := c.bound[id]; b != nil && b.reach != "" {
			c.sched.Now(id, b.reach)
		}
	}
	select {
	case c.commands <- ask:
	case <-ctx.Done():
	}
}

// Stop ends collecting and returns when every sample taken is stored; it may
// be called twice.
func (c *Collector) Stop() {
	if c.stop == nil {
		return
	}
	c.stopOnce.Do(func() {
		c.stop()
		late := time.AfterFunc(pipelinePatience, c.finish)
		c.started.Wait()
		late.Stop()
		c.aside.end(asidePatience)
		c.judge.end()
		c.keepLastLooks()
		c.finish()
	})
}

// pipelinePatience is how long the end may wait for room for samples.
const pipelinePatience = 3 * time.Second

// takeUpFiles brings in what an earlier run could not store, before anything is
// loaded that follows from it.
func (c *Collector) takeUpFiles(ctx context.Context) error {
	for _, drain := range []func(context.Context) error{c.judge.recorder.drain, c.aside.drain} {
		if err := insist(ctx, func() error { return drain(ctx) }, func(err error, pause time.Duration) {
			c.log.Warn("what an earlier run left cannot be stored yet", "pause", pause, "error", err)
		}); err != nil {
			return err
		}
	}
	return nil
}

// Stats returns figures about the work.
func (c *Collector) Stats() domain.CollectorStats {
	return domain.CollectorStats{
		Scheduler:   c.sched.Stats(),
		Samples:     c.stats.samples.Load(),
		Implausible: c.stats.implausible.Load(),
		Fetches:     c.stats.fetches.Load(),
		Failures:    c.stats.failures.Load(),
		Buffered:    len(c.results),
		Away:        c.away(),
		Aside:       c.aside.waiting.Load(),
		Unrecorded:  c.judge.recorder.waiting.Load(),
		SetAside:    c.judge.recorder.setAside.Load() + c.aside.setAside.Load(),
	}
}

// CollectNow fetches one source of a device, as kit/source, or everything where none is named, as soon as
// it is free, and returns how many requests that are.
func (c *Collector) CollectNow(id domain.ID, source string) int { return c.sched.Now(id, source) }

// Ran tells when devices were asked last for what they are asked, and when they are asked next, each by kit/source.
func (c *Collector) Ran(ctx context.Context, ids ...domain.ID) (map[domain.ID]map[string]domain.SourceRun, error) {
	found := make(chan map[domain.ID]map[string]domain.SourceRun, 1)
	ask := func(context.Context) {
		out := make(map[domain.ID]map[string]domain.SourceRun, len(ids))
		for _, id := range ids {
			out[id] = c.ran(id)
		}
		found <- out
	}
	if err := c.command(ctx, ask); err != nil {
		return nil, err
	}
	select {
	case out := <-found:
		return out, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// ran is when one device was asked, and is asked next; the pipeline asks.
func (c *Collector) ran(id domain.ID) map[string]domain.SourceRun {
	out := map[string]domain.SourceRun{}
	if b := c.bound[id]; b != nil {
		due := c.sched.Due(id)
		for key, sb := range b.sources {
			run := sb.ran
			run.Next = due[key]
			out[key] = run
		}
	}
	return out
}

// Reload takes up what was changed of a device: added, edited, paused or
// removed. It returns when the change is in force, or with an error when it is
// not yet: then it is tried again until it is.
func (c *Collector) Reload(ctx context.Context, id domain.ID) error {
	done := make(chan error, 1)
	if err := c.command(ctx, func(pipeline context.Context) { done <- c.reload(pipeline, id) }); err != nil {
		return err
	}
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// ReloadAll takes up what was changed of many devices, such as a kit that they
// are fitted with. It returns at once.
func (c *Collector) ReloadAll(ctx context.Context) error {
	c.announce(int(c.devices.Load()))
	return c.command(ctx, func(pipeline context.Context) {
		c.waves.begin(slices.Collect(maps.Keys(c.bound))...)
		c.rollOn(pipeline)
	})
}

// ReloadSome takes up what was changed of some devices. It returns at once.
func (c *Collector) ReloadSome(ctx context.Context, ids []domain.ID) error {
	c.announce(len(ids))
	return c.command(ctx, func(pipeline context.Context) {
		c.waves.begin(ids...)
		c.rollOn(pipeline)
	})
}

// announce lets others know at once that a change is coming: the pipeline, which tells the rest, may be busy.
func (c *Collector) announce(devices int) {
	if devices > 0 {
		c.takingUp.CompareAndSwap(nil, &domain.TakingUp{Of: devices})
	}
}

// TakingUp is how far changes are that many devices have part in.
func (c *Collector) TakingUp() domain.TakingUp {
	if far := c.takingUp.Load(); far != nil {
		return *far
	}
	return domain.TakingUp{}
}

// command hands something to the pipeline.
func (c *Collector) command(ctx context.Context, f func(context.Context)) error {
	select {
	case c.commands <- f:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Offer takes values that came by themselves, as if the device had been asked:
// they go the same way, and are bounded and judged there. key names the source
// of a kit that they belong to. It waits while the pipeline is full.
func (c *Collector) Offer(ctx context.Context, device domain.ID, key string, got derive.Fetched) error {
	if len(got.Rows) > maxOffered {
		return fmt.Errorf("%w: at most %d rows at once", domain.ErrConflict, maxOffered)
	}
	if got.At.IsZero() {
		got.At = time.Now()
	}
	select {
	case c.results <- result{key, device, got}:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// maxOffered bounds the rows of one answer that came by itself.
const maxOffered = 20_000

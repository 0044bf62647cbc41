package engine

import (
	"context"
	"fmt"
	"log/slog"
	"math"
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
	c.stopOnce.Do(c.stop)
	c.started.Wait()
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

func (c *Collector) loadAll(ctx context.Context) error {
	devices, err := c.store.Devices(ctx)
	if err != nil {
		return err
	}
	places, err := c.store.Places(ctx)
	if err != nil {
		return err
	}
	fittings, err := c.store.Fittings(ctx, 0)
	if err != nil {
		return err
	}
	parts, err := c.store.Parts(ctx, 0)
	if err != nil {
		return err
	}
	series, err := c.store.SeriesOf(ctx, 0)
	if err != nil {
		return err
	}
	secrets, err := c.store.Secrets(ctx)
	if err != nil {
		return err
	}
	via := NewGateways(places)
	fittingsOf, partsOf, seriesOf := group(fittings, func(f domain.Fitting) domain.ID { return f.DeviceID }),
		group(parts, func(p domain.Part) domain.ID { return p.DeviceID }), group(series, func(s domain.Series) domain.ID { return s.DeviceID })
	for _, d := range devices {
		if err := c.bindDevice(ctx, d, via.Of(d), fittingsOf[d.ID], partsOf[d.ID], seriesOf[d.ID], secrets[d.CredentialID], false); err != nil {
			return fmt.Errorf("device %s: %w", d.Name, err)
		}
	}
	return nil
}

// reload runs within the pipeline.
func (c *Collector) reload(ctx context.Context, id domain.ID, soon bool) error {
	d, err := c.store.Device(ctx, id)
	if err != nil {
		delete(c.bound, id)
		c.sched.Set(id, nil, false)
		c.judge.remove(id)
		if err == domain.ErrNotFound {
			return nil
		}
		return err
	}
	places, err := c.store.Places(ctx)
	if err != nil {
		return err
	}
	fittings, err := c.store.Fittings(ctx, id)
	if err != nil {
		return err
	}
	parts, err := c.store.Parts(ctx, id)
	if err != nil {
		return err
	}
	series, err := c.store.SeriesOf(ctx, id)
	if err != nil {
		return err
	}
	secrets, err := c.store.Secrets(ctx)
	if err != nil {
		return err
	}
	return c.bindDevice(ctx, d, NewGateways(places).Of(d), fittings, parts, series, secrets[d.CredentialID], soon)
}

func (c *Collector) bindDevice(ctx context.Context, d domain.Device, via domain.ID, fittings []domain.Fitting, parts []domain.Part, series []domain.Series, secret domain.Secret, soon bool) error {
	series, err := c.kits.DeviceSeries(ctx, d.ID, fittings, series)
	if err != nil {
		return err
	}
	b := bind(c.kits, d, fittings, parts, series)
	c.bound[d.ID] = b
	c.judge.know(d, via, series, parts, c.kits)
	var tasks []Task
	for _, r := range c.kits.Requests(d, fittings, secret) {
		tasks = append(tasks, Task{Device: d.ID, Key: r.Key(), Every: r.Source.Every, Run: func(ctx context.Context) bool { return c.fetch(ctx, r) }})
	}
	c.sched.Set(d.ID, tasks, soon)
	return nil
}

func (c *Collector) fetch(ctx context.Context, r kit.Request) bool {
	got := c.fetcher.Fetch(ctx, r)
	if ctx.Err() != nil && got.Error != "" {
		return true // we are stopping: a request that was broken off tells nothing
	}
	c.stats.fetches.Add(1)
	if got.Error != "" {
		c.stats.failures.Add(1)
	}
	c.results <- result{r.Key(), r.DeviceID, got}
	return !got.NoAnswer
}

// pipeline runs until the scheduler has ended and all results are stored.
func (c *Collector) pipeline(scheduled <-chan struct{}) {
	// Storing goes on while we stop, so the pipeline has a context of its own.
	ctx := context.Background()
	flush := time.NewTicker(flushEvery)
	defer flush.Stop()
	var batch outcome
	for {
		select {
		case r := <-c.results:
			c.take(ctx, r, &batch)
			if len(batch.samples) >= batchSamples {
				c.flush(ctx, &batch)
			}
		case f := <-c.commands:
			c.flush(ctx, &batch)
			f(ctx)
		case <-flush.C:
			c.flush(ctx, &batch)
			c.judge.tick(ctx, time.Now().UTC())
		case <-scheduled:
			for len(c.results) > 0 {
				c.take(ctx, <-c.results, &batch)
			}
			c.flush(ctx, &batch)
			return
		}
	}
}

func (c *Collector) take(ctx context.Context, r result, batch *outcome) {
	b := c.bound[r.device]
	if b == nil || b.sources[r.key] == nil {
		return // removed meanwhile
	}
	sb := b.sources[r.key]
	if r.got.Error == "" {
		for _, kb := range sb.kinds {
			if kb.needsSync(sb.src, r.got.Rows) {
				c.sync(ctx, b, sb, kb, r.got)
			}
		}
		c.learnBoot(ctx, b, r.got)
	}
	o := sb.take(r.got)
	batch.samples = append(batch.samples, o.samples...)
	batch.states = append(batch.states, o.states...)
}

// sync makes parts and series for rows that are new or changed.
func (c *Collector) sync(ctx context.Context, b *binding, sb *sourceBinding, kb *kindBinding, got derive.Fetched) {
	parts, made, err := c.kits.SyncParts(ctx, b.device.ID, sb.kit, kb.def, kb.parts, got.Rows, got.At)
	if err != nil {
		c.log.Error("rows of a device could not be taken up", "device", b.device.Name, "kind", kb.def.Kind, "error", err)
		return
	}
	b.series = append(b.series, made...)
	others := b.parts[:0:0]
	for _, p := range b.parts {
		if p.Kit != sb.kit.Name || p.Kind != kb.def.Kind {
			others = append(others, p)
		}
	}
	b.parts = append(others, parts...)
	byReading := group(b.series, func(s domain.Series) string { return s.Kit + "/" + s.Reading })
	old := kb.rows
	kb.parts, kb.rows = parts, map[string]*boundPart{}
	for _, p := range parts {
		kb.bindPart(sb.kit, p, byReading)
	}
	keepStates(old, kb.rows)
	c.judge.learn(b.device.ID, made, parts, c.kits)
}

// keepStates carries the last counters over to parts that were bound anew.
func keepStates(old, fresh map[string]*boundPart) {
	states := map[domain.ID]*boundSeries{}
	for _, bp := range old {
		for _, bs := range bp.series {
			states[bs.id] = bs
		}
	}
	for _, bp := range fresh {
		for i, bs := range bp.series {
			if was := states[bs.id]; was != nil {
				bp.series[i] = was
			}
		}
	}
}

// learnBoot notes when the device started, if that is news.
func (c *Collector) learnBoot(ctx context.Context, b *binding, got derive.Fetched) {
	if !got.UptimeKnown {
		return
	}
	at := got.At.Add(-time.Duration(got.Uptime) * 10 * time.Millisecond).Truncate(time.Second)
	if math.Abs(at.Sub(b.booted).Seconds()) < 60 {
		return
	}
	b.booted = at
	if err := c.store.SetBooted(ctx, b.device.ID, at); err != nil {
		c.log.Warn("the time of a start could not be stored", "device", b.device.Name, "error", err)
	}
}

// flush stores a batch and has it judged, trying again until the database
// takes it: what was taken is never dropped.
func (c *Collector) flush(ctx context.Context, batch *outcome) {
	if len(batch.samples)+len(batch.states) == 0 {
		return
	}
	c.insist(ctx, "samples", func() error { return c.store.Samples.Append(ctx, batch.samples) })
	if len(batch.states) > 0 {
		c.insist(ctx, "states of series", func() error { return c.store.SetSeriesState(ctx, batch.states) })
	}
	c.stats.samples.Add(int64(len(batch.samples)))
	c.judge.samples(ctx, batch.samples)
	*batch = outcome{samples: batch.samples[:0]}
}

// longestPause is the longest wait between two tries to reach the database.
const longestPause = 5 * time.Second

func (c *Collector) insist(ctx context.Context, what string, f func() error) {
	pause := 100 * time.Millisecond
	for {
		err := f()
		if err == nil {
			c.stats.waiting.Store(0)
			return
		}
		c.stats.waiting.Store(1)
		c.log.Error("the database does not take "+what+", trying again", "pause", pause, "error", err)
		time.Sleep(pause)
		pause = min(2*pause, longestPause)
	}
}

func group[K comparable, V any](in []V, key func(V) K) map[K][]V {
	out := map[K][]V{}
	for _, v := range in {
		out[key(v)] = append(out[key(v)], v)
	}
	return out
}

// Gateways finds the device that others are reached through.
type Gateways struct{ places map[domain.ID]domain.Place }

// NewGateways takes the present tree.
func NewGateways(places []domain.Place) Gateways {
	g := Gateways{map[domain.ID]domain.Place{}}
	for _, p := range places {
		g.places[p.ID] = p
	}
	return g
}

// Of returns the device's own setting, else that of the nearest place above
// it that has one; a gateway is not reached through itself but through the
// gateway of the place further up.
func (g Gateways) Of(d domain.Device) domain.ID {
	if d.ViaID != 0 {
		return d.ViaID
	}
	for p, ok := g.places[d.PlaceID]; ok; p, ok = g.places[p.ParentID] {
		if p.GatewayID != 0 && p.GatewayID != d.ID {
			return p.GatewayID
		}
	}
	return 0
}

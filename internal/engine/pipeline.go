package engine

import (
	"context"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/uptime"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

func (c *Collector) fetch(ctx context.Context, q way.Question) bool {
	got := c.asker.Ask(ctx, q)
	if ctx.Err() != nil && got.Error != "" {
		return true // we are stopping: a request that was broken off tells nothing
	}
	c.stats.fetches.Add(1)
	if got.Error != "" {
		c.stats.failures.Add(1)
	}
	c.results <- result{q.Key, q.Device, got}
	return !got.NoAnswer && !hung(q, got)
}

// hung tells whether the check of a service timed out: it waits its turn apart from those that do not, the next time.
func hung(q way.Question, got derive.Fetched) bool {
	return len(q.Columns) > 0 && q.Columns[0].As == verdict.Column && len(got.Rows) == 1 &&
		verdict.Verdict(got.Rows[0].Values[0].Num) == verdict.TimedOut
}

// pipeline runs until the scheduler has ended and all results are stored.
func (c *Collector) pipeline(scheduled <-chan struct{}) {
	ctx := c.ending // storing goes on while we stop
	flush := time.NewTicker(flushEvery)
	defer flush.Stop()
	var batch outcome
	for {
		select {
		case r := <-c.results:
			c.take(ctx, r, &batch)
			if batch.size() >= batchSamples {
				c.flush(ctx, &batch)
			}
		case f := <-c.commands:
			c.flush(ctx, &batch)
			f(ctx)
		case <-flush.C:
			c.followClock(ctx, &batch)
			c.flush(ctx, &batch)
			c.noteProgress()
			c.noteAway()
			c.keepLooks()
			c.followHours()
			c.rollOn(ctx)
			c.settle()
			if len(c.results) == 0 { // else there is news that was not judged yet
				c.judge.tick(c.clock.Now())
			}
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
	r.got = c.stamp(r.device, r.got)
	b := c.bound[r.device]
	if b == nil || b.sources[r.key] == nil {
		return // removed meanwhile
	}
	sb := b.sources[r.key]
	sb.asked = r.got.At.Add(-r.got.Took)
	sb.ran = domain.SourceRun{At: r.got.At, Took: r.got.Took, Rows: len(r.got.Rows)}
	rows := make([][]collect.Row, len(sb.kinds))
	if r.got.Error == "" {
		for i, kb := range sb.kinds {
			rows[i] = kb.reader.Rows(r.got.Rows, kb.known.Left)
			rows[i] = c.sort(ctx, b, sb, kb, r.got, rows[i], batch)
		}
	}
	o := sb.take(r.got, rows)
	if b.noteSource(r.key, sb, r.got, &o) {
		o.faulty = append(o.faulty, b.device.ID)
	}
	if r.got.Error == "" {
		b.learnUptimes(sb, r.got, &o)
	}
	batch.add(o)
}

// takeUp binds changed parts and new series of a kind; counters go on.
func (b *binding) takeUp(sb *sourceBinding, kb *kindBinding, known collect.Known, made []domain.Series) {
	b.add(made)
	others := b.parts[:0:0]
	for _, p := range b.parts {
		if p.Kit != sb.kit.Name || p.Kind != kb.def.Kind {
			others = append(others, p)
		}
	}
	b.parts = append(others, known.Parts...)
	old := kb.rows
	kb.known = known
	b.bindParts(sb, kb)
	keepStates(old, kb.rows)
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

// learnUptimes notes since when the machine runs, and what answers for it, if
// that is news.
func (b *binding) learnUptimes(sb *sourceBinding, got derive.Fetched, o *outcome) {
	booted, agent := b.booted, b.agent
	if got.UptimeKnown {
		// It comes with the first answer.
		agent, _, _ = uptime.Since(agent, got.At.Add(-got.Took), time.Duration(got.Uptime)*10*time.Millisecond)
	}
	for _, bs := range sb.own {
		if bs.reading.Purpose != kit.Uptime {
			continue
		}
		for _, x := range o.samples {
			if x.SeriesID == bs.id {
				booted, _, _ = uptime.Since(booted, x.At, time.Duration(x.Value*float64(time.Second)))
			}
		}
	}
	if booted.Equal(b.booted) && agent.Equal(b.agent) {
		return
	}
	b.booted, b.agent = booted, agent
	o.uptimes = append(o.uptimes, uptimes{b.device.ID, booted, agent})
}

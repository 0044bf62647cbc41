package engine

import (
	"context"
	"time"

	"github.com/cenkalti/backoff/v5"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

// flush stores a batch and has it judged, trying again until the database
// takes it: what was taken is never dropped.
func (c *Collector) flush(ctx context.Context, batch *outcome) {
	if batch.size() == 0 {
		return
	}
	later := c.codeTexts(ctx, batch)
	c.insistAlways(ctx, "samples", func() error { return c.store.Samples.Append(ctx, batch.samples) })
	if len(batch.states) > 0 {
		if err := c.insist(ctx, "states of series", func() error { return c.store.Series.SetStates(ctx, batch.states) }); err != nil {
			c.log.Error("the states of series cannot be stored", "error", err)
		}
	}
	if len(batch.implausible) > 0 {
		if err := c.insist(ctx, "values that cannot be", func() error { return c.store.Implausible.Add(ctx, batch.implausible) }); err != nil {
			c.log.Error("values that cannot be are not kept", "error", err)
		}
	}
	if len(batch.sources) > 0 {
		if err := c.insist(ctx, "states of sources", func() error { return c.store.Sources.Set(ctx, newest(batch.sources)) }); err != nil {
			c.log.Error("the states of sources cannot be stored", "error", err)
		}
	}
	c.stats.implausible.Add(int64(len(batch.implausible)))
	c.stats.samples.Add(int64(len(batch.samples)))
	c.judge.samples(batch.samples) // its from now on
	for _, id := range batch.faulty {
		if b := c.bound[id]; b != nil {
			c.judge.setFaults(id, b.faults(), time.Now().UTC())
		}
	}
	*batch = outcome{texts: later}
}

// newest keeps the last state of each source.
func newest(sources []domain.Source) (out []domain.Source) {
	type key struct {
		device      domain.ID
		kit, source string
	}
	place := map[key]int{}
	for _, x := range sources {
		k := key{x.DeviceID, x.Kit, x.Source}
		if i, ok := place[k]; ok {
			out[i] = x
			continue
		}
		place[k] = len(out)
		out = append(out, x)
	}
	return out
}

// textPatience is how long new texts may take to be stored, and laterTexts how
// many may wait for the database while numbers go on.
const (
	textPatience = 5 * time.Second
	laterTexts   = 20_000
)

// codeTexts makes samples of texts. A series that has too many different ones
// fails from then on. Texts that cannot be stored now are returned, for later.
func (c *Collector) codeTexts(ctx context.Context, batch *outcome) (later []domain.SeriesText) {
	if len(batch.texts) == 0 {
		return nil
	}
	var full []domain.ID
	code := func() error {
		ctx, cancel := context.WithTimeout(ctx, textPatience)
		defer cancel()
		coded, ids, err := c.store.Words.Code(ctx, batch.texts)
		if err == nil {
			batch.samples, full = append(batch.samples, coded...), ids
		}
		return err
	}
	if err := code(); err != nil {
		c.log.Error("the database does not take texts, trying again", "waiting", len(batch.texts), "error", err)
		if len(batch.texts) < laterTexts {
			return batch.texts
		}
		c.insistAlways(ctx, "texts", code)
	}
	for _, id := range full {
		c.refuse(id, batch)
	}
	return nil
}

// refuse lets a text series fail that never stays the same.
func (c *Collector) refuse(id domain.ID, batch *outcome) {
	for _, b := range c.bound {
		if bs, _ := b.find(id); bs != nil && !bs.full {
			bs.note(derive.Taken{Problem: "it had so many different texts that no new ones are kept"}, batch)
			bs.full = true
		}
	}
}

// insist tries again while the database is in trouble.
func (c *Collector) insist(ctx context.Context, what string, f func() error) error {
	defer c.stats.waiting.Store(0)
	return insist(ctx, f, c.away(what))
}

// insistAlways tries again whatever the error is: what was taken is never dropped.
func (c *Collector) insistAlways(ctx context.Context, what string, f func() error) {
	defer c.stats.waiting.Store(0)
	_, _ = backoff.Retry(ctx, func() (struct{}, error) { return struct{}{}, f() },
		backoff.WithBackOff(pauses()), backoff.WithMaxElapsedTime(0), backoff.WithNotify(c.away(what)))
}

func (c *Collector) away(what string) func(error, time.Duration) {
	return func(err error, pause time.Duration) {
		c.stats.waiting.Store(1)
		c.log.Error("the database does not take "+what+", trying again", "pause", pause, "error", err)
	}
}

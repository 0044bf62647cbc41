package engine

import (
	"context"
	"time"

	"github.com/cenkalti/backoff/v5"

	"tirelessowl/internal/domain"
)

// flush makes the numbers of a batch durable and has them judged. All else goes
// to the shelf: nothing here waits for the database.
func (c *Collector) flush(ctx context.Context, batch *outcome) {
	if batch.size() == 0 {
		return
	}
	c.append(ctx, batch.stored)
	if rest := batch.aside(); !rest.empty() {
		c.roomAside(ctx)
		c.aside.add(rest)
	}
	c.stats.implausible.Add(int64(len(batch.implausible)))
	c.stats.samples.Add(int64(len(batch.stored)))
	c.judge.samples(batch.samples) // its from now on
	for _, id := range batch.faulty {
		if b := c.bound[id]; b != nil {
			c.judge.setFaults(id, b.faults(), c.clock.Now())
		}
	}
	*batch = outcome{}
}

// append waits until samples are durable in the database or in the spill file.
// Where neither has room it waits on: what was taken is never dropped before the
// end.
func (c *Collector) append(ctx context.Context, batch []domain.SeriesSample) {
	defer c.stats.waiting.Store(0)
	_, err := backoff.Retry(ctx, func() (struct{}, error) { return struct{}{}, c.store.Samples.Append(ctx, batch) },
		backoff.WithBackOff(pauses()), backoff.WithMaxElapsedTime(0), backoff.WithNotify(func(err error, pause time.Duration) {
			c.stats.waiting.Store(1)
			c.log.Error("samples are not taken, trying again", "pause", pause, "error", err)
		}))
	if err != nil {
		c.log.Error("samples were lost at the end: neither the database nor the spill file took them", "samples", len(batch), "error", err)
	}
}

// mostAside is how much may wait on the shelf in memory; whoever collects waits
// beyond it.
const mostAside = 5_000

func (c *Collector) roomAside(ctx context.Context) {
	for c.aside.inMemory() > mostAside && ctx.Err() == nil {
		c.stats.waiting.Store(1)
		time.Sleep(10 * time.Millisecond)
	}
	c.stats.waiting.Store(0)
}

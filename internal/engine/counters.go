package engine

import (
	"context"
	"time"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/domain"
)

// countersPatience is how long the end may wait for the counters to be kept.
const countersPatience = time.Second

// keepCounters keeps the last look at each counter for the next start; the
// pipeline has ended.
func (c *Collector) keepCounters() {
	last := map[domain.ID]rate.Reading{}
	for _, b := range c.bound {
		b.each(func(bs *boundSeries) {
			if r, ok := bs.state.Last(); ok {
				last[bs.id] = r
			}
		})
	}
	ctx, cancel := context.WithTimeout(context.Background(), countersPatience)
	defer cancel()
	if err := c.store.Counters.Save(ctx, last); err != nil {
		c.log.Warn("the last looks at counters are not kept: the first interval will have no rate", "error", err)
	}
}

// resumeCounters goes on from the counters of the run before.
func (c *Collector) resumeCounters(ctx context.Context) error {
	last, err := c.store.Counters.Take(ctx)
	if err != nil {
		return err
	}
	for _, b := range c.bound {
		b.each(func(bs *boundSeries) {
			if r, ok := last[bs.id]; ok && bs.reading.Rate {
				bs.state.Resume(r)
			}
		})
	}
	return nil
}

package engine

import (
	"context"
	"encoding/json"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

// followClock takes up that the clock was set: what was seen keeps its distance
// in time, so that rates, windows and rests go on as if nothing had happened.
func (c *Collector) followClock(ctx context.Context, batch *outcome) {
	by := c.clock.Look()
	if by == 0 {
		return
	}
	now := c.clock.Now()
	c.log.Warn("the clock of this machine was set; collecting goes on by the time that passed", "by", by, "now", now)
	c.flush(ctx, batch) // with the times of before
	for _, b := range c.bound {
		b.shift(by)
	}
	c.judge.shift(by)
	if by < 0 {
		c.store.Samples.Rewind(now)
	}
	c.aside.add(aside{Jumps: []domain.Jump{{At: now, By: by}}})
}

func (b *binding) shift(by time.Duration) {
	for _, at := range []*time.Time{&b.booted, &b.agent} {
		if !at.IsZero() {
			*at = at.Add(by)
		}
	}
	for _, sb := range b.sources {
		if !sb.asked.IsZero() {
			sb.asked = sb.asked.Add(by)
		}
		sb.each(func(bs *boundSeries) { bs.state.Shift(by) })
		for _, kb := range sb.kinds {
			for i := range kb.unsure {
				kb.unsure[i].got.At = kb.unsure[i].got.At.Add(by)
			}
		}
	}
}

// shift moves what was judged by the time by which the clock was set.
func (j *Judge) shift(by time.Duration) {
	j.tell(context.Background(), func() {
		j.estate.Shift(by)
		j.lastTick = j.lastTick.Add(by)
	})
}

// keepJump stores the newest jump, and moves what waits to be tried again.
func (c *Collector) keepJump(ctx context.Context, x domain.Jump) error {
	if err := c.store.Deliveries.Shift(ctx, x.By); err != nil {
		return err
	}
	text, err := json.Marshal(x)
	if err != nil {
		return err
	}
	return c.store.Settings.Set(ctx, domain.SettingJump, string(text))
}

// mostAhead is how far ahead of our clock answers may be that are handed to us.
const mostAhead = time.Minute

// stamp gives an answer the times of our clock in place of those of the moment.
// One that comes from the future was taken by a clock that is wrong: it is moved
// to now as a whole.
func (c *Collector) stamp(device domain.ID, got derive.Fetched) derive.Fetched {
	now := c.clock.Now()
	got.At = c.clock.Of(got.At)
	by := now.Sub(got.At)
	if by > -mostAhead {
		by = 0
	} else if !c.ahead[device] {
		c.ahead[device] = true
		c.log.Warn("values come from the future and are taken for present ones: a clock is wrong", "device", device, "ahead", -by)
	}
	got.At = got.At.Add(by)
	for i := range got.Rows {
		if at := got.Rows[i].At; !at.IsZero() {
			got.Rows[i].At = c.clock.Of(at).Add(by)
		}
	}
	return got
}

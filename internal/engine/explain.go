package engine

import (
	"context"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// WhyValue explains how the newest value of a series came about, with the
// counters it was made from. It returns ErrNotFound for a series that is not
// collected now.
func (c *Collector) WhyValue(ctx context.Context, s domain.Series) (why.Trace, error) {
	found := make(chan *why.Trace, 1)
	ask := func(context.Context) {
		bs, sb := c.bound[s.DeviceID].find(s.ID)
		if bs == nil {
			found <- nil
			return
		}
		t := sb.kit.Why(bs.reading, sb.src, bs.state)
		if p, ok := c.bound[s.DeviceID].part(s.PartID); ok && p.Reason != "" {
			t.Because("It is row "+p.Index+" of the device's table", p.Reason, nil)
		}
		if stretched := c.bound[s.DeviceID].stretched; stretched.Set {
			from := "its place says so" // who sees the value need not see that place
			if stretched.Own() {
				from = "set at the device itself"
			}
			t.Because("That is "+stretched.Value+" × what the kit says", from, nil)
		}
		if bs.says != "" {
			t.Because("Counted now is", bs.says, nil)
		}
		if bs.problem != "" {
			t.Because("Collecting it fails now", bs.problem, nil)
		}
		found <- &t
	}
	select {
	case c.commands <- ask:
	case <-ctx.Done():
		return why.Trace{}, ctx.Err()
	}
	select {
	case t := <-found:
		if t == nil {
			return why.Trace{}, domain.ErrNotFound
		}
		return *t, nil
	case <-ctx.Done():
		return why.Trace{}, ctx.Err()
	}
}

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
		t := sb.kit.Why(bs.reading, bs.state)
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

// find returns a series of the binding with its source, or nil.
func (b *binding) find(id domain.ID) (found *boundSeries, source *sourceBinding) {
	if b == nil {
		return nil, nil
	}
	for _, sb := range b.sources {
		sb.each(func(bs *boundSeries) {
			if bs.id == id {
				found, source = bs, sb
			}
		})
	}
	return found, source
}

// each gives all series of the binding.
func (b *binding) each(f func(*boundSeries)) {
	for _, sb := range b.sources {
		sb.each(f)
	}
}

func (sb *sourceBinding) each(f func(*boundSeries)) {
	for _, bs := range sb.own {
		f(bs)
	}
	for _, kb := range sb.kinds {
		for _, bp := range kb.rows {
			for _, bs := range bp.series {
				f(bs)
			}
		}
	}
}

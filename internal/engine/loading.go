package engine

import (
	"context"
	"fmt"

	"tirelessowl/internal/domain"
)

func (c *Collector) loadAll(ctx context.Context) error {
	devices, err := c.store.Devices.All(ctx)
	if err != nil {
		return err
	}
	places, err := c.store.Places.All(ctx)
	if err != nil {
		return err
	}
	fittings, err := c.store.Fittings.Of(ctx, 0)
	if err != nil {
		return err
	}
	parts, err := c.store.Parts.Of(ctx, 0)
	if err != nil {
		return err
	}
	series, err := c.store.Series.Of(ctx, 0)
	if err != nil {
		return err
	}
	secrets, err := c.store.Credentials.Secrets(ctx)
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
	return c.resumeCounters(ctx)
}

// reload runs within the pipeline.
func (c *Collector) reload(ctx context.Context, id domain.ID, soon bool) error {
	d, err := c.store.Devices.One(ctx, id)
	if err != nil {
		delete(c.bound, id)
		c.sched.Set(id, nil, false)
		c.judge.remove(id)
		if err == domain.ErrNotFound {
			return nil
		}
		return err
	}
	places, err := c.store.Places.All(ctx)
	if err != nil {
		return err
	}
	fittings, err := c.store.Fittings.Of(ctx, id)
	if err != nil {
		return err
	}
	parts, err := c.store.Parts.Of(ctx, id)
	if err != nil {
		return err
	}
	series, err := c.store.Series.Of(ctx, id)
	if err != nil {
		return err
	}
	secrets, err := c.store.Credentials.Secrets(ctx)
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
	b.inherit(c.bound[d.ID])
	c.bound[d.ID] = b
	c.judge.know(d, via, series, parts, c.kits)
	var tasks []Task
	for _, r := range c.kits.Requests(d, fittings, secret) {
		tasks = append(tasks, Task{Device: d.ID, Key: r.Key(), Every: r.Source.Every, Run: func(ctx context.Context) bool { return c.fetch(ctx, r) }})
	}
	c.sched.Set(d.ID, tasks, soon)
	return nil
}

func group[K comparable, V any](in []V, key func(V) K) map[K][]V {
	out := map[K][]V{}
	for _, v := range in {
		out[key(v)] = append(out[key(v)], v)
	}
	return out
}

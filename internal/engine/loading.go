package engine

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// stored is all that is stored of one device.
type stored struct {
	device    domain.Device
	endpoints []domain.Endpoint
	fittings  []domain.Fitting
	parts     []domain.Part
	series    []domain.Series
	sources   []domain.Source
	// kits are the fitted ones as they are collected.
	kits []fit.Effective
}

// held is what the device has, with what is set for it.
func (x stored) held(around collect.Around) collect.Held {
	return collect.Held{Tree: around.Tree, Kits: x.kits, Parts: x.parts, Series: x.series}
}

// loadAll binds all devices and hands them to the judge; nothing runs yet.
func (c *Collector) loadAll(ctx context.Context) error {
	around, err := c.kits.Around(ctx, &c.store.Areas)
	if err != nil {
		return err
	}
	all, err := c.readAll(ctx)
	if err != nil {
		return err
	}
	states, err := c.store.Rules.States(ctx)
	if err != nil {
		return err
	}
	seen, err := readLooks(c.files.Looks)
	if err != nil {
		c.log.Warn("the last looks of the run before cannot be read: the first interval has no rate", "error", err)
	}
	now := c.clock.Now()
	var devices []known
	for _, x := range all {
		if err = c.complete(ctx, around, &x); err != nil {
			return fmt.Errorf("device %s: %w", x.device.Name, err)
		}
		b, tasks := c.bind(around, x)
		c.bound[x.device.ID] = b
		c.sched.Set(x.device.ID, tasks, func(t Task) time.Duration { return t.resume(seen.Rounds[roundKey(t.Device, t.Key)], now) })
		devices = append(devices, known{device: b.device, via: b.via, series: b.watched(), faults: b.faults()})
	}
	ghosts(devices, c.bound, states)
	c.devices.Store(int64(len(c.bound)))
	c.resumeCounters(seen)
	return c.judge.begin(ctx, devices, states)
}

// ghosts adds to each device the series on which trouble is recorded, though
// they are no longer collected: the judge ends it.
func ghosts(devices []known, bound map[domain.ID]*binding, states []store.RuleState) {
	troubled := map[domain.ID]bool{}
	for _, st := range states {
		troubled[st.SeriesID] = true
	}
	for i, d := range devices {
		b := bound[d.device.ID]
		alive := map[domain.ID]bool{}
		for _, s := range d.series {
			alive[s.ID] = true
		}
		for _, s := range b.series {
			if troubled[s.ID] && !alive[s.ID] {
				devices[i].ghosts = append(devices[i].ghosts, b.asWatched(s, b.partName(s.PartID)))
			}
		}
	}
}

func (b *binding) partName(id domain.ID) string {
	for _, p := range b.parts {
		if p.ID == id {
			return p.Name
		}
	}
	return ""
}

// readAll reads everything that is stored of all devices.
func (c *Collector) readAll(ctx context.Context) ([]stored, error) {
	devices, err := c.store.Devices.All(ctx)
	if err != nil {
		return nil, err
	}
	endpoints, err := c.store.Endpoints.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	fittings, err := c.store.Fittings.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	parts, err := c.store.Parts.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	series, err := c.store.Series.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	sources, err := c.store.Sources.Of(ctx, 0)
	if err != nil {
		return nil, err
	}
	return assemble(devices, endpoints, fittings, parts, series, sources), nil
}

// readSome reads everything that is stored of some devices; those that are gone are left out.
func (c *Collector) readSome(ctx context.Context, ids []domain.ID) ([]stored, error) {
	devices, err := c.store.Devices.Some(ctx, ids)
	if err != nil {
		return nil, err
	}
	endpoints, err := c.store.Endpoints.Among(ctx, ids)
	if err != nil {
		return nil, err
	}
	fittings, err := c.store.Fittings.Among(ctx, ids)
	if err != nil {
		return nil, err
	}
	parts, err := c.store.Parts.Among(ctx, ids)
	if err != nil {
		return nil, err
	}
	series, err := c.store.Series.Among(ctx, ids)
	if err != nil {
		return nil, err
	}
	sources, err := c.store.Sources.Among(ctx, ids)
	return assemble(devices, endpoints, fittings, parts, series, sources), err
}

// assemble puts together what is stored of each device.
func assemble(
	devices []domain.Device,
	endpoints []domain.Endpoint,
	fittings []domain.Fitting,
	parts []domain.Part,
	series []domain.Series,
	sources []domain.Source,
) []stored {
	sourcesOf := group(sources, func(x domain.Source) domain.ID { return x.DeviceID })
	endpointsOf := group(endpoints, func(e domain.Endpoint) domain.ID { return e.DeviceID })
	fittingsOf := group(fittings, func(f domain.Fitting) domain.ID { return f.DeviceID })
	partsOf := group(parts, func(p domain.Part) domain.ID { return p.DeviceID })
	seriesOf := group(series, func(s domain.Series) domain.ID { return s.DeviceID })
	out := make([]stored, len(devices))
	for i, d := range devices {
		out[i] = stored{d, endpointsOf[d.ID], fittingsOf[d.ID], partsOf[d.ID], seriesOf[d.ID], sourcesOf[d.ID], nil}
	}
	return out
}

// complete makes sure that a device has its series, and that they say how often they are
// collected.
func (c *Collector) complete(ctx context.Context, around collect.Around, x *stored) (err error) {
	x.kits = c.kits.Effective(around.Tree, x.device, x.fittings)
	x.series, err = c.kits.DeviceSeries(ctx, x.device.ID, x.held(around))
	return err
}

// rest pauses a device that is not asked at this hour.
func (c *Collector) rest(around collect.Around, x *stored) (hours cadence.Hours, open bool) {
	now := c.clock.Now()
	hours, _ = around.Tree.Hours(x.device)
	if open = hours.Open(now); !open && !x.device.Paused {
		x.device.Paused, x.device.Resting = true, "outside the hours of collecting"
		if next, ok := hours.Turns(now); ok {
			x.device.Resting += ", which begin " + next.UTC().Format("Mon 2006-01-02 15:04 UTC")
		}
	}
	return hours, open
}

// followHours has devices taken up anew whose hours of collecting begin or end.
func (c *Collector) followHours() {
	now := c.clock.Now()
	var turned []domain.ID
	for id, b := range c.bound {
		w := c.waves.of(id)
		if w != nil && w.ready[id] != nil {
			b = w.ready[id].binding
		}
		if !b.hours.Always() && b.hours.Open(now) != b.open && (w == nil || w.ready[id] != nil) {
			turned = append(turned, id)
		}
	}
	c.waves.begin(turned...)
}

// bind makes ready what a device answers and what it is asked.
func (c *Collector) bind(around collect.Around, x stored) (*binding, []Task) {
	hours, open := c.rest(around, &x)
	b := bind(x.device, x.held(around))
	b.hours, b.open = hours, open
	b.via, _ = around.Tree.Gateway(x.device)
	_, b.stretched = around.Tree.Stretch(x.device)
	b.restoreSources(x.sources)
	var tasks []Task
	for _, q := range c.kits.Questions(x.device, x.kits, c.kits.Talks(around, x.device, x.endpoints)) {
		t := Task{Device: q.Device, Key: q.Key, Way: q.Way, Line: q.Way + "@" + q.Address.String(), Probe: q.Key == b.reach, Every: q.Every}
		if t.Probe {
			t.Line = "probe"
		}
		t.Run = func(ctx context.Context) bool { return c.fetch(ctx, q) }
		tasks = append(tasks, t)
	}
	return b, tasks
}

// reloadPatience bounds how long one try of a reload may hold up the pipeline.
const reloadPatience = 3 * time.Second

// reload takes up what is stored of a device, all or nothing: while the
// database is in trouble the device goes on as it was, and the reload is
// repeated. It runs within the pipeline.
func (c *Collector) reload(ctx context.Context, id domain.ID) error {
	w := c.waves.begin(id)
	around, err := c.around(ctx)
	if err != nil {
		return err
	}
	defer c.reroute(around.Tree)
	if err := c.prepare(ctx, around, w, id); err != nil {
		return err
	}
	return c.changeOver(ctx, w)
}

// around reads what all devices share of how they are asked.
func (c *Collector) around(ctx context.Context) (around collect.Around, err error) {
	return around, c.patiently(ctx, reloadPatience, func(ctx context.Context) error {
		around, err = c.kits.Around(ctx, &c.store.Areas)
		return err
	})
}

// patiently runs something that must not hold up the pipeline for longer than a time, nor while the database is away.
func (c *Collector) patiently(ctx context.Context, patience time.Duration, f func(context.Context) error) error {
	ctx, done := c.store.Vigil.While(ctx)
	defer done()
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	return f(ctx)
}

func (c *Collector) forget(id domain.ID) {
	c.waves.remove(id)
	delete(c.bound, id)
	c.sched.Set(id, nil, nil)
	c.judge.remove(id)
}

func group[K comparable, V any](in []V, key func(V) K) map[K][]V {
	out := map[K][]V{}
	for _, v := range in {
		out[key(v)] = append(out[key(v)], v)
	}
	return out
}

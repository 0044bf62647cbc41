package engine

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/inherit"
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
		hours, open := c.rest(around, &x)
		b := c.bind(around, x)
		b.hours, b.open = hours, open
		c.bound[x.device.ID] = b
		c.schedule(around, x, func(t Task) time.Duration { return t.resume(seen.Rounds[roundKey(t.Device, t.Key)], now) })
		devices = append(devices, known{device: x.device, via: b.via, series: b.watched(), faults: b.faults()})
	}
	ghosts(devices, c.bound, states)
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
	sourcesOf := group(sources, func(x domain.Source) domain.ID { return x.DeviceID })
	endpointsOf := group(endpoints, func(e domain.Endpoint) domain.ID { return e.DeviceID })
	fittingsOf := group(fittings, func(f domain.Fitting) domain.ID { return f.DeviceID })
	partsOf := group(parts, func(p domain.Part) domain.ID { return p.DeviceID })
	seriesOf := group(series, func(s domain.Series) domain.ID { return s.DeviceID })
	out := make([]stored, len(devices))
	for i, d := range devices {
		out[i] = stored{d, endpointsOf[d.ID], fittingsOf[d.ID], partsOf[d.ID], seriesOf[d.ID], sourcesOf[d.ID]}
	}
	return out, nil
}

// read reads everything that is stored of one device, or ErrNotFound.
func (c *Collector) read(ctx context.Context, id domain.ID) (x stored, err error) {
	if x.device, err = c.store.Devices.One(ctx, id); err != nil {
		return x, err
	}
	if x.endpoints, err = c.store.Endpoints.Of(ctx, id); err != nil {
		return x, err
	}
	if x.fittings, err = c.store.Fittings.Of(ctx, id); err != nil {
		return x, err
	}
	if x.parts, err = c.store.Parts.Of(ctx, id); err != nil {
		return x, err
	}
	if x.series, err = c.store.Series.Of(ctx, id); err != nil {
		return x, err
	}
	x.sources, err = c.store.Sources.Of(ctx, id)
	return x, err
}

// complete makes sure that a device has its series, and that they say how often they are
// collected.
func (c *Collector) complete(ctx context.Context, around collect.Around, x *stored) (err error) {
	stretch, _ := around.Tree.Stretch(x.device)
	x.series, err = c.kits.DeviceSeries(ctx, x.device.ID, x.fittings, x.series, stretch)
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
	for id, b := range c.bound {
		if !b.hours.Always() && b.hours.Open(now) != b.open {
			c.pending[id] = true
		}
	}
}

func (c *Collector) bind(around collect.Around, x stored) *binding {
	stretch, from := around.Tree.Stretch(x.device)
	b := bind(c.kits, x.device, x.fittings, x.parts, x.series, stretch)
	b.via, _ = around.Tree.Gateway(x.device)
	b.stretched = from
	b.restoreSources(x.sources)
	return b
}

// asked are the sources that a device is asked, as kit/source.
func (c *Collector) asked(x stored) (out []string) {
	for _, f := range x.fittings {
		k, err := c.kits.Kit(f.Kit)
		if err != nil {
			continue
		}
		for _, src := range k.SourcesFor(f.Parameters) {
			out = append(out, k.Name+"/"+src.Key)
		}
	}
	return out
}

// schedule plans what a device is asked; first is how long a new task waits.
func (c *Collector) schedule(around collect.Around, x stored, first func(Task) time.Duration) {
	var tasks []Task
	reach := c.bound[x.device.ID].reach
	stretch, _ := around.Tree.Stretch(x.device)
	for _, q := range c.kits.Questions(x.device, x.fittings, c.kits.Talks(around, x.device, x.endpoints), stretch) {
		t := Task{Device: q.Device, Key: q.Key, Line: q.Way + "@" + q.Address.String(), Probe: q.Key == reach, Every: q.Every}
		if t.Probe {
			t.Line = "probe"
		}
		t.Run = func(ctx context.Context) bool { return c.fetch(ctx, q) }
		tasks = append(tasks, t)
	}
	c.sched.Set(x.device.ID, tasks, first)
}

// reloadPatience bounds how long one try of a reload may hold up the pipeline.
const reloadPatience = 3 * time.Second

// reload takes up what is stored of a device, all or nothing: while the
// database is in trouble the device goes on as it was, and the reload is
// repeated. It runs within the pipeline.
func (c *Collector) reload(ctx context.Context, id domain.ID) error {
	ctx, done := c.store.Vigil.While(ctx)
	defer done()
	ctx, cancel := context.WithTimeout(ctx, reloadPatience)
	defer cancel()
	around, err := c.kits.Around(ctx, &c.store.Areas)
	if err != nil {
		return c.later(id, err)
	}
	x, err := c.read(ctx, id)
	if err == nil {
		err = c.complete(ctx, around, &x)
	}
	if err == nil {
		err = c.store.Sources.Keep(ctx, id, c.asked(x))
	}
	switch {
	case errors.Is(err, domain.ErrNotFound):
		c.forget(id)
		c.reroute(around.Tree)
		return nil
	case err != nil:
		return c.later(id, err)
	}
	delete(c.pending, id)
	hours, open := c.rest(around, &x)
	b := c.bind(around, x)
	b.hours, b.open = hours, open
	b.inherit(c.bound[id])
	c.bound[id] = b
	c.judge.set(x.device, b.via, b.watched())
	c.judge.setFaults(id, b.faults(), c.clock.Now())
	c.schedule(around, x, func(Task) time.Duration { return 0 })
	c.reroute(around.Tree)
	return nil
}

// later notes that a reload is to be repeated.
func (c *Collector) later(id domain.ID, err error) error {
	c.pending[id] = true
	c.log.Error("a changed device could not be loaded; it goes on as it was, and is tried again", "device", id, "error", err)
	return err
}

func (c *Collector) forget(id domain.ID) {
	delete(c.pending, id)
	delete(c.bound, id)
	c.sched.Set(id, nil, nil)
	c.judge.remove(id)
}

// reroute takes up the ways to all devices: a gateway that was set at a place
// holds for all below it.
func (c *Collector) reroute(tree inherit.Tree) {
	changed := map[domain.ID]domain.ID{}
	for id, b := range c.bound {
		if via, _ := tree.Gateway(b.device); via != b.via {
			b.via, changed[id] = via, via
		}
	}
	if len(changed) > 0 {
		c.judge.reroute(changed)
	}
}

// repeatEvery is the pause between tries.
const repeatEvery = time.Second

// repeat tries again what could not be loaded.
func (c *Collector) repeat(ctx context.Context) {
	if len(c.pending) == 0 || c.away() || time.Since(c.repeated) < repeatEvery {
		return
	}
	for id := range c.pending {
		if c.reload(ctx, id) != nil {
			c.repeated = time.Now()
			return // the database is still in trouble
		}
	}
}

func group[K comparable, V any](in []V, key func(V) K) map[K][]V {
	out := map[K][]V{}
	for _, v := range in {
		out[key(v)] = append(out[key(v)], v)
	}
	return out
}

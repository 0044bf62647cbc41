package engine

import (
	"cmp"
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// wave are devices that a change has part in. Each is made ready beside what it is collected by, and all change over
// at one moment, when the last of them is ready; until then nothing of it shows.
type wave struct {
	// left are those that are not ready yet, with when making them ready failed last; zero for those that were not
	// tried.
	left  map[domain.ID]time.Time
	ready map[domain.ID]*ready
}

// ready is a device as it is to be collected from.
type ready struct {
	binding  *binding
	tasks    []Task
	standing collect.Standing
	dropped  []domain.Source // that it is not asked for any more
}

// waves are those that roll on, each by itself. The pipeline alone uses them.
type waves []*wave

// begin has devices made ready from what is stored now, whatever waves they had part in before.
func (all *waves) begin(ids ...domain.ID) *wave {
	w := &wave{make(map[domain.ID]time.Time, len(ids)), make(map[domain.ID]*ready, len(ids))}
	for _, id := range ids {
		all.remove(id)
		w.left[id] = time.Time{}
	}
	if len(ids) > 0 {
		*all = append(*all, w)
	}
	return w
}

// of is the wave that a device has part in; nil for none.
func (all *waves) of(id domain.ID) *wave {
	for _, w := range *all {
		if _, left := w.left[id]; left || w.ready[id] != nil {
			return w
		}
	}
	return nil
}

func (all *waves) remove(id domain.ID) {
	w := all.of(id)
	if w == nil {
		return
	}
	delete(w.left, id)
	delete(w.ready, id)
	if w.size() == 0 {
		*all = slices.DeleteFunc(*all, func(x *wave) bool { return x == w })
	}
}

// again has a device made ready once more, if it was: what it is made of is not the same any more.
func (all *waves) again(id domain.ID) {
	if w := all.of(id); w != nil && w.ready[id] != nil {
		delete(w.ready, id)
		w.left[id] = time.Time{}
	}
}

func (w *wave) size() int { return len(w.left) + len(w.ready) }

// next are some of those that are left; what failed comes again only after a pause.
func (w *wave) next(n int) (ids []domain.ID) {
	for id, failed := range w.left {
		if len(ids) < n && time.Since(failed) >= repeatEvery {
			ids = append(ids, id)
		}
	}
	return ids
}

// complete tells whether all are ready, but for those that failed: one that cannot be made ready never stops the
// others.
func (w *wave) complete() bool {
	for _, failed := range w.left {
		if failed.IsZero() {
			return false
		}
	}
	return len(w.ready) > 0
}

// repeatEvery is the pause between tries.
const repeatEvery = time.Second

// makeReadyAtOnce is how many devices are read from the database at once.
const makeReadyAtOnce = 50

// waveTurn bounds for how long making many devices ready holds up the pipeline at once.
const waveTurn = 500 * time.Millisecond

// rollOn goes on with the waves, the smallest first: a small change does not wait for a large one. What was collected
// meanwhile waits: what is not done in this turn comes in the next.
func (c *Collector) rollOn(ctx context.Context) {
	defer c.noteWaves()
	if len(c.waves) == 0 || c.away() || time.Since(c.repeated) < repeatEvery {
		return
	}
	began := time.Now()
	around, err := c.around(ctx)
	if err != nil {
		c.repeated = began
		return
	}
	defer c.reroute(around.Tree)
	for _, w := range slices.SortedFunc(slices.Values(c.waves), func(x, y *wave) int { return cmp.Compare(x.size(), y.size()) }) {
		if c.roll(ctx, around, w, began.Add(waveTurn)) != nil {
			c.repeated = time.Now()
			return
		}
	}
}

// roll goes on with one wave until a time; an error is that the database is in trouble.
func (c *Collector) roll(ctx context.Context, around collect.Around, w *wave, until time.Time) error {
	for {
		ids := w.next(makeReadyAtOnce)
		if len(ids) == 0 || time.Now().After(until) {
			break
		}
		if err := c.prepare(ctx, around, w, ids...); store.Trouble(err) {
			return err
		}
	}
	if !w.complete() {
		return nil
	}
	return c.changeOver(ctx, w)
}

// noteWaves lets others know how far the waves are.
func (c *Collector) noteWaves() {
	var far domain.TakingUp
	for _, w := range c.waves {
		far.Ready += len(w.ready)
		far.Of += w.size()
	}
	c.devices.Store(int64(len(c.bound)))
	if far.Of == 0 {
		c.takingUp.Store(nil)
		return
	}
	c.takingUp.Store(&far)
}

// prepare makes devices of a wave ready; those that are gone are forgotten. Where the database is in trouble none is, and
// where it refuses one of them the others are.
func (c *Collector) prepare(ctx context.Context, around collect.Around, w *wave, ids ...domain.ID) error {
	var all []stored
	err := c.patiently(ctx, reloadPatience, func(ctx context.Context) (err error) {
		if all, err = c.readSome(ctx, ids); err != nil {
			return err
		}
		return c.completeAll(ctx, around, all)
	})
	switch {
	case err != nil && len(ids) > 1 && !store.Trouble(err):
		var problems []error
		for _, id := range ids {
			problems = append(problems, c.prepare(ctx, around, w, id))
		}
		return errors.Join(problems...)
	case err != nil:
		return c.later(w, err, ids...)
	}
	there := map[domain.ID]bool{}
	for _, x := range all {
		there[x.device.ID] = true
		w.ready[x.device.ID] = c.makeReady(around, x)
		delete(w.left, x.device.ID)
	}
	for _, id := range ids {
		if !there[id] {
			c.forget(id)
		}
	}
	return nil
}

// completeAll makes sure that devices have their series.
func (c *Collector) completeAll(ctx context.Context, around collect.Around, all []stored) error {
	held := map[domain.ID]*collect.Held{}
	for i := range all {
		x := &all[i]
		x.kits = c.kits.Effective(around.Tree, x.device, x.fittings)
		h := x.held(around)
		held[x.device.ID] = &h
	}
	err := c.kits.MakeSeries(ctx, held)
	for i := range all {
		all[i].series = held[all[i].device.ID].Series
	}
	return err
}

func (c *Collector) makeReady(around collect.Around, x stored) *ready {
	h := x.held(around)
	r := &ready{standing: h.Stand(), dropped: x.dropped()}
	r.binding, r.tasks = c.bind(around, x)
	return r
}

// dropped are the stored sources that a device is not asked for any more.
func (x stored) dropped() []domain.Source {
	asked := map[string]bool{}
	for _, e := range x.kits {
		for _, src := range e.Kit.SourcesFor(e.Values) {
			asked[e.Kit.Name+"/"+src.Key] = true
		}
	}
	return slices.DeleteFunc(slices.Clone(x.sources), func(s domain.Source) bool { return asked[s.Kit+"/"+s.Source] })
}

// statesInPatience is how many series may change their state while a single reload may take.
const statesInPatience = 20_000

// changeOver has the devices of a wave that are ready collected from as they are to be, all at one moment; where the
// database does not take it, none is.
func (c *Collector) changeOver(ctx context.Context, w *wave) error {
	var standing collect.Standing
	var dropped []domain.Source
	for _, r := range w.ready {
		standing.Add(r.standing)
		dropped = append(dropped, r.dropped...)
	}
	patience := reloadPatience * time.Duration(1+len(standing.States)/statesInPatience)
	err := c.patiently(ctx, patience, func(ctx context.Context) error {
		if err := c.kits.Settle(ctx, standing); err != nil || len(dropped) == 0 {
			return err
		}
		return c.store.Sources.Drop(ctx, dropped)
	})
	if err != nil {
		return c.later(w, err, slices.Collect(maps.Keys(w.ready))...)
	}
	first := begins(len(w.ready))
	for id, r := range w.ready {
		c.waves.remove(id)
		c.collectFrom(id, r, first)
	}
	return nil
}

// startPace is how much later the new tasks of one device begin than those of another: what many devices are asked from
// now on would be asked of all of them at once, in every round.
const startPace = 10 * time.Millisecond

// begins tells how long a new task waits, where so many devices change over.
func begins(devices int) func(Task) time.Duration {
	if devices < 2 {
		return func(Task) time.Duration { return 0 }
	}
	return func(t Task) time.Duration { return t.place() % min(time.Duration(devices)*startPace, t.Every) }
}

// collectFrom lets a device be collected from as it was made ready.
func (c *Collector) collectFrom(id domain.ID, r *ready, first func(Task) time.Duration) {
	r.binding.inherit(c.bound[id])
	c.bound[id] = r.binding
	c.judge.set(r.binding.device, r.binding.via, r.binding.watched())
	c.judge.setFaults(id, r.binding.faults(), c.clock.Now())
	c.sched.Set(id, r.tasks, first)
}

// later notes that devices are to be made ready again.
func (c *Collector) later(w *wave, err error, ids ...domain.ID) error {
	var failed time.Time // of nobody where the database is in trouble
	if !store.Trouble(err) {
		failed = time.Now()
	}
	for _, id := range ids {
		delete(w.ready, id)
		w.left[id] = failed
	}
	c.log.Error("a change could not be taken up; devices go on as they were, and it is tried again", "devices", len(ids), "first", ids[0],
		"error", err)
	return err
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

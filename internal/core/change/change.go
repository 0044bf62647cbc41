// Package change works out what changes of kits, fitting rules and settings would do together: which kits and
// series devices gain and lose, and what that costs.
package change

import (
	"cmp"
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// World is all that decides about what is collected, as it is at one time or would be.
type World struct {
	Kits  *kit.Catalogue
	Rules fit.Rules
	Tree  inherit.Tree
}

// Estate is what it is decided about.
type Estate struct {
	Devices []domain.Device
	// Said are the fittings of each device as they are stored.
	Said map[domain.ID][]domain.Fitting
	// Subject is what is known of a device.
	Subject func(domain.Device) fit.Subject
	// Parts counts the parts of each device by kind.
	Parts map[domain.ID]map[string]int
	// BytesPerSample is what a sample takes at rest.
	BytesPerSample float64
}

// Series counts series.
type Series struct{ Gained, Lost, Changed int }

func (s *Series) add(how string, n int) {
	switch how {
	case kit.Added:
		s.Gained += n
	case kit.Gone:
		s.Lost += n
	case kit.Changed:
		s.Changed += n
	}
}

// Touched tells whether there are some.
func (s Series) Touched() bool { return s.Gained+s.Lost+s.Changed > 0 }

// OnDevice is what changes of one device.
type OnDevice struct {
	Device domain.Device
	fit.Change
	Series
}

// OfReading is what changes of one reading, on all devices.
type OfReading struct {
	Kit, Key, Name string
	Devices        int
	Series
	Says []string // how it changes, where that is the same on all; empty else
}

// Effect is what changes would do.
type Effect struct {
	Devices  []OnDevice  // of which something changes, as they were given
	Readings []OfReading // by kit and name
	Series
	// Before and After are what the devices cost of which something changes, in all.
	Before, After kit.Cost
	Why           why.Trace
}

// comparing is what was compared so far.
type comparing struct {
	Estate
	before, after World
	refits        bool
	pairs         map[pair][]kit.ReadingChange
	readings      map[[2]string]*OfReading
	out           Effect
}

// pair is a kit as it is collected now and as it would be; either may be nil.
type pair struct{ before, after *kit.Kit }

// Compare works out what another world would do to an estate. Nothing is asked of devices: how many rows new
// tables have is as of what is known of them.
func Compare(e Estate, before, after World) Effect {
	c := comparing{Estate: e, before: before, after: after, refits: refits(before, after),
		pairs: map[pair][]kit.ReadingChange{}, readings: map[[2]string]*OfReading{}}
	for _, d := range e.Devices {
		c.device(d)
	}
	for _, r := range c.readings {
		c.out.Readings = append(c.out.Readings, *r)
	}
	slices.SortFunc(c.out.Readings, func(a, b OfReading) int {
		return cmp.Or(cmp.Compare(a.Kit, b.Kit), cmp.Compare(a.Name, b.Name), cmp.Compare(a.Key, b.Key))
	})
	c.out.say()
	return c.out
}

// refits tells whether kits may be fitted otherwise in another world: where rules and what kits need and bring
// along are the same, devices need not be asked.
func refits(before, after World) bool {
	plain := func(rules fit.Rules) (out []domain.FittingRule) {
		for _, r := range rules {
			r.FittingRule.Version = 0
			out = append(out, r.FittingRule)
		}
		return out
	}
	if !reflect.DeepEqual(plain(before.Rules), plain(after.Rules)) {
		return true
	}
	all := map[string]*kit.Kit{}
	for _, k := range before.Kits.Kits() {
		all[k.Name] = k
	}
	for _, k := range after.Kits.Kits() {
		was := all[k.Name]
		if was == nil || !slices.Equal(was.Needs, k.Needs) || !reflect.DeepEqual(was.Inside, k.Inside) {
			return true
		}
		delete(all, k.Name)
	}
	return len(all) > 0
}

// fitted are the fittings of a device now and then, by kit.
func (c *comparing) fitted(d domain.Device) (now, then map[string]domain.Fitting, change fit.Change) {
	now, then = map[string]domain.Fitting{}, map[string]domain.Fitting{}
	said := map[string]domain.Fitting{}
	for _, f := range c.Said[d.ID] {
		if said[f.Kit] = f; !f.Off {
			now[f.Kit] = f
		}
	}
	if !c.refits {
		return now, now, change
	}
	change = fit.Changes(c.Said[d.ID], c.after.Rules.Resolve(c.Subject(d), c.Said[d.ID], c.after.Kits))
	for _, x := range slices.Concat(change.Keeps, change.Gains) {
		f := said[x.Kit]
		f.Kit, f.Presets = x.Kit, x.Presets
		then[x.Kit] = f
	}
	return now, then, change
}

func (c *comparing) device(d domain.Device) {
	now, then, change := c.fitted(d)
	on := OnDevice{Device: d, Change: change}
	var was, is kit.Cost
	names := map[string]bool{}
	for name := range now {
		names[name] = true
	}
	for name := range then {
		names[name] = true
	}
	count := func(p kit.Parts) int { return c.Parts[d.ID][p.Kind] }
	for name := range names {
		before, after := c.before.kit(d, now, name), c.after.kit(d, then, name)
		for _, r := range c.compared(pair{before, after}) {
			n := 1
			if r.Of != "" {
				n = c.Parts[d.ID][r.Of]
			}
			on.add(r.How, n)
			c.reading(name, r, n)
		}
		was, is = was.Add(cost(before, count, c.BytesPerSample)), is.Add(cost(after, count, c.BytesPerSample))
	}
	if len(on.Gains)+len(on.Loses) == 0 && !on.Touched() && was == is {
		return
	}
	c.out.Devices = append(c.out.Devices, on)
	c.out.Gained, c.out.Lost, c.out.Changed = c.out.Gained+on.Gained, c.out.Lost+on.Lost, c.out.Changed+on.Changed
	c.out.Before, c.out.After = c.out.Before.Add(was), c.out.After.Add(is)
}

func cost(k *kit.Kit, count func(kit.Parts) int, bytesPerSample float64) kit.Cost {
	if k == nil {
		return kit.Cost{}
	}
	return k.Estimate(count, bytesPerSample)
}

// kit is a kit as it is collected on a device; nil where it is not.
func (w World) kit(d domain.Device, fitted map[string]domain.Fitting, name string) *kit.Kit {
	f, on := fitted[name]
	if !on {
		return nil
	}
	e, err := fit.Effect(w.Kits, w.Tree, d, f, slices.Collect(maps.Values(fitted))...)
	if err != nil {
		return nil // a kit that cannot be read is not collected
	}
	return e.Kit
}

// compared is what differs between two forms of a kit, worked out once for all devices.
func (c *comparing) compared(p pair) []kit.ReadingChange {
	out, known := c.pairs[p]
	if !known {
		out = kit.CompareReadings(p.before, p.after)
		c.pairs[p] = out
	}
	return out
}

func (c *comparing) reading(name string, r kit.ReadingChange, n int) {
	key := [2]string{name, r.Key}
	x := c.readings[key]
	if x == nil {
		x = &OfReading{Kit: name, Key: r.Key, Name: r.Name, Says: r.Says}
		c.readings[key] = x
	}
	x.Devices++
	x.add(r.How, n)
	if !slices.Equal(x.Says, r.Says) {
		x.Says = nil
	}
}

// say puts it into words.
func (e *Effect) say() {
	e.Why.Question, e.Why.Answer = "What would change of what is collected?", "nothing"
	if n := len(e.Devices); n > 0 {
		e.Why.Answer = "something on " + text.Count(int64(n), "device")
	}
	gains, loses := map[string]int{}, map[string]int{}
	for _, d := range e.Devices {
		for _, x := range d.Gains {
			gains[x.Kit]++
		}
		for _, x := range d.Loses {
			loses[x.Kit]++
		}
	}
	for _, x := range []struct {
		does  string
		count map[string]int
	}{{"gain", gains}, {"lose", loses}} {
		for _, name := range sorted(x.count) {
			e.Why.Because(fmt.Sprintf("%s would %s %s", text.Count(int64(x.count[name]), "device"), x.does, name), "", nil)
		}
	}
	for _, x := range []struct {
		n    int
		what string
		note string
	}{
		{e.Gained, "would be gained", "their past begins then, or goes on"},
		{e.Lost, "would not be collected any more", "what was collected stays"},
		{e.Changed, "would be made otherwise", "what was collected stays as it is"},
	} {
		if x.n > 0 {
			e.Why.Because(text.Count(int64(x.n), "series", "series")+" "+x.what, x.note, nil)
		}
	}
	if e.Before != e.After {
		e.Why.Because("Requests a minute on these devices, about",
			units.Format(e.Before.RequestsPerMinute, "")+" → "+units.Format(e.After.RequestsPerMinute, ""), nil)
		e.Why.Because("Storage a month on these devices, about",
			units.Format(e.Before.BytesPerMonth, "B")+" → "+units.Format(e.After.BytesPerMonth, "B"), nil)
	}
}

func sorted(m map[string]int) (out []string) {
	for name := range m {
		out = append(out, name)
	}
	slices.SortFunc(out, strings.Compare)
	return out
}

// Makes tells whether a reading would be made on a device in another world.
func Makes(e Estate, before, after World, d domain.Device, kitName, reading string) bool {
	c := comparing{Estate: e, before: before, after: after, refits: refits(before, after)}
	_, then, _ := c.fitted(d)
	k := after.kit(d, then, kitName)
	if k == nil {
		return false
	}
	_, made := k.Reading(reading)
	return made
}

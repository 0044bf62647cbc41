package estate

import (
	"slices"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// SetRules replaces all rules. States of rules that are gone or switched off
// are dropped; call Recheck to learn what that changed.
func (e *Estate) SetRules(rules []rule.Rule) {
	e.rules = map[string]watch{}
	alone := map[string]map[domain.ID][]rule.Rule{}
	for _, r := range rules {
		key := r.Kit + "/" + r.Reading
		switch {
		case !r.Enabled:
		case r.DeviceID == 0:
			e.rules[key] = e.rules[key].with(r)
		case alone[key] == nil:
			alone[key] = map[domain.ID][]rule.Rule{r.DeviceID: {r}}
		default:
			alone[key][r.DeviceID] = append(alone[key][r.DeviceID], r)
		}
	}
	for key, devices := range alone {
		w := e.rules[key]
		w.alone = map[domain.ID]watch{}
		for id, own := range devices {
			w.alone[id] = e.rules[key].with(own...)
		}
		e.rules[key] = w
	}
}

func (w watch) with(rules ...rule.Rule) watch {
	w.rules = append(slices.Clip(w.rules), rules...)
	for _, r := range rules {
		w.window = w.window.Join(r.Window())
	}
	return w
}

// watching is what judges a series.
func (e *Estate) watching(s *series) watch {
	w := e.rules[s.key]
	if alone, ok := w.alone[s.DeviceID]; ok {
		return alone
	}
	return w
}

// Set makes a device with exactly these series known, in the place of what
// was known of it. Trouble on series that are gone ends, and the health that
// follows is settled. health is used for a device that was not known.
func (e *Estate) Set(d Device, all []Series, health domain.Health, now time.Time) Result {
	known, ok := e.devices[d.ID]
	if !ok {
		known = &device{health: health, series: map[domain.ID]*series{}, active: map[*ruleState]struct{}{}}
		e.devices[d.ID] = known
	}
	e.waysChanged = e.waysChanged || !ok || known.ViaID != d.ViaID
	resumed := known.Paused && !d.Paused
	known.Device = d
	if resumed {
		known.lastAt = now // the silence was not its own
	}
	var out Result
	out.Add(e.endGone(known, all, now))
	known.shortest, known.reach = 0, nil
	for _, s := range all {
		e.setSeries(known, s)
	}
	if resumed { // rules may have changed meanwhile
		for _, s := range known.series {
			out.Add(e.judge(known, s, now))
		}
	}
	if ok {
		out.Add(e.settleHealth(known, now))
	}
	return out
}

// endGone forgets the series of a device that are not in the list, and ends
// the trouble on them.
func (e *Estate) endGone(d *device, all []Series, now time.Time) (out Result) {
	stays := make(map[domain.ID]bool, len(all))
	for _, s := range all {
		stays[s.ID] = true
	}
	for id, s := range d.series {
		if stays[id] {
			continue
		}
		for _, st := range s.states {
			out.Add(
				e.drop(d, s, st, now, "it is no longer collected", "The series is gone: its part has vanished, or its kit was taken off"),
			)
		}
		delete(d.series, id)
		delete(e.series, id)
	}
	return out
}

func (e *Estate) setSeries(d *device, s Series) {
	known, ok := d.series[s.ID]
	if !ok {
		known = &series{states: map[domain.ID]*ruleState{}}
		d.series[s.ID], e.series[s.ID] = known, known
	}
	s.DeviceID = d.ID
	known.Series, known.key = s, s.Kit+"/"+s.Reading
	if d.shortest == 0 || s.Every < d.shortest {
		d.shortest = s.Every
	}
	if s.Reach {
		d.reach = known
	}
}

// RestoreFaults sets what a device did not tell before a restart.
func (e *Estate) RestoreFaults(id domain.ID, faults []Fault) {
	if d, ok := e.devices[id]; ok {
		d.faults = faults
	}
}

// SetFaults replaces what a known device should tell and does not, the oldest
// first.
func (e *Estate) SetFaults(id domain.ID, faults []Fault, now time.Time) Result {
	d, ok := e.devices[id]
	if !ok {
		return Result{}
	}
	d.faults = faults
	return e.settleHealth(d, now)
}

// RemoveDevice forgets a device and its series.
func (e *Estate) RemoveDevice(id domain.ID) {
	if d, ok := e.devices[id]; ok {
		for sid := range d.series {
			delete(e.series, sid)
		}
		delete(e.devices, id)
		e.waysChanged = true
	}
}

// Grace keeps the health of devices whose values are missing as it is until
// the given time: after a pause of ours the silence was not theirs.
func (e *Estate) Grace(until time.Time) { e.graceUntil = until }

// Shift moves all that was seen by a time by which our clock was set: what counts
// is how long ago it was.
func (e *Estate) Shift(by time.Duration) {
	move := func(t *time.Time) {
		if !t.IsZero() {
			*t = t.Add(by)
		}
	}
	move(&e.graceUntil)
	for _, d := range e.devices {
		move(&d.answersFrom)
		move(&d.lastAt)
		for i := range d.faults {
			move(&d.faults[i].Since)
		}
	}
	for _, s := range e.series {
		for i := range s.window {
			move(&s.window[i].At)
		}
		for _, st := range s.states {
			move(&st.badSince)
		}
	}
}

// Restore sets the level that a rule had on a series before a restart. ok is
// false when the series is not known.
func (e *Estate) Restore(seriesID domain.ID, r rule.Rule, level domain.Level, held bool, t why.Trace) (ok bool) {
	s, ok := e.series[seriesID]
	if !ok {
		return false
	}
	d := e.devices[s.DeviceID]
	if old := s.states[r.ID]; old != nil {
		delete(d.active, old)
	}
	st := &ruleState{level: level, held: held, rule: r, why: t, title: Title(r, d.Device, s.Series)}
	s.states[r.ID] = st
	d.note(st)
	return true
}

// Remember puts past samples (ordered by time) into a series' window without judging.
func (e *Estate) Remember(seriesID domain.ID, samples ...domain.Sample) {
	if s, ok := e.series[seriesID]; ok {
		for _, sample := range samples {
			e.push(s, sample)
		}
	}
}

// Package estate is the judge of everything watched: it takes samples in the
// order of time and tells what changed: rules that went into or out of
// trouble, and the health of devices. It does no I/O and has no clock, so
// that the same code judges the present, the back-filled past and rehearsals.
package estate

import (
	"time"

	"tirelessowl/internal/core/dependency"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Device is what judging needs to know of a device.
type Device struct {
	ID     domain.ID
	Name   string
	ViaID  domain.ID // the device it is reached through; zero for none
	Paused bool
}

// Series is what judging needs to know of a series.
type Series struct {
	ID       domain.ID
	DeviceID domain.ID
	PartID   domain.ID
	Part     string
	Name     string
	Kit      string
	Reading  string
	Unit     string
	Every    time.Duration
	// Reach marks the series that tells whether the device answers.
	Reach bool
}

// Judged is a rule's change of level on a series.
type Judged struct {
	Rule       rule.Rule
	Series     Series
	Device     Device
	From, To   domain.Level
	At         time.Time
	FirstBadAt time.Time
	Value      float64
	Limit      float64
	// Held is true when no alert may follow, since the device is out of reach.
	Held bool
	Why  why.Trace
}

// HealthChange is a device's change of health.
type HealthChange struct {
	Device   Device
	From, To domain.Health
	At       time.Time
	Reason   string
	Why      why.Trace
}

// Result is what a sample or a tick changed.
type Result struct {
	Judged []Judged
	Health []HealthChange
	// Ask lists devices whose answer is wanted now to decide about others.
	Ask []domain.ID
}

func (r *Result) add(o Result) {
	r.Judged = append(r.Judged, o.Judged...)
	r.Health = append(r.Health, o.Health...)
	r.Ask = append(r.Ask, o.Ask...)
}

// Estate holds the state of judging. It is not safe for concurrent use.
type Estate struct {
	devices map[domain.ID]*device
	series  map[domain.ID]*series
	rules   map[string][]rule.Rule // by kit/reading
	behind  map[domain.ID][]domain.ID
	// graceUntil: up to then missing values are not held against a device.
	graceUntil time.Time
}

type device struct {
	Device
	health      domain.Health
	series      map[domain.ID]*series
	active      map[*ruleState]struct{} // those that are in trouble, held ones too
	shortest    time.Duration           // of the intervals of its series
	reach       *series
	answersFrom time.Time // since when it answers without a break
	lastAt      time.Time
}

type series struct {
	Series
	key    string // kit/reading, by which rules are found
	window []domain.Sample
	states map[domain.ID]*ruleState
}

type ruleState struct {
	level    domain.Level
	held     bool
	badSince time.Time // first value of the present run beyond a limit
	rule     rule.Rule
	why      why.Trace
	title    string
}

// New returns an empty estate.
func New() *Estate {
	return &Estate{devices: map[domain.ID]*device{}, series: map[domain.ID]*series{}, rules: map[string][]rule.Rule{}, behind: map[domain.ID][]domain.ID{}}
}

// SetRules replaces all rules. States of rules that are gone or switched off
// are dropped; call Recheck to learn what that changed.
func (e *Estate) SetRules(rules []rule.Rule) {
	e.rules = map[string][]rule.Rule{}
	for _, r := range rules {
		if r.Enabled {
			key := r.Kit + "/" + r.Reading
			e.rules[key] = append(e.rules[key], r)
		}
	}
}

// SetDevice adds a device or changes what is known of it. health is used
// for a new one only.
func (e *Estate) SetDevice(d Device, health domain.Health) {
	known, ok := e.devices[d.ID]
	if !ok {
		known = &device{health: health, series: map[domain.ID]*series{}, active: map[*ruleState]struct{}{}}
		e.devices[d.ID] = known
	}
	known.Device = d
	e.behind = map[domain.ID][]domain.ID{}
	for id := range e.devices {
		for _, hop := range e.chain(id) {
			e.behind[hop] = append(e.behind[hop], id)
		}
	}
}

// RemoveDevice forgets a device and its series.
func (e *Estate) RemoveDevice(id domain.ID) {
	if d, ok := e.devices[id]; ok {
		for sid := range d.series {
			delete(e.series, sid)
		}
		delete(e.devices, id)
	}
}

// SetSeries adds a series, or changes what is known of it.
func (e *Estate) SetSeries(s Series) {
	d, ok := e.devices[s.DeviceID]
	if !ok {
		return
	}
	known, ok := e.series[s.ID]
	if !ok {
		known = &series{states: map[domain.ID]*ruleState{}}
		e.series[s.ID] = known
	}
	slower := ok && s.Every > known.Every
	known.Series, known.key = s, s.Kit+"/"+s.Reading
	d.series[s.ID] = known
	if slower {
		d.shortest = 0
		for _, x := range d.series {
			d.hurry(x.Every)
		}
	}
	d.hurry(s.Every)
	if s.Reach {
		d.reach = known
	}
}

// Grace keeps the health of devices whose values are missing as it is until
// the given time: after a pause of ours the silence was not theirs.
func (e *Estate) Grace(until time.Time) { e.graceUntil = until }

// Restore sets the level that a rule had on a series before a restart.
func (e *Estate) Restore(seriesID domain.ID, r rule.Rule, level domain.Level, held bool, t why.Trace) {
	if s, ok := e.series[seriesID]; ok {
		d := e.devices[s.DeviceID]
		if old := s.states[r.ID]; old != nil {
			delete(d.active, old)
		}
		st := &ruleState{level: level, held: held, rule: r, why: t, title: Title(r, d.Device, s.Series)}
		s.states[r.ID] = st
		d.note(st)
	}
}

// Remember puts past samples (ordered by time) into a series' window without judging.
func (e *Estate) Remember(seriesID domain.ID, samples ...domain.Sample) {
	if s, ok := e.series[seriesID]; ok {
		for _, sample := range samples {
			e.push(s, sample)
		}
	}
}

// Sample judges a new value. Samples older than the newest known one of
// their series are ignored: they cannot change the present.
func (e *Estate) Sample(seriesID domain.ID, sample domain.Sample) Result {
	var out Result
	s, ok := e.series[seriesID]
	if !ok {
		return out
	}
	if n := len(s.window); n > 0 && !sample.At.After(s.window[n-1].At) {
		return out
	}
	d := e.devices[s.DeviceID]
	e.push(s, sample)
	out.add(e.judge(d, s, sample.At))
	if s.Reach {
		for _, id := range e.behind[d.ID] {
			out.add(e.reconsider(e.devices[id], sample.At))
		}
	}
	out.add(e.settleHealth(d, sample.At))
	return out
}

// Recheck judges the present windows again without a new value, for use
// after a restart or after rules or devices were changed.
func (e *Estate) Recheck(now time.Time) Result {
	var out Result
	for _, d := range e.devices {
		for _, s := range d.series {
			out.add(e.judge(d, s, now))
		}
		out.add(e.settleHealth(d, now))
	}
	return out
}

// Tick lets time pass: it finds devices whose data stopped coming.
func (e *Estate) Tick(now time.Time) Result {
	var out Result
	for _, d := range e.devices {
		out.add(e.settleHealth(d, now))
	}
	return out
}

// Health returns the present health of a device with the reason and its
// explanation.
func (e *Estate) Health(id domain.ID, now time.Time) (domain.Health, string, why.Trace, bool) {
	d, ok := e.devices[id]
	if !ok {
		return domain.Unknown, "", why.Trace{}, false
	}
	h, reason, t := e.healthOf(d, now)
	return h, reason, t, true
}

// Series returns what is known of a series; ok is false if there is none.
func (e *Estate) Series(id domain.ID) (Series, bool) {
	s, ok := e.series[id]
	if !ok {
		return Series{}, false
	}
	return s.Series, true
}

func (e *Estate) push(s *series, sample domain.Sample) {
	d := e.devices[s.DeviceID]
	if sample.At.After(d.lastAt) {
		d.lastAt = sample.At
	}
	keep := 2
	for _, r := range e.rules[s.Kit+"/"+s.Reading] {
		keep = max(keep, r.Window()+1)
	}
	s.window = append(s.window, sample)
	if extra := len(s.window) - keep; extra > 0 {
		s.window = append(s.window[:0], s.window[extra:]...)
	}
	if s.Reach {
		switch {
		case !e.answers(s):
			d.answersFrom = time.Time{}
		case d.answersFrom.IsZero():
			d.answersFrom = sample.At
		}
	}
}

// answers tells whether anything came back in the newest round: the reach
// reading is the loss in %.
func (e *Estate) answers(s *series) bool {
	if len(s.window) == 0 {
		return true
	}
	newest := s.window[len(s.window)-1].Value
	return newest < 100
}

func (e *Estate) chain(id domain.ID) []domain.ID {
	return dependency.Chain(id, func(id domain.ID) domain.ID {
		if d, ok := e.devices[id]; ok {
			return d.ViaID
		}
		return 0
	})
}

func (e *Estate) hops(d *device) []dependency.Hop {
	var hops []dependency.Hop
	for _, id := range e.chain(d.ID) {
		hop, ok := e.devices[id]
		if !ok || hop.Paused {
			continue
		}
		h := dependency.Hop{ID: hop.ID, Name: hop.Name}
		if hop.reach != nil && len(hop.reach.window) > 0 {
			h.LastAt = hop.reach.window[len(hop.reach.window)-1].At
			h.Answers = e.answers(hop.reach)
		}
		hops = append(hops, h)
	}
	return hops
}

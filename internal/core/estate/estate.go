// Package estate is the judge of everything watched: it takes samples in the
// order of time and tells what changed: rules that went into or out of
// trouble, and the health of devices. It does no I/O and has no clock, so
// that the same code judges the present, the back-filled past and rehearsals.
package estate

import (
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Device is what judging needs to know of a device.
type Device struct {
	ID   domain.ID
	Name string
	// PlaceID is where it belongs.
	PlaceID domain.ID
	ViaID   domain.ID // the device it is reached through; zero for none
	Paused  bool
	Resting string // why, where nobody paused it by hand
}

// Spot is where it stands.
func (d Device) Spot() domain.Spot { return domain.Spot{Place: d.PlaceID, Device: d.ID} }

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
	// Reach marks the series that tells whether the device answers: the share
	// of requests that were lost, in %.
	Reach bool
	// Tags are those of its reading.
	Tags []string `json:",omitempty"`
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
	// Says is what is the matter, after the name of the series.
	Says string
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
	// Behind is the device that it is out of reach behind, zero for none. It may change
	// while the health stays: then From and To are the same.
	Behind domain.ID
	Why    why.Trace
}

// Result is what a sample or a tick changed.
type Result struct {
	Judged []Judged
	Health []HealthChange
	// Ask lists devices whose answer is wanted now to decide about others.
	Ask []domain.ID
}

// Add appends what another result has.
func (r *Result) Add(o Result) {
	r.Judged = append(r.Judged, o.Judged...)
	r.Health = append(r.Health, o.Health...)
	r.Ask = append(r.Ask, o.Ask...)
}

// Empty tells whether nothing changed.
func (r Result) Empty() bool { return len(r.Judged)+len(r.Health) == 0 }

// Estate holds the state of judging. It is not safe for concurrent use.
type Estate struct {
	devices map[domain.ID]*device
	series  map[domain.ID]*series
	rules   map[string]watch // by kit/reading
	// behind lists the devices that are reached through one; it is worked out
	// when it is asked for after the ways have changed.
	behind      map[domain.ID][]domain.ID
	waysChanged bool
	// graceUntil: up to then missing values are not held against a device.
	graceUntil time.Time
}

// watch is the rules on one reading, and how much of the past they need.
type watch struct {
	rules  []rule.Rule
	window rule.Window
	// alone is the same for devices that have rules for them alone.
	alone map[domain.ID]watch
}

type device struct {
	Device
	health      domain.Health
	behind      domain.ID // what it is out of reach behind
	series      map[domain.ID]*series
	active      map[*ruleState]struct{} // those that are in trouble, held ones too
	shortest    time.Duration           // of the intervals of its series
	reach       *series
	answersFrom time.Time // since when it answers without a break
	lastAt      time.Time
	faults      []Fault
}

// Fault is something that a device should tell and does not: what hangs on it
// is not known, however well the rest is.
type Fault struct {
	Source string // what fails, in words
	Reason string
	Since  time.Time
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
	return &Estate{
		devices: map[domain.ID]*device{},
		series:  map[domain.ID]*series{},
		rules:   map[string]watch{},
		behind:  map[domain.ID][]domain.ID{},
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
	out.Add(e.judge(d, s, sample.At))
	if s.Reach {
		for _, id := range e.Behind(d.ID) {
			out.Add(e.reconsider(e.devices[id], sample.At))
		}
	}
	out.Add(e.settleHealth(d, sample.At))
	return out
}

// Recheck judges the present windows again without a new value, for use
// after a restart or after rules or devices were changed.
func (e *Estate) Recheck(now time.Time) Result {
	var out Result
	for _, d := range e.devices {
		for _, s := range d.series {
			out.Add(e.judge(d, s, now))
		}
		out.Add(e.settleHealth(d, now))
	}
	return out
}

// Tick lets time pass: it finds devices whose data stopped coming.
func (e *Estate) Tick(now time.Time) Result {
	var out Result
	for _, d := range e.devices {
		out.Add(e.settleHealth(d, now))
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

// Window returns how much of the past of a series the rules on it need.
func (e *Estate) Window(id domain.ID) rule.Window {
	s, ok := e.series[id]
	if !ok {
		return rule.Window{}
	}
	return e.watching(s).window
}

// slack is how much longer than needed a window may grow before it is cut.
const slack = 16

func (e *Estate) push(s *series, sample domain.Sample) {
	d := e.devices[s.DeviceID]
	if sample.At.After(d.lastAt) {
		d.lastAt = sample.At
	}
	s.window = append(s.window, sample)
	need := e.watching(s).window
	need.Count = max(need.Count, 1) + 1
	if extra := need.Needs(s.window); extra > max(slack, len(s.window)/4) {
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
	return s.window[len(s.window)-1].Value < 100
}

package estate

import (
	"cmp"
	"fmt"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/dependency"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// settleHealth works out a device's health and tells whether it changed. It
// is called with every sample: only a change is put into words.
func (e *Estate) settleHealth(d *device, now time.Time) Result {
	c := e.decide(d, now)
	root := e.rootOf(d, c)
	if c.health == d.health && (root.ID == d.behind || root.ID == 0) {
		return Result{}
	}
	reason, t := e.explain(d, c, now)
	change := HealthChange{Device: d.Device, From: d.health, To: c.health, At: now, Reason: reason, Behind: root.ID, Why: t}
	d.health, d.behind = c.health, root.ID
	return Result{Health: []HealthChange{change}}
}

// healthOf decides a device's health and explains it.
func (e *Estate) healthOf(d *device, now time.Time) (domain.Health, string, why.Trace) {
	c := e.decide(d, now)
	reason, t := e.explain(d, c, now)
	return c.health, reason, t
}

// cause is what decided a device's health.
type cause int

const (
	byPause cause = iota
	byReach
	byGrace
	byWaiting
	bySilence
	byTrouble
	byFault
	byRest
)

// decision is a device's health, what decided it, and the rule that did.
type decision struct {
	health domain.Health
	cause  cause
	state  *ruleState
}

// decide goes in this order: paused, unreachable, no data, the worst level of
// any rule, something that is not told, fine.
func (e *Estate) decide(d *device, now time.Time) decision {
	if d.Paused {
		return decision{domain.Paused, byPause, nil}
	}
	worst, held := d.troubles()
	if held != nil && (d.reach == nil || !e.answers(d.reach)) {
		return decision{domain.Unreachable, byReach, held}
	}
	late := now.Sub(d.lastAt) > d.patience()
	switch {
	case now.Before(e.graceUntil) && late && d.health != domain.Unknown:
		return decision{d.health, byGrace, nil}
	case d.lastAt.IsZero():
		return decision{domain.Unknown, byWaiting, nil}
	case late:
		return decision{domain.Unknown, bySilence, nil}
	case worst != nil:
		return decision{domain.HealthOf(worst.level), byTrouble, worst}
	case len(d.faults) > 0:
		return decision{domain.Unknown, byFault, nil}
	}
	return decision{domain.Fine, byRest, nil}
}

// explain puts a decision into words.
func (e *Estate) explain(d *device, c decision, now time.Time) (reason string, t why.Trace) {
	t.Question = "Why " + string(c.health) + "?"
	itself := why.To("device", d.ID)
	switch c.cause {
	case byPause:
		reason = cmp.Or(d.Resting, "paused by hand")
		t.Because("Collecting from this device is paused", d.Resting, itself)
	case byReach:
		reason = e.unreachableReason(d)
		t.Facts = append(t.Facts, c.state.why.Facts...)
	case byGrace:
		reason = "as it was before the pause"
		t.Because("It was not asked yet since collecting began again", "the health from before holds until then", itself)
	case byWaiting:
		reason = "waits for its first value"
		t.Because("No value has come yet", fmt.Sprintf("%d series wait for their first one", len(d.series)), itself)
	case bySilence:
		quiet := units.Span(now.Sub(d.lastAt))
		reason = "no value for " + quiet
		t.Because("The newest value is "+quiet+" old", "expected at least every "+units.Span(d.patience()), itself)
	case byTrouble:
		reason = c.state.title
		t.Facts = append(t.Facts, c.state.why.Facts...)
	case byFault:
		reason = d.faults[0].Source + " cannot be read: " + d.faults[0].Reason
		for _, f := range d.faults {
			t.Because(f.Source+" cannot be read since "+f.Since.UTC().Format("2006-01-02 15:04 UTC"), f.Reason, itself)
		}
		t.Because("No rule is in trouble", "but nobody knows of what cannot be read", nil)
	case byRest:
		reason = "every rule is at rest"
		e.explainFine(d, &t)
	}
	t.Answer = reason
	return reason, t
}

// troubles returns the worst active state, and a held one if there is any.
func (d *device) troubles() (worst, held *ruleState) {
	for st := range d.active {
		switch {
		case st.held:
			if held == nil || st.level > held.level {
				held = st
			}
		case worst == nil || st.level > worst.level || st.level == worst.level && st.title < worst.title:
			worst = st
		}
	}
	if worst != nil && worst.level == domain.LevelCritical {
		held = nil // known to be down before the way was lost
	}
	return worst, held
}

// note keeps the active states of a device, after a state changed.
func (d *device) note(st *ruleState) {
	if st.level == domain.LevelNone {
		delete(d.active, st)
		return
	}
	d.active[st] = struct{}{}
}

// rootOf is what a device is out of reach behind; the zero hop where it is not, and
// where that is not known.
func (e *Estate) rootOf(d *device, c decision) dependency.Hop {
	if c.cause != byReach {
		return dependency.Hop{}
	}
	root, _ := dependency.Root(e.hops(d))
	return root
}

func (e *Estate) unreachableReason(d *device) string {
	if root, ok := dependency.Root(e.hops(d)); ok {
		return "behind " + root.Name + ", which does not answer"
	}
	return "the way to it was lost"
}

// patience is how long a device may be silent before its health is unknown.
func (d *device) patience() time.Duration { return cadence.Silence(d.shortest) }

func (e *Estate) explainFine(d *device, t *why.Trace) {
	watched := 0
	for _, s := range d.series {
		watched += len(s.states)
	}
	collected := text.Count(int64(len(d.series)), "series is collected", "series are collected")
	rules := text.Count(int64(watched), "rule watches them", "rules watch them")
	t.Because(collected+", "+rules, "none is in trouble", why.To("device", d.ID))
	if d.reach != nil && len(d.reach.window) > 0 {
		newest := d.reach.window[len(d.reach.window)-1]
		t.Because("It answers", "last asked at "+newest.At.UTC().Format("15:04:05 UTC"), why.To("series", d.reach.ID))
	}
	t.Because("The newest value is from "+d.lastAt.UTC().Format("15:04:05 UTC"), "", nil)
}

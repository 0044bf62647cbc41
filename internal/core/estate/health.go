package estate

import (
	"fmt"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// silentRounds is how many intervals may pass without any sample before the
// health of a device is unknown.
const silentRounds = 5

// settleHealth works out a device's health and tells whether it changed.
func (e *Estate) settleHealth(d *device, now time.Time) Result {
	h, reason, t := e.healthOf(d, now)
	if h == d.health {
		return Result{}
	}
	change := HealthChange{Device: d.Device, From: d.health, To: h, At: now, Reason: reason, Why: t}
	d.health = h
	return Result{Health: []HealthChange{change}}
}

// healthOf decides in this order: paused, unreachable, no data, the worst
// level of any rule, fine.
func (e *Estate) healthOf(d *device, now time.Time) (domain.Health, string, why.Trace) {
	t := why.Trace{}
	give := func(h domain.Health, reason string) (domain.Health, string, why.Trace) {
		t.Question, t.Answer = "Why "+string(h)+"?", reason
		return h, reason, t
	}
	if d.Paused {
		t.Because("Collecting from this device is paused", "", why.To("device", d.ID))
		return give(domain.Paused, "paused by hand")
	}
	worst, held := e.troubles(d)
	if held != nil && (d.reach == nil || !e.answers(d.reach)) {
		t.Facts = append(t.Facts, held.why.Facts...)
		return give(domain.Unreachable, e.unreachableReason(d))
	}
	if quiet := now.Sub(d.lastAt); now.Before(e.graceUntil) && quiet > e.patience(d) && d.health != domain.Unknown {
		t.Because("It was not asked yet since collecting began again", "the health from before holds until then", why.To("device", d.ID))
		return give(d.health, "as it was before the pause")
	}
	if d.lastAt.IsZero() {
		t.Because("No value has come yet", fmt.Sprintf("%d series wait for their first one", len(d.series)), why.To("device", d.ID))
		return give(domain.Unknown, "waits for its first value")
	}
	if quiet := now.Sub(d.lastAt); quiet > e.patience(d) {
		t.Because("The newest value is "+units.Span(quiet)+" old", "expected at least every "+units.Span(e.patience(d)), why.To("device", d.ID))
		return give(domain.Unknown, "no value for "+units.Span(quiet))
	}
	if worst == nil {
		e.explainFine(d, &t)
		return give(domain.Fine, "every rule is at rest")
	}
	t.Facts = append(t.Facts, worst.why.Facts...)
	return give(domain.HealthOf(worst.level), worst.title)
}

// troubles returns the worst active state, and a held one if there is any.
func (e *Estate) troubles(d *device) (worst, held *ruleState) {
	for _, s := range d.series {
		for _, st := range s.states {
			switch {
			case st.level == domain.LevelNone:
			case st.held:
				if held == nil || st.level > held.level {
					held = st
				}
			case worst == nil || st.level > worst.level || st.level == worst.level && st.title < worst.title:
				worst = st
			}
		}
	}
	if worst != nil && worst.level == domain.LevelCritical {
		held = nil // known to be down before the way was lost
	}
	return worst, held
}

func (e *Estate) unreachableReason(d *device) string {
	for _, h := range e.hops(d) {
		if !h.LastAt.IsZero() && !h.Answers {
			return "behind " + h.Name + ", which does not answer"
		}
	}
	return "the way to it was lost"
}

func (e *Estate) patience(d *device) time.Duration {
	shortest := time.Duration(0)
	for _, s := range d.series {
		if shortest == 0 || s.Every < shortest {
			shortest = s.Every
		}
	}
	return silentRounds*shortest + 30*time.Second
}

func (e *Estate) explainFine(d *device, t *why.Trace) {
	watched := 0
	for _, s := range d.series {
		watched += len(s.states)
	}
	t.Because(fmt.Sprintf("%d series are collected, %d rules watch them", len(d.series), watched), "none is in trouble", why.To("device", d.ID))
	if d.reach != nil && len(d.reach.window) > 0 {
		newest := d.reach.window[len(d.reach.window)-1]
		t.Because("It answers", "last asked at "+newest.At.UTC().Format("15:04:05 UTC"), why.To("series", d.reach.ID))
	}
	t.Because("The newest value is from "+d.lastAt.UTC().Format("15:04:05 UTC"), "", nil)
}

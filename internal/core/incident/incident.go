// Package incident decides which alerts belong together.
package incident

import (
	"fmt"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// ReopenWithin is how soon after its end trouble of the same cause reopens
// the old incident instead of starting another.
const ReopenWithin = 15 * time.Minute

// Action is what to do with a new alert.
type Action string

// The actions.
const (
	Start  Action = "start"  // a new incident
	Join   Action = "join"   // one that is open
	Reopen Action = "reopen" // one that ended a short time ago
)

// Assign finds the incident for an alert that begins at the given time, among
// the incidents of the same device. id is zero for Start.
func Assign(device domain.ID, cause string, at time.Time, known []domain.Incident) (Action, domain.ID, why.Trace) {
	t := why.Trace{Question: "Why this incident?"}
	var recent *domain.Incident
	for i := range known {
		in := &known[i]
		if in.DeviceID != device || in.Cause != cause {
			continue
		}
		if in.State != domain.IncidentResolved {
			t.Answer = "it joins the open incident"
			t.Because(
				fmt.Sprintf("Incident %d has the same device and cause and is open", in.ID),
				"cause “"+cause+"”",
				why.To("incident", in.ID),
			)
			return Join, in.ID, t
		}
		if ended(in).Add(ReopenWithin).After(at) && (recent == nil || ended(in).After(ended(recent))) {
			recent = in
		}
	}
	if recent != nil {
		t.Answer = "it reopens a recent incident"
		t.Because(fmt.Sprintf("Incident %d of the same cause ended %s before", recent.ID, units.Span(at.Sub(ended(recent)))),
			"trouble that comes back within "+units.Span(ReopenWithin)+" reopens", why.To("incident", recent.ID))
		return Reopen, recent.ID, t
	}
	t.Answer = "it is a new incident"
	t.Because("No incident of this device with this cause is open or ended recently", "cause “"+cause+"”", why.To("device", device))
	return Start, 0, t
}

func ended(in *domain.Incident) time.Time {
	if in.RecoveredAt.After(in.ResolvedAt) {
		return in.RecoveredAt
	}
	return in.ResolvedAt
}

// Cause names the cause that a rule on a series stands for: the rule's own
// word, and the part where there is one.
func Cause(ruleCause, part string) string {
	if part == "" {
		return ruleCause
	}
	return ruleCause + ":" + part
}

// Package dependency tells what is down from what is only out of reach.
package dependency

import (
	"fmt"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Hop is one device on the way to another, as it is known now.
type Hop struct {
	ID   domain.ID
	Name string
	// LastAt is when it was last asked; zero when it never was.
	LastAt time.Time
	// Answers tells whether it answered then.
	Answers bool
}

// Verdict is the outcome.
type Verdict string

// The verdicts.
const (
	Down        Verdict = "down"
	Unreachable Verdict = "unreachable"
	// Wait: a hop has not been asked since the trouble began, so that it
	// cannot be told yet which of the two it is.
	Wait Verdict = "wait"
)

// silent tells whether it was asked and did not answer.
func (h Hop) silent() bool { return !h.LastAt.IsZero() && !h.Answers }

// Root is the hop from which on nothing answers: of all silent ones, given nearest
// first, the farthest. Those before it are silent because of it.
func Root(hops []Hop) (root Hop, ok bool) {
	for _, h := range hops {
		if h.silent() {
			root, ok = h, true
		}
	}
	return root, ok
}

// Judge decides what silence means for a device that has not answered since
// firstBad, from the hops on the way to it, nearest first. by is the hop that
// decided: the root of the silence, or the one that must be asked.
func Judge(firstBad time.Time, hops []Hop) (verdict Verdict, by Hop, trace why.Trace) {
	trace.Question = "Is it down, or only out of reach?"
	if root, ok := Root(hops); ok {
		trace.Answer = "unreachable: what it is reached through does not answer"
		for _, h := range hops {
			if h.silent() {
				trace.Because(
					h.Name+" does not answer either",
					"asked at "+clock(h.LastAt)+"; this device is reached through it",
					why.To("device", h.ID),
				)
			}
		}
		return Unreachable, root, trace
	}
	for _, h := range hops {
		if h.LastAt.IsZero() {
			trace.Because(
				"Nothing is known of "+h.Name,
				"it was never asked whether it answers; this device is reached through it",
				why.To("device", h.ID),
			)
			continue
		}
		if h.LastAt.Before(firstBad) {
			trace.Answer = "not decided: what it is reached through is being asked"
			trace.Because(h.Name+" was last asked before the trouble began", "at "+clock(h.LastAt), why.To("device", h.ID))
			return Wait, h, trace
		}
		trace.Because(
			fmt.Sprintf("%s answers", h.Name),
			"asked at "+clock(h.LastAt)+"; this device is reached through it",
			why.To("device", h.ID),
		)
	}
	trace.Answer = "down: all that is asked on the way to it answers"
	if len(hops) == 0 {
		trace.Answer = "down"
		trace.Because("It is reached directly", "no device is set that it is reached through", nil)
	}
	return Down, Hop{}, trace
}

func clock(at time.Time) string { return at.UTC().Format("15:04:05 UTC") }

// Chain lists the devices on the way to one, nearest first. via gives the
// next hop of each device, zero for none. A loop ends the chain.
func Chain(id domain.ID, via func(domain.ID) domain.ID) []domain.ID {
	var chain []domain.ID
	seen := map[domain.ID]bool{id: true}
	for next := via(id); next != 0 && !seen[next]; next = via(next) {
		seen[next] = true
		chain = append(chain, next)
	}
	return chain
}

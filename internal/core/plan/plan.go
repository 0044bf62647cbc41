// Package plan decides who is told of what.
package plan

import (
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Plan is a response plan: steps that act on what happens to an incident.
type Plan struct {
	ID      domain.ID `json:"id"`
	Name    string    `json:"name"`
	Enabled bool      `json:"enabled"`
	Steps   []Step    `json:"steps"`
	// Tags are those of the incidents that it is for, one of them being enough; it is for all
	// incidents where there are none.
	Tags []string `json:"tags,omitempty"`
	// Version counts the changes that people made.
	Version int `json:"version"`
}

// Step says when to tell whom, through which channel.
type Step struct {
	Key       string              `json:"key"`
	Title     string              `json:"title"`
	On        []domain.EventKind  `json:"on"`
	AtLeast   domain.Level        `json:"at_least"`
	Kind      domain.DeliveryKind `json:"kind"`
	ChannelID domain.ID           `json:"channel_id"`
	To        []string            `json:"to"`
	// OnlyTold sends to those, and only those, who were told of the trouble.
	OnlyTold bool `json:"only_told"`
}

// Event is what happened to an incident.
type Event struct {
	Kind domain.EventKind
	// Level is that of the incident now for trouble, and the worst of the episode
	// for all else: what ends or eases concerns those who heard of the worst.
	Level domain.Level
	// Tags are those of the incident.
	Tags []string
}

// EventOf is what a plan is asked about when something happens to an incident.
func EventOf(kind domain.EventKind, in domain.Incident) Event {
	if kind.Trouble() {
		return Event{kind, in.Level, in.Tags}
	}
	return Event{kind, in.Worst, in.Tags}
}

// Past is what the plan did before for the incident.
type Past struct {
	// Told lists recipients by step key, of the present episode.
	Told map[string][]string
	// ToldLevel is the highest level of trouble that a recipient was told of, in
	// the present episode. What was told before the level fell counts as that to
	// which it fell: trouble that gets worse again is told again.
	ToldLevel map[string]domain.Level
	// Ticket is true when there is a ticket, or one is on its way.
	Ticket bool
}

// PastOf tells a plan what it did, from what was sent for an incident.
func PastOf(p Plan, in domain.Incident, sent []domain.Delivery) Past {
	past := Past{Told: map[string][]string{}, ToldLevel: map[string]domain.Level{}}
	for _, d := range sent {
		switch {
		case d.Kind == domain.DeliverTicket && d.State != domain.DeliveryFailed:
			past.Ticket = true
		case d.State == domain.DeliveryFailed:
			// nobody heard of it
		case d.Kind != domain.DeliverMessage || d.Plan != p.Name || d.CreatedAt.Before(in.EpisodeAt) || d.Event == domain.EventRecovered:
			// of another plan, of an earlier episode, or the end of one
		default:
			past.Told[d.Step] = append(past.Told[d.Step], d.Recipient)
			if d.Event.Trouble() {
				past.ToldLevel[d.Recipient] = max(past.ToldLevel[d.Recipient], stillTold(in, d))
			}
		}
	}
	return past
}

// stillTold is the level that a message of trouble counts for now.
func stillTold(in domain.Incident, d domain.Delivery) domain.Level {
	if in.FellAt.IsZero() || d.CreatedAt.After(in.FellAt) {
		return d.Level
	}
	return min(d.Level, in.FellTo)
}

// Action is one delivery to make.
type Action struct {
	Step      Step
	Recipient string
	Why       why.Trace
}

// Decide returns the deliveries that an event causes. The trace has one fact
// for each step, also for those that do not act, with the condition that
// stopped them.
func Decide(p Plan, ev Event, past Past) ([]Action, why.Trace) {
	t := why.Trace{Question: "Who is told that the incident " + verb(ev.Kind) + "?"}
	if !p.Enabled {
		t.Answer = "nobody"
		t.Because("The response plan “"+p.Name+"” is switched off", "", why.To("plan", p.ID))
		return nil, t
	}
	if reason, is := p.isFor(ev); !is {
		t.Answer = "nobody"
		t.Because("The response plan “"+p.Name+"” is not for it", reason, why.To("plan", p.ID))
		return nil, t
	}
	var actions []Action
	for _, step := range p.Steps {
		recipients, reason := step.recipients(ev, past)
		if len(recipients) == 0 {
			t.Because("Not done: "+step.Title, reason, why.To("plan", p.ID))
			continue
		}
		for _, to := range recipients {
			a := Action{Step: step, Recipient: to, Why: why.Trace{Question: "Why was this sent?", Answer: reason}}
			a.Why.Because("Plan “"+p.Name+"”, step “"+step.Title+"”", reason, why.To("plan", p.ID))
			actions = append(actions, a)
		}
		t.Because("Done: "+step.Title, reason, why.To("plan", p.ID))
	}
	t.Answer = fmt.Sprintf("%d deliveries", len(actions))
	if len(actions) == 1 {
		t.Answer = "1 delivery"
	}
	return actions, t
}

// isFor tells whether the plan is for an incident, and why not.
func (p Plan) isFor(ev Event) (reason string, is bool) {
	if len(p.Tags) == 0 || tag.Shared(p.Tags, ev.Tags) != "" {
		return "", true
	}
	has := "has none"
	if len(ev.Tags) > 0 {
		has = "has #" + strings.Join(ev.Tags, ", #")
	}
	return "it is for incidents with #" + strings.Join(p.Tags, " or #") + "; this one " + has, false
}

// recipients returns who a step tells, or none and the reason.
func (s Step) recipients(ev Event, past Past) ([]string, string) {
	if !slices.Contains(s.On, ev.Kind) {
		return nil, "it does not act when an incident " + verb(ev.Kind)
	}
	if ev.Level < s.AtLeast {
		return nil, fmt.Sprintf("it acts from %s on, this is %s", s.AtLeast, ev.Level)
	}
	switch {
	case s.Kind == domain.DeliverTicket && past.Ticket:
		return nil, "there is a ticket already"
	case s.Kind == domain.DeliverTicket:
		return []string{"desk"}, fmt.Sprintf("the incident %s at %s, and has no ticket yet", verb(ev.Kind), ev.Level)
	case s.Kind == domain.DeliverNote && !past.Ticket:
		return nil, "there is no ticket to note it on"
	case s.Kind == domain.DeliverNote:
		return []string{"desk"}, "the ticket is kept up to date"
	case s.OnlyTold:
		return s.onlyTold(past)
	}
	return s.notYetTold(ev, past)
}

func (s Step) onlyTold(past Past) ([]string, string) {
	var all []string
	for _, people := range past.Told {
		for _, to := range people {
			if !slices.Contains(all, to) {
				all = append(all, to)
			}
		}
	}
	slices.Sort(all)
	if len(all) == 0 {
		return nil, "nobody was told of the trouble"
	}
	return all, "they were told of the trouble"
}

func (s Step) notYetTold(ev Event, past Past) ([]string, string) {
	var left []string
	for _, to := range s.To {
		// That somebody has taken it on is news for who knows of the trouble, too.
		if !ev.Kind.Trouble() || past.ToldLevel[to] < ev.Level {
			left = append(left, to)
		}
	}
	switch {
	case len(s.To) == 0:
		return nil, "it has no recipient"
	case len(left) == 0:
		return nil, "everyone was told of this level already"
	}
	return left, fmt.Sprintf("the incident %s at %s", verb(ev.Kind), ev.Level)
}

func verb(kind domain.EventKind) string {
	switch kind {
	case domain.EventAlert:
		return "opened"
	case domain.EventRaised:
		return "got worse"
	case domain.EventEased:
		return "eased"
	case domain.EventReopened:
		return "reopened"
	case domain.EventRecovered:
		return "recovered"
	case domain.EventAcknowledged:
		return "was acknowledged"
	case domain.EventResolved:
		return "was resolved"
	case domain.EventComment:
		return "got a comment"
	}
	return "changed (" + string(kind) + ")"
}

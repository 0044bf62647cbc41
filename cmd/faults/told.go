package main

import (
	"context"
	"encoding/json"
	"os"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/sim"
)

// mails looks that each outage was told once, with its end, and none twice.
func (a *account) mails(ctx context.Context, stored map[string][]*sample) {
	_, body := get(ctx, mailURL(), "application/json")
	var all []sim.Mail
	if err := json.Unmarshal([]byte(body), &all); err != nil {
		a.wrong("the mails: %v", err)
		return
	}
	seen := map[string]int{}
	for _, m := range all {
		if seen[m.ID+m.To[0]]++; seen[m.ID+m.To[0]] == 2 {
			a.wrong("a mail came twice: %s", m.Subject)
		}
	}
	told, ended, unseen := 0, 0, 0
	for _, x := range a.outages {
		if x.to.Sub(x.from) < 70*time.Second {
			continue // it was broken off at the end
		}
		bad := slices.ContainsFunc(all, func(m sim.Mail) bool {
			return strings.Contains(m.Subject, x.device) && strings.HasPrefix(m.Subject, "Critical") && between(m.At, x)
		})
		good := slices.ContainsFunc(all, func(m sim.Mail) bool {
			return strings.Contains(m.Subject, x.device) && strings.HasPrefix(m.Subject, "Recovered") && between(m.At, x)
		})
		switch {
		case bad:
			told++
		case a.lostValues(stored[x.device], x) < enough:
			unseen++ // killed so often that no two rounds came to their end
		default:
			a.wrong("nobody was told that %s was away from %s to %s", x.device, x.from.Format(time.TimeOnly), x.to.Format(time.TimeOnly))
		}
		if good {
			ended++
		} else if bad {
			a.wrong("nobody was told that %s was back at %s", x.device, x.to.Format(time.TimeOnly))
		}
	}
	a.figure(
		"%d mails of %d outages: %d told, %d told to be over, %d too short between kills to be seen",
		len(all),
		len(a.outages),
		told,
		ended,
		unseen,
	)
}

// enough is how many rounds in a row must be lost until a rule of the demo says so.
const enough = 2

// lostValues counts the rounds of an outage that were stored as lost.
func (a *account) lostValues(list []*sample, x outage) (n int) {
	for _, s := range list {
		by, _ := a.off(x.from)
		if s.Value >= 100 && s.At.After(x.from.Add(by)) && s.At.Before(x.to.Add(by)) {
			n++
		}
	}
	return n
}

// between tells whether something happened about an outage: a service that hangs
// may delay it.
func between(at time.Time, x outage) bool {
	return at.After(x.from) && at.Before(x.to.Add(4*time.Minute))
}

// tickets looks that no ticket and no note is there twice.
func (a *account) tickets() {
	var all []sim.Ticket
	text, err := os.ReadFile(a.path("data/tickets.json"))
	if err == nil {
		err = json.Unmarshal(text, &all)
	}
	if err != nil {
		a.wrong("the tickets: %v", err)
		return
	}
	count, notes := map[string]int{}, 0
	for _, t := range all {
		if count[t.Reference]++; count[t.Reference] == 2 {
			a.wrong("there are two tickets for %s: %s", t.Reference, t.Title)
		}
		keys := map[string]bool{}
		for _, n := range t.Notes {
			notes++
			if keys[n.Key] {
				a.wrong("a note stands twice on %s", t.Number)
			}
			keys[n.Key] = true
		}
	}
	a.figure("%d tickets with %d notes", len(all), notes)
}

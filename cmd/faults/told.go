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

// inbox is what was mailed so far.
func inbox(ctx context.Context) (all []sim.Mail, err error) {
	body := insist(ctx, mailURL(), "application/json")
	return all, json.Unmarshal([]byte(body), &all)
}

// told tells whether a mail about an outage came whose subject begins with a word.
func (x outage) told(all []sim.Mail, word string) bool {
	return slices.ContainsFunc(all, func(m sim.Mail) bool {
		return strings.Contains(m.Subject, x.device) && strings.HasPrefix(m.Subject, word) && between(m.At, x)
	})
}

// The first word of the subject of a mail about an outage, and about its end.
const (
	begin = "Critical"
	end   = "Recovered"
)

// settle waits for the mails of outages whose end is not told yet: a service that
// just went wrong is tried again only after a while.
func (a *account) settle(ctx context.Context) error {
	for {
		all, err := inbox(ctx)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(a.outages, func(x outage) bool {
			return x.told(all, begin) && !x.told(all, end) && time.Since(x.to) < mostDelay
		}) {
			return nil
		}
		if err := pause(ctx, time.Second); err != nil {
			return err
		}
	}
}

// mails looks that each outage was told once, with its end, and none twice.
func (a *account) mails(ctx context.Context, stored map[string][]*sample) {
	all, err := inbox(ctx)
	if err != nil {
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
		bad, good := x.told(all, begin), x.told(all, end)
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

// mostDelay is by how much a service that hangs may delay a mail.
const mostDelay = 4 * time.Minute

// between tells whether something happened about an outage.
func between(at time.Time, x outage) bool {
	return at.After(x.from) && at.Before(x.to.Add(mostDelay))
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

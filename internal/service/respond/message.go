package respond

import (
	"fmt"
	"strings"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// message is what is said to people about an event.
type message struct {
	device, title, reason, runbook string
	met                            string // what asking meets now
	since, at                      time.Time
	before                         int // how often the same happened before
}

const clock = "2006-01-02 15:04:05 UTC"

// write makes subject and text of a mail or ticket: what is wrong, where,
// since when, the value and the limit, how often before, what to do, and the
// link to acknowledge.
func (m message) write(url string, in domain.Incident, ev domain.Event) (subject, body string) {
	head := text.UpperFirst(in.Level.String())
	switch ev.Kind {
	case domain.EventRecovered:
		head = "Recovered"
	case domain.EventReopened:
		head += " again"
	case domain.EventEased:
		head = "Eased to " + in.Level.String()
	}
	var b strings.Builder
	line := func(label, words string) {
		if words != "" {
			fmt.Fprintf(&b, "%-10s %s\n", label+":", words)
		}
	}
	fmt.Fprintf(&b, "%s\n\n", m.title)
	line("What", plain(m.reason))
	line("Where", m.device)
	line("Since", m.since.UTC().Format(clock))
	if ev.Kind == domain.EventRecovered {
		line("Until", m.at.UTC().Format(clock)+", "+plain(units.Span(m.at.Sub(m.since))))
	}
	line("Before", times(m.before))
	line("Tags", strings.Join(in.Tags, ", "))
	if ev.Kind != domain.EventRecovered {
		line("Asking", plain(m.met))
		line("To do", m.runbook)
	}
	fmt.Fprintf(&b, "\nLook and acknowledge: %s/incidents/%d\n", url, in.ID)
	return fmt.Sprintf("%s: %s", head, m.title), b.String()
}

// note is the text that goes onto a ticket.
func (m message) note(ev domain.Event) string {
	said := ev.Text
	if ev.Detail != "" {
		said += ": " + ev.Detail
	}
	if ev.By != "" {
		said += " (" + ev.By + ")"
	}
	return plain(said) + ", at " + ev.At.UTC().Format(clock)
}

func times(n int) string {
	switch n {
	case 0:
		return "never"
	case 1:
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// plain replaces the no-break spaces that keep values together on screens.
func plain(s string) string { return strings.ReplaceAll(s, "\u00a0", " ") }

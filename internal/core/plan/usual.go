package plan

import (
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

// Usual returns the steps that most begin with: a message at once, a ticket
// for what is critical and kept up to date, and a message on recovery to those
// who were told. Steps for a channel with id 0 are left out.
func Usual(messages, desk domain.ID, to ...string) []Step {
	trouble := []domain.EventKind{domain.EventAlert, domain.EventRaised, domain.EventReopened}
	var steps []Step
	if messages != 0 {
		steps = append(steps, Step{Key: "tell", Title: "Message at once", On: trouble, AtLeast: domain.LevelWarning,
			Kind: domain.DeliverMessage, ChannelID: messages, To: to})
	}
	if desk != 0 {
		steps = append(
			steps,
			Step{
				Key:       "ticket",
				Title:     "Ticket for what is critical",
				On:        trouble,
				AtLeast:   domain.LevelCritical,
				Kind:      domain.DeliverTicket,
				ChannelID: desk,
			},
			Step{
				Key:   "note",
				Title: "Keep the ticket up to date",
				On: []domain.EventKind{domain.EventAlert, domain.EventRaised, domain.EventEased,
					domain.EventReopened, domain.EventRecovered, domain.EventAcknowledged, domain.EventComment,
					domain.EventResolved},
				Kind:      domain.DeliverNote,
				ChannelID: desk,
			},
		)
	}
	if messages != 0 {
		steps = append(
			steps,
			Step{Key: "recovery", Title: "Message on recovery to those who were told", On: []domain.EventKind{domain.EventRecovered},
				Kind: domain.DeliverMessage, ChannelID: messages, OnlyTold: true},
		)
	}
	return steps
}

// Recipients reads recipients separated by commas, spaces or lines, as the
// channel's kind writes one.
func Recipients(text string, one field.Field) ([]string, domain.FieldErrors) {
	var out []string
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(", ;\t\r\n", r) }) {
		if problem := one.Problem(piece); problem != "" {
			return nil, domain.FieldErrors{"to": "“" + piece + "”: " + problem}
		}
		out = append(out, piece)
	}
	if len(out) == 0 {
		return nil, domain.FieldErrors{"to": "Name at least one recipient, or switch the plan off."}
	}
	return out, nil
}

package plan

import (
	"net/mail"
	"strings"

	"tirelessowl/internal/domain"
)

// Usual returns the steps that most begin with: mail at once, a ticket for
// what is critical and kept up to date, and mail on recovery to those who
// were told. Steps for a channel with id 0 are left out.
func Usual(mailChannel, deskChannel domain.ID, to ...string) []Step {
	trouble := []domain.EventKind{domain.EventAlert, domain.EventRaised, domain.EventReopened}
	var steps []Step
	if mailChannel != 0 {
		steps = append(steps, Step{Key: "tell", Title: "E-mail at once", On: trouble, AtLeast: domain.LevelWarning, Kind: domain.DeliverMail, ChannelID: mailChannel, To: to})
	}
	if deskChannel != 0 {
		steps = append(steps,
			Step{Key: "ticket", Title: "Ticket for what is critical", On: trouble, AtLeast: domain.LevelCritical, Kind: domain.DeliverTicket, ChannelID: deskChannel},
			Step{Key: "note", Title: "Keep the ticket up to date", On: []domain.EventKind{domain.EventRaised, domain.EventEased, domain.EventReopened, domain.EventRecovered,
				domain.EventAcknowledged, domain.EventComment, domain.EventResolved}, Kind: domain.DeliverNote, ChannelID: deskChannel})
	}
	if mailChannel != 0 {
		steps = append(steps, Step{Key: "recovery", Title: "E-mail on recovery to those who were told", On: []domain.EventKind{domain.EventRecovered},
			Kind: domain.DeliverMail, ChannelID: mailChannel, OnlyTold: true})
	}
	return steps
}

// Recipients reads addresses separated by commas, spaces or lines.
func Recipients(text string) ([]string, domain.FieldErrors) {
	var out []string
	for _, piece := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(", ;\t\r\n", r) }) {
		a, err := mail.ParseAddress(piece)
		if err != nil {
			return nil, domain.FieldErrors{"to": "“" + piece + "” is not a mail address."}
		}
		out = append(out, a.Address)
	}
	if len(out) == 0 {
		return nil, domain.FieldErrors{"to": "Name at least one recipient, or switch the plan off."}
	}
	return out, nil
}

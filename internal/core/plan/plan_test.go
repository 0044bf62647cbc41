package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

const warning, critical = domain.LevelWarning, domain.LevelCritical

func shore() Plan {
	return Plan{ID: 1, Name: "Shore desk", Enabled: true, Steps: []Step{
		{Key: "mail", Title: "mail the shore desk", On: []domain.EventKind{domain.EventAlert, domain.EventRaised}, AtLeast: warning, Kind: domain.DeliverMail, To: []string{"a@kittiwake.example", "b@kittiwake.example"}},
		{Key: "ticket", Title: "open a ticket", On: []domain.EventKind{domain.EventAlert, domain.EventRaised}, AtLeast: critical, Kind: domain.DeliverTicket},
		{Key: "note", Title: "note it on the ticket", On: []domain.EventKind{domain.EventRecovered}, Kind: domain.DeliverNote},
		{Key: "back", Title: "mail on recovery", On: []domain.EventKind{domain.EventRecovered}, Kind: domain.DeliverMail, OnlyTold: true},
	}}
}

func keys(actions []Action) (out []string) {
	for _, a := range actions {
		out = append(out, a.Step.Key+" "+a.Recipient)
	}
	return out
}

func TestDecide(t *testing.T) {
	a, b := "a@kittiwake.example", "b@kittiwake.example"
	toldA := Past{Told: map[string][]string{"mail": {a}}, ToldLevel: map[string]domain.Level{a: warning}}
	withTicket := toldA
	withTicket.Ticket = true
	for name, c := range map[string]struct {
		ev   Event
		past Past
		want []string
	}{
		"a notice tells nobody":              {Event{domain.EventAlert, domain.LevelNotice}, Past{}, nil},
		"a warning mails":                    {Event{domain.EventAlert, warning}, Past{}, []string{"mail " + a, "mail " + b}},
		"critical also opens a ticket":       {Event{domain.EventAlert, critical}, Past{}, []string{"mail " + a, "mail " + b, "ticket desk"}},
		"the same level is not told twice":   {Event{domain.EventAlert, warning}, toldA, []string{"mail " + b}},
		"a worse level is":                   {Event{domain.EventRaised, critical}, toldA, []string{"mail " + a, "mail " + b, "ticket desk"}},
		"never a second ticket":              {Event{domain.EventRaised, critical}, withTicket, []string{"mail " + a, "mail " + b}},
		"recovery to those told only":        {Event{domain.EventRecovered, warning}, toldA, []string{"back " + a}},
		"recovery notes the ticket":          {Event{domain.EventRecovered, critical}, withTicket, []string{"note desk", "back " + a}},
		"nobody told: nobody hears recovery": {Event{domain.EventRecovered, domain.LevelNotice}, Past{}, nil},
	} {
		actions, trace := Decide(shore(), c.ev, c.past)
		assert.Equal(t, c.want, keys(actions), name)
		assert.Len(t, trace.Facts, 4, "%s: every step is explained", name)
	}
}

func TestUsualStepsNeedTheirChannels(t *testing.T) {
	assert.Len(t, Usual(1, 2, "a@kittiwake.example"), 4)
	assert.Len(t, Usual(1, 0), 2)
	assert.Len(t, Usual(0, 2), 2)
	assert.Empty(t, Usual(0, 0))
}

func TestRecipients(t *testing.T) {
	to, errs := Recipients("a@kittiwake.example, b@kittiwake.example\nc@kittiwake.example")
	assert.Empty(t, errs)
	assert.Len(t, to, 3)
	for _, bad := range []string{"", " , ", "nobody", "a@kittiwake.example <x"} {
		_, errs = Recipients(bad)
		assert.Contains(t, errs, "to", bad)
	}
}

func TestSilenceIsExplained(t *testing.T) {
	_, trace := Decide(shore(), Event{domain.EventAlert, domain.LevelNotice}, Past{})
	assert.Contains(t, trace.Facts[0].Detail, "acts from warning on")
	off := shore()
	off.Enabled = false
	actions, trace := Decide(off, Event{domain.EventAlert, critical}, Past{})
	assert.Empty(t, actions)
	require.Len(t, trace.Facts, 1)
	assert.Contains(t, trace.Facts[0].Text, "switched off")
	empty := Plan{Enabled: true, Steps: []Step{{Title: "x", On: []domain.EventKind{domain.EventAlert}, Kind: domain.DeliverMail}}}
	_, trace = Decide(empty, Event{domain.EventAlert, critical}, Past{})
	assert.Contains(t, trace.Facts[0].Detail, "no recipient")
}

package plan

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/domain"
)

const warning, critical = domain.LevelWarning, domain.LevelCritical

func shore() Plan {
	return Plan{ID: 1, Name: "Shore desk", Enabled: true, Steps: []Step{
		{
			Key:     "mail",
			Title:   "mail the shore desk",
			On:      []domain.EventKind{domain.EventAlert, domain.EventRaised},
			AtLeast: warning,
			Kind:    domain.DeliverMessage,
			To:      []string{"a@kittiwake.example", "b@kittiwake.example"},
		},
		{
			Key:     "ticket",
			Title:   "open a ticket",
			On:      []domain.EventKind{domain.EventAlert, domain.EventRaised},
			AtLeast: critical,
			Kind:    domain.DeliverTicket,
		},
		{Key: "note", Title: "note it on the ticket", On: []domain.EventKind{domain.EventRecovered}, Kind: domain.DeliverNote},
		{
			Key:      "back",
			Title:    "mail on recovery",
			On:       []domain.EventKind{domain.EventRecovered},
			Kind:     domain.DeliverMessage,
			OnlyTold: true,
		},
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
	acked := shore()
	acked.Steps = append(
		acked.Steps,
		Step{
			Key:     "ack",
			Title:   "tell who took it",
			On:      []domain.EventKind{domain.EventAcknowledged},
			AtLeast: warning,
			Kind:    domain.DeliverMessage,
			To:      []string{a, b},
		},
	)
	actions, _ := Decide(acked, Event{Kind: domain.EventAcknowledged, Level: warning}, toldA)
	assert.Equal(t, []string{"ack " + a, "ack " + b}, keys(actions), "those who were told of the trouble hear of this, too")
	for name, c := range map[string]struct {
		ev   Event
		past Past
		want []string
	}{
		"a notice tells nobody": {Event{Kind: domain.EventAlert, Level: domain.LevelNotice}, Past{}, nil},
		"a warning mails":       {Event{Kind: domain.EventAlert, Level: warning}, Past{}, []string{"mail " + a, "mail " + b}},
		"critical also opens a ticket": {
			Event{Kind: domain.EventAlert, Level: critical}, Past{}, []string{"mail " + a, "mail " + b, "ticket desk"},
		},
		"the same level is not told twice": {Event{Kind: domain.EventAlert, Level: warning}, toldA, []string{"mail " + b}},
		"a worse level is": {
			Event{Kind: domain.EventRaised, Level: critical}, toldA, []string{"mail " + a, "mail " + b, "ticket desk"},
		},
		"never a second ticket": {
			Event{Kind: domain.EventRaised, Level: critical}, withTicket, []string{"mail " + a, "mail " + b},
		},
		"recovery to those told only": {Event{Kind: domain.EventRecovered, Level: warning}, toldA, []string{"back " + a}},
		"recovery notes the ticket": {
			Event{Kind: domain.EventRecovered, Level: critical}, withTicket, []string{"note desk", "back " + a},
		},
		"nobody told: nobody hears recovery": {Event{Kind: domain.EventRecovered, Level: domain.LevelNotice}, Past{}, nil},
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
	mail := field.Field{Kind: field.Text, Check: func(v string) string {
		if !strings.Contains(v, "@") {
			return "Must be an address."
		}
		return ""
	}}
	to, errs := Recipients("a@kittiwake.example, b@kittiwake.example\nc@kittiwake.example", mail)
	assert.Empty(t, errs)
	assert.Len(t, to, 3)
	for _, bad := range []string{"", " , ", "nobody", "a@kittiwake.example <x"} {
		_, errs = Recipients(bad, mail)
		assert.Contains(t, errs, "to", bad)
	}
}

// Told is what was told in the present episode: who heard of the one before
// is told of the next one anew.
func TestPastIsThatOfTheEpisode(t *testing.T) {
	at := time.Date(2026, 11, 25, 3, 40, 0, 0, time.UTC)
	in := domain.Incident{EpisodeAt: at}
	sent := func(step, to string, ev domain.EventKind, after time.Duration) domain.Delivery {
		return domain.Delivery{
			Plan:      "Shore desk",
			Step:      step,
			Recipient: to,
			Event:     ev,
			Level:     critical,
			Kind:      domain.DeliverMessage,
			CreatedAt: at.Add(after),
		}
	}
	past := PastOf(shore(), in, []domain.Delivery{sent("mail", "old", domain.EventAlert, -time.Second)})
	assert.Empty(t, past.Told, "the episode before")
	other := sent("mail", "x", domain.EventAlert, 0)
	other.Plan = "Another"
	past = PastOf(shore(), in, []domain.Delivery{other, sent("back", "x", domain.EventRecovered, time.Minute)})
	assert.Empty(t, past.Told, "another plan, and the end")
	past = PastOf(
		shore(),
		in,
		[]domain.Delivery{sent("mail", "a", domain.EventAlert, 0), sent("ack", "b", domain.EventAcknowledged, time.Minute)},
	)
	assert.Equal(t, map[string][]string{"mail": {"a"}, "ack": {"b"}}, past.Told)
	assert.Equal(
		t,
		map[string]domain.Level{"a": critical},
		past.ToldLevel,
		"who only heard that somebody took it on is still told when it gets worse",
	)
	assert.False(t, past.Ticket)
	ticket := domain.Delivery{Kind: domain.DeliverTicket, State: domain.DeliveryWaiting, CreatedAt: at.Add(-time.Hour)}
	assert.True(t, PastOf(shore(), in, []domain.Delivery{ticket}).Ticket, "a ticket is for the incident, whichever episode")
	ticket.State = domain.DeliveryFailed
	assert.False(t, PastOf(shore(), in, []domain.Delivery{ticket}).Ticket)
}

func TestSilenceIsExplained(t *testing.T) {
	_, trace := Decide(shore(), Event{Kind: domain.EventAlert, Level: domain.LevelNotice}, Past{})
	assert.Contains(t, trace.Facts[0].Detail, "acts from warning on")
	off := shore()
	off.Enabled = false
	actions, trace := Decide(off, Event{Kind: domain.EventAlert, Level: critical}, Past{})
	assert.Empty(t, actions)
	require.Len(t, trace.Facts, 1)
	assert.Contains(t, trace.Facts[0].Text, "switched off")
	empty := Plan{Enabled: true, Steps: []Step{{Title: "x", On: []domain.EventKind{domain.EventAlert}, Kind: domain.DeliverMessage}}}
	_, trace = Decide(empty, Event{Kind: domain.EventAlert, Level: critical}, Past{})
	assert.Contains(t, trace.Facts[0].Detail, "no recipient")
}

func TestTheAnswerCountsTheDeliveries(t *testing.T) {
	for level, want := range map[domain.Level]string{domain.LevelNotice: "0 deliveries", warning: "2 deliveries"} {
		_, trace := Decide(shore(), Event{Kind: domain.EventAlert, Level: level}, Past{})
		assert.Equal(t, want, trace.Answer)
	}
	one := Plan{Enabled: true, Steps: shore().Steps[1:2]}
	_, trace := Decide(one, Event{Kind: domain.EventAlert, Level: critical}, Past{})
	assert.Equal(t, "1 delivery", trace.Answer)
}

func TestAPlanMayBeForSomeTags(t *testing.T) {
	p := Plan{ID: 4, Name: "Night", Enabled: true, Tags: []string{"ferry stop", "night"}, Steps: Usual(1, 0, "a@kittiwake.example")}
	ev := Event{Kind: domain.EventAlert, Level: domain.LevelCritical}
	actions, trace := Decide(p, ev, Past{})
	assert.Empty(t, actions)
	assert.Equal(t, "nobody", trace.Answer)
	assert.Equal(t, "it is for incidents with #ferry stop or #night; this one has none", trace.Facts[0].Detail)
	ev.Tags = []string{"day", "spare"}
	_, trace = Decide(p, ev, Past{})
	assert.Equal(t, "it is for incidents with #ferry stop or #night; this one has #day, #spare", trace.Facts[0].Detail)
	ev.Tags = []string{"day", "night"}
	actions, _ = Decide(p, ev, Past{})
	assert.NotEmpty(t, actions, "one is enough")
	p.Tags = nil
	actions, _ = Decide(p, Event{Kind: domain.EventAlert, Level: domain.LevelCritical}, Past{})
	assert.NotEmpty(t, actions, "without tags it is for all")
}

package respond_test

import (
	"strings"
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
)

func TestWhatBelongsToAnIncident(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, time.Minute, false)))
	first, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	assert.Nil(t, first.Ticket, "it is on its way")
	assert.Empty(t, first.Earlier, "an incident is not its own forerunner")
	desk, err := w.store.Channels.Save(ctx, domain.Channel{Name: "Desk", Kind: "desk", Settings: map[string]string{}}, nil)
	require.NoError(t, err)
	require.NoError(t, w.store.Tickets.Save(ctx, domain.Ticket{IncidentID: first.ID, ChannelID: desk.ID, Number: "T-77", CreatedAt: now}))
	first, err = w.Incident(ctx, testkit.Anyone, first.ID)
	require.NoError(t, err)
	require.NotNil(t, first.Ticket)
	assert.Equal(t, "T-77", first.Ticket.Number)

	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 2*time.Hour, false)))
	second, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	require.NotEqual(t, first.ID, second.ID)
	require.Len(t, second.Earlier, 1)
	assert.Equal(t, first.ID, second.Earlier[0].ID)
	_, err = w.Incident(ctx, testkit.Anyone, 999)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestMessagesSayWhatFitsTheEvent(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Comment(ctx, testkit.Named("Ines"), w.incidents(t)[0].ID, "looking"))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 5*time.Minute, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 9*time.Minute, false)))
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	said := map[string]domain.Delivery{}
	for _, d := range in.Deliveries {
		said[string(d.Kind)+" "+string(d.Event)] = d
	}
	assert.Contains(t, said["message alert"].Body, "To do:     Is it powered?")
	assert.NotContains(t, said["message alert"].Body, "Until:")
	recovered := said["message recovered"].Body
	assert.Contains(t, recovered, "Until:     "+now.Add(5*time.Minute).Format("2006-01-02 15:04:05 UTC")+", 5 min\n")
	assert.NotContains(t, recovered, "To do:", "there is nothing to do any more")
	again := said["message reopened"]
	assert.Equal(t, "Critical again: np-edge-1 does not answer", again.Subject)
	assert.NotContains(t, again.Body, "Until:")
	note := said["note comment"].Body
	assert.True(t, strings.HasPrefix(note, "Ines commented: looking (Ines), at 20"), note)
	note = said["note recovered"].Body
	assert.NotContains(t, note, "(", "nobody did it")
	assert.NotContains(t, note, "\u00a0", "no-break spaces are for screens")
}

func TestTheOutboxIsWokenByWhatPeopleDo(t *testing.T) {
	w, ctx := setup(t), t.Context()
	woken := 0
	svc := respond.New(w.store, testkit.Desk(w.store), channelKinds, nil, "http://owl.example", func() { woken++ })
	require.NoError(t, svc.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	id := w.incidents(t)[0].ID
	before := woken
	require.NoError(t, svc.Comment(ctx, testkit.Named("Ines"), id, strings.Repeat("x", 10_000)), "the longest")
	assert.Equal(t, before+1, woken)
	assert.Error(t, svc.Comment(ctx, testkit.Named("Ines"), 999, "x"))
	assert.Equal(t, before+1, woken, "nothing happened")
}

// What helps follows from what asking the device meets: a closed port is another
// thing than silence.
func TestTheRunbookFollowsTheReason(t *testing.T) {
	w, ctx := setup(t), t.Context()
	refused := domain.Source{
		DeviceID: w.device.ID,
		Kit:      "k",
		Source:   "probe",
		State:    domain.SourceFailing,
		Error:    "nothing listens on the port 161 of 192.0.2.1",
		Failure:  "refused",
		Since:    now,
	}
	require.NoError(t, w.store.Sources.Set(ctx, []domain.Source{refused}))
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	body := in.Deliveries[0].Body
	assert.Contains(t, body, "Asking:    nothing listens on the port 161 of 192.0.2.1\n")
	assert.Contains(t, body, "To do:     The machine is up, but nothing listens on the port")
	assert.Contains(t, body, "Is it powered?", "what the rule says comes after it")
	hint, err := w.Hint(ctx, testkit.Anyone, w.device.ID, "other kit")
	require.NoError(t, err)
	assert.Equal(t, respond.Hint{}, hint)
	refused.State, refused.Error, refused.Failure = domain.SourceOK, "", ""
	require.NoError(t, w.store.Sources.Set(ctx, []domain.Source{refused}))
	hint, err = w.Hint(ctx, testkit.Anyone, w.device.ID, "k")
	require.NoError(t, err)
	assert.Equal(t, respond.Hint{}, hint)
	assert.Equal(t, "as the rule says", hint.Runbook("as the rule says"))
}

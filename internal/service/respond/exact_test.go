package respond_test

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
)

// The answer to a record may be lost on its way: it is asked for again with
// its number, and must not be there twice; nothing that comes later is lost.
func TestANumberIsRecordedOnce(t *testing.T) {
	w, ctx := setup(t), t.Context()
	bad := w.change(0, domain.LevelCritical, 0, false)
	for range 3 {
		require.NoError(t, w.Record(ctx, 7, bad))
	}
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	assert.Len(t, in.Alerts, 1)
	assert.Len(t, in.Events, 2)
	changes, err := w.store.Transitions.Find(ctx, domain.TransitionFilter{DeviceID: w.device.ID})
	require.NoError(t, err)
	assert.Len(t, changes, 1)
	require.NoError(t, w.Record(ctx, 8, w.change(domain.LevelCritical, 0, time.Minute, false)))
	assert.Equal(t, domain.IncidentResolved, w.incidents(t)[0].State)
	last, err := w.store.Settings.Get(ctx, respond.Recorded)
	require.NoError(t, err)
	assert.Equal(t, "8", last)
}

// A number of what could not be kept is free: the next try keeps it.
func TestANumberOfAFailedRecordIsFree(t *testing.T) {
	w, ctx := setup(t), t.Context()
	broken := w.change(0, domain.LevelCritical, 0, false)
	broken.Judged[0].Series.ID = 9999 // gone meanwhile
	assert.Error(t, w.Record(ctx, 3, broken))
	assert.Empty(t, w.incidents(t))
	require.NoError(t, w.Record(ctx, 3, w.change(0, domain.LevelCritical, 0, false)))
	assert.Len(t, w.incidents(t), 1)
}

// People act while judging goes on: neither may undo what the other wrote.
func TestNobodysChangeIsLost(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelWarning, 0, false)))
	id := w.incidents(t)[0].ID
	var all sync.WaitGroup
	all.Go(func() {
		for i := range 20 {
			from, to := domain.LevelWarning, domain.LevelCritical
			if i%2 == 1 {
				from, to = to, from
			}
			assert.NoError(t, w.Record(ctx, 0, w.change(from, to, time.Duration(i+1)*time.Minute, false)))
		}
	})
	for _, name := range []string{"Ines", "Marek"} {
		all.Go(func() {
			assert.NoError(t, w.Acknowledge(ctx, testkit.Named(name), id))
			for i := range 10 {
				assert.NoError(t, w.Comment(ctx, testkit.Named(name), id, fmt.Sprint("look ", i)))
			}
		})
	}
	all.Wait()
	in, err := w.Incident(ctx, testkit.Anyone, id)
	require.NoError(t, err)
	assert.Equal(t, domain.IncidentAcknowledged, in.State)
	assert.Equal(t, domain.LevelWarning, in.Level, "as the last change left it")
	assert.Equal(t, domain.LevelCritical, in.Worst)
	count := map[domain.EventKind]int{}
	for _, e := range in.Events {
		count[e.Kind]++
	}
	assert.Equal(t, map[domain.EventKind]int{domain.EventFirstBad: 1, domain.EventAlert: 1, domain.EventRaised: 10, domain.EventEased: 10,
		domain.EventAcknowledged: 1, domain.EventComment: 20}, count)
}

// Looking at an incident waits for nobody who changes it.
func TestLookingTakesNoLock(t *testing.T) {
	w := setup(t)
	require.NoError(t, w.Record(t.Context(), 0, w.change(0, domain.LevelCritical, 0, false)))
	id := w.incidents(t)[0].ID
	require.NoError(t, w.store.InTx(t.Context(), func(tx *store.Areas) error {
		if _, err := tx.Incidents.Lock(t.Context(), id); err != nil {
			return err
		}
		ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
		defer cancel()
		_, err := w.Incident(ctx, testkit.Anyone, id)
		return err
	}))
}

func TestAMessageCountsAllTimesBefore(t *testing.T) {
	w, ctx := setup(t), t.Context()
	for i := range 27 {
		at := time.Duration(i) * 3 * time.Hour
		require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, at, false)))
		require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, at+time.Minute, false)))
	}
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 100*time.Hour, false)))
	list, _, err := w.store.Incidents.Find(ctx, domain.IncidentFilter{Sort: "-opened", Limit: 1})
	require.NoError(t, err)
	in, err := w.Incident(ctx, testkit.Anyone, list[0].ID)
	require.NoError(t, err)
	assert.Contains(t, in.Deliveries[0].Body, "27 times")
}

// One of two alerts ends: the incident lasts, and nobody hears of a recovery.
func TestAnIncidentLastsAsLongAsAnyOfItsAlerts(t *testing.T) {
	w, ctx := setup(t), t.Context()
	other := w
	other.rule.ID, other.rule.Name = 0, "Loses requests"
	var err error
	other.rule, err = w.store.Rules.Save(ctx, other.rule)
	require.NoError(t, err)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, other.change(0, domain.LevelWarning, time.Minute, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 2*time.Minute, false)))
	list := w.incidents(t)
	require.Len(t, list, 1, "one cause, one incident")
	assert.Equal(t, domain.IncidentOpen, list[0].State)
	assert.True(t, list[0].RecoveredAt.IsZero())
	in, err := w.Incident(ctx, testkit.Anyone, list[0].ID)
	require.NoError(t, err)
	events, deliveries := kinds(in)
	assert.Equal(t, []string{"first bad value", "alert", "first bad value", "alert", "eased"}, events)
	assert.Equal(t, []string{"message alert", "ticket alert"}, deliveries)
	require.NoError(t, w.Record(ctx, 0, other.change(domain.LevelWarning, 0, 3*time.Minute, false)))
	assert.Equal(t, domain.IncidentResolved, w.incidents(t)[0].State)
}

// The recovery is told to those who heard of this trouble, not to those who
// heard of an earlier one that the incident had.
func TestRecoveryIsToldToThoseWhoHeardOfThisEpisode(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, time.Minute, false)))
	plans, err := w.store.Plans.All(ctx)
	require.NoError(t, err)
	p := plans[0]
	p.Steps[0].To = []string{"b@kittiwake.example"}
	_, err = w.store.Plans.Save(ctx, p)
	require.NoError(t, err)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 10*time.Minute, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 11*time.Minute, false)))
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	require.Equal(t, 1, in.Reopened)
	var heard []string
	for _, d := range in.Deliveries {
		if d.Event == domain.EventRecovered && d.Kind == domain.DeliverMessage {
			heard = append(heard, d.Recipient)
		}
	}
	assert.Equal(t, []string{"a@kittiwake.example", "b@kittiwake.example"}, heard, "each hears of the end of what he heard of")
}

func TestAcknowledgementIsToldToThoseAlreadyTold(t *testing.T) {
	w, ctx := setup(t), t.Context()
	plans, err := w.store.Plans.All(ctx)
	require.NoError(t, err)
	p := plans[0]
	p.Steps = append(
		p.Steps,
		plan.Step{Key: "taken", Title: "who took it", On: []domain.EventKind{domain.EventAcknowledged}, AtLeast: domain.LevelWarning,
			Kind: domain.DeliverMessage, To: []string{"a@kittiwake.example"}},
	)
	_, err = w.store.Plans.Save(ctx, p)
	require.NoError(t, err)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	id := w.incidents(t)[0].ID
	require.NoError(t, w.Acknowledge(ctx, testkit.Named("Ines"), id))
	in, err := w.Incident(ctx, testkit.Anyone, id)
	require.NoError(t, err)
	_, deliveries := kinds(in)
	assert.Contains(t, deliveries, "message acknowledged")
}

// noted tries nothing and remembers what it was given.
type noted struct{ opened channel.Opened }

func (n *noted) Try(_ context.Context, _ string, at channel.Opened, _ string) (string, error) {
	n.opened = at
	return "accepted", nil
}

// A secret must not be sent to where somebody without it points the channel.
func TestSecretsDoNotFollowAChangedAddress(t *testing.T) {
	w, ctx := setup(t), t.Context()
	tryer := &noted{}
	svc := respond.New(w.store, testkit.Desk(w.store), channelKinds, tryer, "", func() {})
	safe, err := svc.AddChannel(ctx, testkit.Anyone, "safe")
	require.NoError(t, err)
	var fields domain.FieldErrors
	require.ErrorAs(t, svc.SaveChannel(ctx, testkit.Anyone, safe.ID, 0, nil), &fields)
	assert.Contains(t, fields["key"], "Must be set", "there is none yet")
	require.NoError(t, svc.SaveChannel(ctx, testkit.Anyone, safe.ID, 0, map[string]string{"key": "k"}))
	require.NoError(t, svc.SaveChannel(ctx, testkit.Anyone, safe.ID, 0, nil), "now there is one")
	c, err := svc.AddChannel(ctx, testkit.Anyone, "mail")
	require.NoError(t, err)
	assert.Equal(t, "25", c.Settings["port"], "the usual settings are filled in")
	second, err := svc.AddChannel(ctx, testkit.Anyone, "mail")
	require.NoError(t, err)
	assert.Equal(t, "Mail 2", second.Name)
	_, err = svc.AddChannel(ctx, testkit.Anyone, "pigeon")
	assert.ErrorIs(t, err, domain.ErrNotFound)

	set := func(values map[string]string) error { return svc.SaveChannel(ctx, testkit.Anyone, c.ID, 0, values) }
	require.NoError(t, set(map[string]string{"host": "mail.kittiwake.example", "port": "25", "password": "harbour"}))
	require.NoError(t, set(map[string]string{"host": "mail.kittiwake.example", "port": "587"}), "what is left empty stays")
	require.ErrorAs(t, set(map[string]string{"host": "mail.elsewhere.example", "port": "587"}), &fields)
	assert.Contains(t, fields["password"], "Type it again")
	require.ErrorAs(t, set(map[string]string{"host": "", "port": "x"}), &fields)
	assert.Contains(t, fields["host"], "Must be set")
	assert.Contains(t, fields["port"], "1 to 65535")
	require.ErrorAs(
		t,
		set(map[string]string{"host": "mail.kittiwake.example", "port": "587", "password": strings.Repeat("x", field.MaxText+1)}),
		&fields,
	)
	assert.Contains(t, fields["password"], "At most")
	outcome, err := svc.TryChannel(ctx, testkit.Anyone, c.ID, "a@kittiwake.example")
	require.NoError(t, err)
	assert.Equal(t, "accepted", outcome)
	assert.Equal(t, "mail.kittiwake.example", tryer.opened.Settings["host"], "nothing wrong was stored")
	assert.Equal(t, "harbour", tryer.opened.Secrets["password"].Reveal())
	require.NoError(t, set(map[string]string{"host": "mail.elsewhere.example", "port": "587", "password": "other"}))
	_, err = svc.TryChannel(ctx, testkit.Anyone, c.ID, "nobody")
	require.ErrorAs(t, err, &fields)
	_, err = svc.TryChannel(ctx, testkit.Anyone, 999, "a@kittiwake.example")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

package respond_test

import (
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// channelKinds are a kind that takes messages and one that takes tickets.
var channelKinds = channel.Kinds{
	{Name: "mail", Title: "Mail", Carries: []domain.DeliveryKind{domain.DeliverMessage}, Settings: []field.Field{
		{
			Name:        "host",
			Label:       "Server",
			Kind:        field.Text,
			Required:    true,
			Destination: true,
		}, field.Port("Port", "25"), {Name: "password", Label: "Password", Kind: field.Secret}},
		Recipient: &field.Field{Name: "to", Kind: field.Text, Required: true, Check: func(v string) string {
			if !strings.Contains(v, "@") {
				return "Must be an address."
			}
			return ""
		}}},
	{Name: "desk", Title: "Ticket desk", Carries: []domain.DeliveryKind{domain.DeliverTicket, domain.DeliverNote}},
	{Name: "safe", Title: "Safe", Settings: []field.Field{{Name: "key", Label: "Key", Kind: field.Secret, Required: true}}},
	{Name: "wall", Title: "Wall", Carries: []domain.DeliveryKind{domain.DeliverMessage}},
}

func TestMain(m *testing.M) { testkit.Main(m) }

var now = time.Now().UTC().Truncate(time.Minute)

// world is a device with a loss series, a rule on it, and a plan.
type world struct {
	*respond.Service
	store  *store.Store
	rule   rule.Rule
	device estate.Device
	series estate.Series
}

func setup(t *testing.T) world {
	t.Helper()
	s, ctx := testkit.Store(t), t.Context()
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "np-edge-1", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: now},
		"",
		nil,
	)
	require.NoError(t, err)
	series, err := s.Series.Add(
		ctx,
		[]domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "loss", Name: "Loss", Unit: "%", Interval: 15 * time.Second}},
	)
	require.NoError(t, err)
	r, err := s.Rules.Save(
		ctx,
		rule.Rule{
			Name:    "Does not answer",
			Title:   "{device} does not answer",
			Kit:     "k",
			Reading: "loss",
			Unit:    "%",
			Cause:   "reach",
			Runbook: "Is it powered?",
			Enabled: true,
			Condition: &limit.Condition{
				Side: limit.Above, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 1},
				Limits: map[domain.Level]limit.Limit{domain.LevelCritical: {Raise: 99, Recover: 50}}},
		},
	)
	require.NoError(t, err)
	trouble := []domain.EventKind{domain.EventAlert, domain.EventRaised, domain.EventReopened}
	_, err = s.Plans.Save(ctx, plan.Plan{Name: "Shore", Enabled: true, Steps: []plan.Step{
		{
			Key:     "tell",
			Title:   "mail",
			On:      trouble,
			AtLeast: domain.LevelWarning,
			Kind:    domain.DeliverMessage,
			To:      []string{"a@kittiwake.example"},
		},
		{Key: "ticket", Title: "ticket", On: trouble, AtLeast: domain.LevelCritical, Kind: domain.DeliverTicket},
		{Key: "note", Title: "note", On: []domain.EventKind{domain.EventRecovered, domain.EventComment}, Kind: domain.DeliverNote},
		{Key: "back", Title: "back", On: []domain.EventKind{domain.EventRecovered}, Kind: domain.DeliverMessage, OnlyTold: true},
	}})
	require.NoError(t, err)
	return world{
		respond.New(s, testkit.Desk(s), channelKinds, nil, "http://owl.example", func() {}),
		s,
		r,
		estate.Device{ID: d.ID, Name: d.Name},
		estate.Series{ID: series[0].ID, DeviceID: d.ID, Kit: "k", Reading: "loss", Name: "Loss", Unit: "%", Every: 15 * time.Second},
	}
}

func (w world) change(from, to domain.Level, after time.Duration, held bool) estate.Result {
	return estate.Result{Judged: []estate.Judged{{Rule: w.rule, Series: w.series, Device: w.device, From: from, To: to, At: now.Add(after),
		FirstBadAt: now.Add(after - 15*time.Second), Value: 100, Limit: 99, Says: "100\u00a0%, limit 99\u00a0%", Held: held}}}
}

func (w world) incidents(t *testing.T) []domain.Incident {
	t.Helper()
	list, _, err := w.store.Incidents.Find(t.Context(), domain.IncidentFilter{})
	require.NoError(t, err)
	return list
}

func kinds(in respond.Dossier) (events, deliveries []string) {
	for _, e := range in.Events {
		events = append(events, string(e.Kind))
	}
	for _, d := range in.Deliveries {
		deliveries = append(deliveries, string(d.Kind)+" "+string(d.Event))
	}
	return events, deliveries
}

func TestTroubleAndRecoveryTellTheWholeStory(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, 5*time.Minute, false)))
	list := w.incidents(t)
	require.Len(t, list, 1)
	assert.Equal(t, domain.IncidentResolved, list[0].State)
	assert.Equal(t, "recovery", list[0].ResolvedBy)
	in, err := w.Incident(ctx, testkit.Anyone, list[0].ID)
	require.NoError(t, err)
	events, deliveries := kinds(in)
	assert.Equal(t, []string{"first bad value", "alert", "recovered"}, events)
	assert.Equal(t, []string{"message alert", "ticket alert", "note recovered", "message recovered"}, deliveries)
	body := in.Deliveries[0].Body
	for _, want := range []string{"100 %, limit 99 %", "np-edge-1", "never", "Is it powered?", "http://owl.example/incidents/"} {
		assert.Contains(t, body, want)
	}
	assert.Equal(t, "Critical: np-edge-1 does not answer", in.Deliveries[0].Subject)
	assert.True(t, strings.HasPrefix(in.Deliveries[3].Subject, "Recovered: "))
	assert.NotEmpty(t, in.Deliveries[0].Why.Facts)
	assert.False(t, in.Alerts[0].EndedAt.IsZero())
}

// What is open about a device that is removed is over, and its ticket hears of it;
// what was judged just before begins nothing.
func TestRemovalEndsWhatIsOpen(t *testing.T) {
	w, ctx := setup(t), t.Context()
	plans, err := w.store.Plans.All(ctx)
	require.NoError(t, err)
	plans[0].Steps[2].On = append(plans[0].Steps[2].On, domain.EventResolved)
	_, err = w.store.Plans.Save(ctx, plans[0])
	require.NoError(t, err)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	d, err := w.store.Devices.One(ctx, w.device.ID)
	require.NoError(t, err)
	require.NoError(t, w.store.InTx(ctx, func(tx *store.Areas) error {
		if err := tx.Devices.Remove(ctx, d.ID, now); err != nil {
			return err
		}
		return w.EndOf(ctx, tx, d, now.Add(time.Minute))
	}))
	list := w.incidents(t)
	require.Len(t, list, 1)
	assert.Equal(
		t,
		[]any{domain.IncidentResolved, "removal of the device", domain.LevelCritical},
		[]any{list[0].State, list[0].ResolvedBy, list[0].Level},
	)
	in, err := w.Incident(ctx, testkit.Anyone, list[0].ID)
	require.NoError(t, err)
	events, deliveries := kinds(in)
	assert.Equal(t, []string{"first bad value", "alert", "resolved"}, events)
	assert.Equal(t, []string{"message alert", "ticket alert", "note resolved"}, deliveries)
	assert.Contains(t, in.Deliveries[2].Body, "np-edge-1 is no longer watched")

	late := w.change(0, domain.LevelCritical, 2*time.Minute, false)
	late.Health = []estate.HealthChange{{Device: w.device, To: domain.Critical, At: now}}
	require.NoError(t, w.Record(ctx, 0, late))
	assert.Len(t, w.incidents(t), 1)
	states, err := w.store.Rules.States(ctx)
	require.NoError(t, err)
	assert.Empty(t, states)
}

func TestTroubleThatReturnsReopens(t *testing.T) {
	w, ctx := setup(t), t.Context()
	for i := range 3 {
		at := time.Duration(i) * 10 * time.Minute
		require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, at, false)))
		require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, at+time.Minute, false)))
	}
	list := w.incidents(t)
	require.Len(t, list, 1)
	assert.Equal(t, 2, list[0].Reopened)
	in, _ := w.Incident(ctx, testkit.Anyone, list[0].ID)
	_, deliveries := kinds(in)
	tickets := 0
	for _, d := range deliveries {
		if strings.HasPrefix(d, "ticket ") {
			tickets++
		}
	}
	assert.Equal(t, 1, tickets, "never a second ticket: %v", deliveries)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, time.Hour, false)))
	assert.Len(t, w.incidents(t), 2, "an hour later it is another incident")
}

func TestOutOfReachRaisesNothing(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, true)))
	require.NoError(t, w.Record(ctx, 0, w.change(domain.LevelCritical, 0, time.Minute, true)))
	assert.Empty(t, w.incidents(t))
	changes, err := w.store.Transitions.Find(ctx, domain.TransitionFilter{DeviceID: w.device.ID})
	require.NoError(t, err)
	require.Len(t, changes, 2)
	assert.True(t, changes[0].Held, "but it is recorded, and why")
}

func TestPastTellsNobody(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Past().Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	assert.Empty(t, in.Deliveries)
}

func TestHandling(t *testing.T) {
	w, ctx := setup(t), t.Context()
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	id := w.incidents(t)[0].ID
	require.NoError(t, w.Acknowledge(ctx, testkit.Named("Ines"), id))
	require.NoError(t, w.Acknowledge(ctx, testkit.Named("Marek"), id), "twice changes nothing")
	var fields domain.FieldErrors
	assert.ErrorAs(t, w.Comment(ctx, testkit.Named("Ines"), id, "  "), &fields)
	assert.ErrorAs(t, w.Comment(ctx, testkit.Named("Ines"), id, strings.Repeat("x", 10_001)), &fields)
	require.NoError(t, w.Comment(ctx, testkit.Named("Ines"), id, "looking"))
	require.NoError(t, w.Resolve(ctx, testkit.Named("Ines"), id, ""))
	assert.ErrorIs(t, w.Acknowledge(ctx, testkit.Named("Ines"), id), domain.ErrConflict)
	assert.ErrorIs(t, w.Acknowledge(ctx, testkit.Named("Ines"), 999), domain.ErrNotFound)
	in, err := w.Incident(ctx, testkit.Anyone, id)
	require.NoError(t, err)
	assert.Equal(t, "Ines", in.AcknowledgedBy)
	events, _ := kinds(in)
	assert.Equal(t, []string{"first bad value", "alert", "acknowledged", "comment", "resolved"}, events)
}

func TestPlanSwitchedOff(t *testing.T) {
	w, ctx := setup(t), t.Context()
	plans, err := w.Plans(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.NoError(t, w.SetPlanEnabled(ctx, testkit.Anyone, plans[0].ID, false))
	assert.ErrorIs(t, w.SetPlanEnabled(ctx, testkit.Anyone, 999, true), domain.ErrNotFound)
	require.NoError(t, w.Record(ctx, 0, w.change(0, domain.LevelCritical, 0, false)))
	in, err := w.Incident(ctx, testkit.Anyone, w.incidents(t)[0].ID)
	require.NoError(t, err)
	assert.Empty(t, in.Deliveries)
	last := in.Events[len(in.Events)-1].Why
	require.NotEmpty(t, last.Facts)
	assert.Contains(t, last.Facts[0].Facts[0].Text, "switched off", "silence is explained")
}

package respond_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/testkit"
)

func TestTheUsualPlanTellsNobodyUntilSomebodyIsNamed(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	woken := 0
	svc := respond.New(s, testkit.Desk(s), channelKinds, nil, "http://owl.example", func() { woken++ })
	_, err := svc.MakePlan(ctx, testkit.Anyone)
	assert.ErrorIs(t, err, domain.ErrConflict, "a channel first")
	mail, err := s.Channels.Save(ctx, domain.Channel{Name: "Mail", Kind: "mail", Settings: map[string]string{}}, nil)
	require.NoError(t, err)
	_, err = s.Channels.Save(ctx, domain.Channel{Name: "Mail 2", Kind: "mail", Settings: map[string]string{}}, nil)
	require.NoError(t, err)
	_, err = svc.MakePlan(ctx, testkit.Anyone)
	require.NoError(t, err)
	plans, err := svc.Plans(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.Len(t, plans, 1)
	assert.False(t, plans[0].Enabled)
	for _, step := range plans[0].Steps {
		assert.Equal(t, mail.ID, step.ChannelID, "the first of its kind; no desk, no ticket steps")
	}
	id := plans[0].ID
	var fields domain.FieldErrors
	nobody := respond.Audience{To: "nobody, a@kittiwake.example", From: domain.LevelNotice}
	require.ErrorAs(t, svc.SetAudience(ctx, testkit.Anyone, id, nobody), &fields)
	assert.Contains(t, fields["to"], "nobody")
	audience := respond.Audience{To: "a@kittiwake.example; b@kittiwake.example", From: domain.LevelNotice, Tags: "a=b"}
	assert.ErrorContains(t, svc.SetAudience(ctx, testkit.Anyone, id, audience), "is no tag")
	audience.Tags = "#night, ferry stop"
	require.NoError(t, svc.SetAudience(ctx, testkit.Anyone, id, audience))
	tagged, err := svc.Plans(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, []string{"ferry stop", "night"}, tagged[0].Tags)
	audience.Version = tagged[0].Version - 1
	assert.ErrorIs(t, svc.SetAudience(ctx, testkit.Anyone, id, audience), domain.ErrChanged, "somebody was faster")
	audience.Version = tagged[0].Version
	require.NoError(t, svc.SetAudience(ctx, testkit.Anyone, id, audience))
	values := map[string]string{"host": "127.0.0.1", "port": "25", "from": "owl@kittiwake.example", "encryption": "none"}
	require.NoError(t, svc.SaveChannel(ctx, testkit.Anyone, mail.ID, mail.Version, values))
	assert.ErrorIs(t, svc.SaveChannel(ctx, testkit.Anyone, mail.ID, mail.Version, values), domain.ErrChanged)
	audience.Version = 0
	plans, err = svc.Plans(ctx, testkit.Anyone)
	require.NoError(t, err)
	told := 0
	for _, step := range plans[0].Steps {
		if len(step.To) > 0 {
			told++
			assert.Equal(t, domain.LevelNotice, step.AtLeast)
		}
	}
	assert.Equal(t, 1, told, "recovery goes to those who were told")
	assert.ErrorIs(t, svc.SetAudience(ctx, testkit.Anyone, 999, audience), domain.ErrNotFound)
	assert.ErrorIs(t, svc.SetPlanEnabled(ctx, testkit.Anyone, 999, true), domain.ErrNotFound)
}

// A channel that has no recipients of its own tells everyone who looks at it.
func TestTheUsualPlanForAChannelWithoutRecipients(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := respond.New(s, testkit.Desk(s), channelKinds, nil, "http://owl.example", func() {})
	_, err := s.Channels.Save(ctx, domain.Channel{Name: "Wall", Kind: "wall", Settings: map[string]string{}}, nil)
	require.NoError(t, err)
	_, err = svc.MakePlan(ctx, testkit.Anyone)
	require.NoError(t, err)
	plans, err := svc.Plans(ctx, testkit.Anyone)
	require.NoError(t, err)
	require.NotEmpty(t, plans[0].Steps)
	assert.Equal(t, []string{"everyone"}, plans[0].Steps[0].To)
}

func TestRetryWakesTheOutbox(t *testing.T) {
	w, ctx := setup(t), t.Context()
	woken := 0
	svc := respond.New(w.store, testkit.Desk(w.store), channelKinds, nil, "http://owl.example", func() { woken++ })
	assert.ErrorIs(t, svc.Retry(ctx, testkit.Anyone, 999), domain.ErrNotFound)
	in, err := w.store.Incidents.Save(
		ctx,
		domain.Incident{
			DeviceID:  w.device.ID,
			Cause:     "c",
			Title:     "t",
			Level:     domain.LevelCritical,
			State:     domain.IncidentOpen,
			OpenedAt:  now,
			EpisodeAt: now,
		},
	)
	require.NoError(t, err)
	d, err := w.store.Deliveries.Add(
		ctx,
		domain.Delivery{IncidentID: in.ID, Kind: domain.DeliverMessage, Recipient: "a@kittiwake.example", CreatedAt: now},
	)
	require.NoError(t, err)
	d.State, d.DoneAt, d.NextTryAt = domain.DeliveryFailed, now, now
	require.NoError(t, w.store.Deliveries.Finish(ctx, d))
	before := woken
	require.NoError(t, svc.Retry(ctx, testkit.Anyone, d.ID))
	assert.Greater(t, woken, before)
	got, err := w.store.Deliveries.One(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.DeliveryWaiting, got.State)
	assert.WithinDuration(t, time.Now(), got.NextTryAt, time.Minute)
}

package engine_test

import (
	"context"
	"crypto/rand"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/spill"
)

func spillFile(t *testing.T, path string) *spill.File {
	t.Helper()
	f, _, err := spill.Open(path, spill.Options{Limit: 1 << 20})
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	return f
}

// due is a message that waits for a channel, which is made when it has no id.
func due(t *testing.T, w world, ch domain.ID) domain.Delivery {
	t.Helper()
	in, err := w.store.Incidents.Save(
		t.Context(),
		domain.Incident{DeviceID: w.device.ID, Cause: rand.Text(), Title: "t", Level: 3, State: domain.IncidentOpen,
			OpenedAt: time.Now(), EpisodeAt: time.Now()},
	)
	require.NoError(t, err)
	d, err := w.store.Deliveries.Add(
		t.Context(),
		domain.Delivery{
			IncidentID: in.ID,
			ChannelID:  ch,
			Kind:       domain.DeliverMessage,
			Recipient:  "a@kittiwake.example",
			CreatedAt:  time.Now().Add(-time.Second),
		},
	)
	require.NoError(t, err)
	return d
}

func channelNamed(t *testing.T, s *store.Store, name string) domain.ID {
	t.Helper()
	ch, err := s.Channels.Save(t.Context(), domain.Channel{Name: name, Kind: "mail", Settings: map[string]string{}}, nil)
	require.NoError(t, err)
	return ch.ID
}

// What became of an attempt is kept before anything else: whoever is killed while
// the database is away does not send again.
func TestADecisionSurvivesTheDatabaseAndUs(t *testing.T) {
	w, path := setup(t), filepath.Join(t.TempDir(), "sent")
	d := due(t, w, 0)
	f := &flaky{done: map[domain.ID]int{}}
	w.exec(
		t,
		"CREATE FUNCTION away() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'no room' USING ERRCODE = '53100'; END $$",
	)
	w.exec(t, "CREATE TRIGGER away BEFORE UPDATE OF done_at ON deliveries FOR EACH ROW EXECUTE FUNCTION away()")
	file := spillFile(t, path)
	o := engine.NewOutbox(w.store, f, engine.NewHub(), engine.NewClock(nil), file, quiet)
	o.Start(t.Context())
	require.Eventually(t, func() bool { return file.Len() == 1 }, 10*time.Second, 10*time.Millisecond)
	o.Stop()
	assert.Equal(t, domain.DeliveryWaiting, state(t, w.store, d.ID).State, "the database does not know of it")
	require.NoError(t, file.Close())

	w.exec(t, "DROP TRIGGER away ON deliveries")
	again := spillFile(t, path)
	o = engine.NewOutbox(w.store, f, engine.NewHub(), engine.NewClock(nil), again, quiet)
	o.Start(t.Context())
	t.Cleanup(o.Stop)
	require.Eventually(t, func() bool { return state(t, w.store, d.ID).State == domain.DeliverySent }, 10*time.Second, 10*time.Millisecond)
	assert.Equal(t, "ok", state(t, w.store, d.ID).Outcome)
	assert.Equal(t, 1, f.done[d.ID])
	require.Eventually(t, func() bool { return again.Len() == 0 }, 10*time.Second, 10*time.Millisecond)
}

// Whoever had a delivery when he was killed is gone: the next start takes it at once.
func TestALeaseEndsWithItsOwner(t *testing.T) {
	w := setup(t)
	d := due(t, w, 0)
	claimed, err := w.store.Deliveries.Claim(t.Context(), 0, time.Now(), time.Hour, 5, nil)
	require.NoError(t, err)
	require.Len(t, claimed, 1)
	f := &flaky{done: map[domain.ID]int{}}
	o := engine.NewOutbox(w.store, f, engine.NewHub(), engine.NewClock(nil), nil, quiet)
	o.Start(t.Context())
	t.Cleanup(o.Stop)
	require.Eventually(t, func() bool { return state(t, w.store, d.ID).State == domain.DeliverySent }, 10*time.Second, 10*time.Millisecond)
	assert.Equal(t, 2, state(t, w.store, d.ID).Attempts)
}

// thinking is a channel that takes its time, until we give it up.
type thinking struct {
	slow  domain.ID
	began atomic.Int64
	ended atomic.Int64
}

func (x *thinking) Deliver(ctx context.Context, d domain.Delivery) (channel.Receipt, bool, error) {
	if d.ChannelID == x.slow {
		x.began.Add(1)
		<-ctx.Done()
		x.ended.Add(1)
		return channel.Receipt{}, false, ctx.Err()
	}
	return channel.Receipt{Outcome: "ok"}, false, nil
}

// A server that thinks for minutes delays nobody else, and our end not for long.
func TestASlowChannelDelaysNoOther(t *testing.T) {
	w := setup(t)
	x := &thinking{slow: channelNamed(t, w.store, "slow")}
	quick := channelNamed(t, w.store, "quick")
	for range 25 {
		due(t, w, x.slow)
	}
	d := due(t, w, quick)
	o := engine.NewOutbox(w.store, x, engine.NewHub(), engine.NewClock(nil), nil, quiet)
	o.Start(t.Context())
	require.Eventually(
		t,
		func() bool { return state(t, w.store, d.ID).State == domain.DeliverySent && x.began.Load() == 10 },
		10*time.Second,
		10*time.Millisecond,
	)
	later := due(t, w, quick)
	o.Wake()
	require.Eventually(
		t,
		func() bool { return state(t, w.store, later.ID).State == domain.DeliverySent },
		10*time.Second,
		10*time.Millisecond,
	)
	began := time.Now()
	o.Stop()
	assert.Less(t, time.Since(began), 9*time.Second)
	assert.Equal(t, int64(10), x.ended.Load(), "at most so many at once, and each had an end")
}

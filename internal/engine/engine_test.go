package engine_test

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/netip"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// script answers fetches as a test wants.
type script struct {
	mu     sync.Mutex
	answer func(r way.Question, n int) derive.Fetched
	counts map[string]int
}

func (s *script) Ask(_ context.Context, r way.Question) derive.Fetched {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.counts[r.Key]++
	got := s.answer(r, s.counts[r.Key])
	if got.At.IsZero() {
		got.At = time.Now()
	}
	return got
}

type world struct {
	store     *store.Store
	kits      *collect.Service
	collector *engine.Collector
	fetcher   *script
	device    domain.Device
}

func setup(t *testing.T, names ...string) world {
	t.Helper()
	s, ctx := testkit.Store(t), t.Context()
	svc := testkit.Kits(t, s)
	require.NoError(t, svc.Load(ctx))
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	for _, n := range names {
		require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: n}))
	}
	f := &script{counts: map[string]int{}}
	judge := engine.NewJudge(s, respond.New(s, nil, nil, nil, "http://owl.example", func() {}), engine.NewHub(), quiet)
	return world{s, svc, engine.NewCollector(s, svc, f, judge, engine.Files{}, quiet), f, d}
}

func (w world) start(t *testing.T, answer func(way.Question, int) derive.Fetched) {
	t.Helper()
	w.fetcher.answer = answer
	require.NoError(t, w.collector.Start(t.Context()))
	t.Cleanup(w.collector.Stop)
	require.NoError(t, w.collector.Reload(t.Context(), w.device.ID))
	w.collector.CollectNow(w.device.ID, "")
}

func (w world) series(t *testing.T) map[string]domain.Series {
	t.Helper()
	list, err := w.store.Series.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	parts, err := w.store.Parts.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	names := map[domain.ID]string{}
	for _, p := range parts {
		names[p.ID] = p.Name + "/"
	}
	out := map[string]domain.Series{}
	for _, x := range list {
		out[names[x.PartID]+x.Reading] = x
	}
	return out
}

func text(s string) derive.Value    { return derive.Value{Kind: derive.Text, Text: s} }
func num(v float64) derive.Value    { return derive.Value{Kind: derive.Gauge, Num: v} }
func count(n uint64) derive.Value   { return derive.Value{Kind: derive.Counter64, Count: n} }
func count32(n uint64) derive.Value { return derive.Value{Kind: derive.Counter32, Count: n} }

// port is a row in the order of the columns of the interfaces kit.
func port(index, name string, kind float64, octets uint64) derive.Row {
	return derive.Row{
		Index: index,
		Values: []derive.Value{text(name), num(kind), num(1), num(1), count32(octets), count32(0), count32(0), count32(0),
			text(name), count(octets), count(octets * 2), num(1000), text("")},
	}
}

func TestRowsBecomePartsWithRates(t *testing.T) {
	w := setup(t, "interfaces")
	t0 := time.Now().UTC().Add(-2 * time.Minute)
	w.start(t, func(_ way.Question, n int) derive.Fetched {
		at := t0.Add(time.Duration(n) * time.Minute)
		return derive.Fetched{
			At:          at,
			Uptime:      uint32(n * 6000),
			UptimeKnown: true,
			Rows:        []derive.Row{port("1", "lo", 24, 5), port("2", "lan1", 6, uint64(n)*750_000)},
		}
	})
	require.Eventually(
		t,
		func() bool { return len(w.series(t)) == 5 },
		10*time.Second,
		50*time.Millisecond,
		"five readings of lan1, none of the loopback",
	)
	require.Eventually(t, func() bool { return w.series(t)["lan1/state"].State == domain.SeriesOK }, 10*time.Second, 50*time.Millisecond)
	assert.Equal(t, domain.SeriesWaiting, w.series(t)["lan1/in"].State, "a rate waits for the second look")
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return w.series(t)["lan1/in"].State == domain.SeriesOK }, 10*time.Second, 50*time.Millisecond)
	latest := w.store.Values.LatestIn([]domain.ID{w.series(t)["lan1/in"].ID, w.series(t)["lan1/out"].ID})
	assert.InDelta(t, 100_000, latest[w.series(t)["lan1/in"].ID].Value, 1e-6, "750000 B in 60 s × 8")
	assert.InDelta(t, 200_000, latest[w.series(t)["lan1/out"].ID].Value, 1e-6)
	d, err := w.store.Devices.One(t.Context(), w.device.ID)
	require.NoError(t, err)
	assert.WithinDuration(t, t0, d.AgentSince, 2*time.Second, "learnt from the uptime")
	assert.Zero(t, d.BootedAt, "of the machine it says nothing")
}

func TestReindexedAndVanishedRows(t *testing.T) {
	w := setup(t, "interfaces")
	var phase atomic.Int64
	w.start(t, func(way.Question, int) derive.Fetched {
		switch phase.Load() {
		case 0:
			return derive.Fetched{Rows: []derive.Row{port("1", "wan0", 6, 1), port("2", "lan1", 6, 1)}}
		case 1:
			return derive.Fetched{Rows: []derive.Row{port("7", "wan0", 6, 1)}}
		}
		return derive.Fetched{Rows: []derive.Row{port("7", "wan0", 6, 1), port("8", "lan1", 6, 1)}}
	})
	parts := func() map[string]domain.Part {
		list, err := w.store.Parts.Of(t.Context(), w.device.ID)
		require.NoError(t, err)
		out := map[string]domain.Part{}
		for _, p := range list {
			out[p.Name] = p
		}
		return out
	}
	require.Eventually(t, func() bool { return len(parts()) == 2 }, 10*time.Second, 50*time.Millisecond)
	before := parts()
	phase.Add(1)
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(
		t,
		func() bool { return parts()["wan0"].Index == "7" && !parts()["lan1"].GoneAt.IsZero() },
		10*time.Second,
		50*time.Millisecond,
	)
	assert.Equal(t, before["wan0"].ID, parts()["wan0"].ID, "its history is kept")
	phase.Add(1)
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool { return parts()["lan1"].GoneAt.IsZero() }, 10*time.Second, 50*time.Millisecond)
	assert.Equal(t, before["lan1"].ID, parts()["lan1"].ID)
	assert.Len(t, w.series(t), 10)
}

func TestFailuresShowTheProtocolsError(t *testing.T) {
	w := setup(t, "host-resources", "reachability")
	w.start(t, func(r way.Question, _ int) derive.Fetched {
		if r.Ask["form"] == "hello" {
			return derive.Fetched{Error: "no answer", NoAnswer: true, Rows: []derive.Row{{Values: []derive.Value{{}, num(100)}}}}
		}
		return derive.Fetched{Error: "the agent answers with the error GenErr (5)"}
	})
	require.Eventually(t, func() bool { return w.series(t)["cpu"].State == domain.SeriesFailing }, 10*time.Second, 50*time.Millisecond)
	assert.Contains(t, w.series(t)["cpu"].Error, "GenErr")
	require.Eventually(
		t,
		func() bool { return w.series(t)["loss"].State == domain.SeriesOK },
		10*time.Second,
		50*time.Millisecond,
		"the loss of a silent device is a value",
	)
	w.collector.CollectNow(w.device.ID, "")
	require.Eventually(t, func() bool {
		d, err := w.store.Devices.One(t.Context(), w.device.ID)
		return err == nil && d.Health == domain.Critical
	}, 10*time.Second, 50*time.Millisecond, "two silent rounds: critical")
	alerts, _, err := w.store.Alerts.Find(t.Context(), domain.AlertFilter{DeviceID: w.device.ID, Open: true, Limit: 10})
	require.NoError(t, err)
	require.Len(t, alerts, 1)
	assert.Equal(t, "np-sw-1 does not answer", alerts[0].Title)
}

// Stopping must store what was taken, and a second Stop must be harmless.
func TestStopLosesNothing(t *testing.T) {
	w := setup(t, "reachability")
	var taken atomic.Int64
	t0 := time.Now().UTC().Add(-time.Hour)
	w.start(t, func(way.Question, int) derive.Fetched {
		n := taken.Add(1)
		return derive.Fetched{At: t0.Add(time.Duration(n) * time.Second), Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0)}}}}
	})
	require.Eventually(t, func() bool {
		w.collector.CollectNow(w.device.ID, "")
		return taken.Load() >= 30
	}, 10*time.Second, time.Millisecond)
	w.collector.Stop()
	w.collector.Stop()
	got, err := w.store.Values.Of(t.Context(), w.series(t)["loss"].ID, t0, t0.Add(time.Hour))
	require.NoError(t, err)
	assert.Len(t, got, int(taken.Load()))
}

// The database goes away and comes back: collecting goes on meanwhile, and
// nothing that was taken is missing.
func TestDatabaseAway(t *testing.T) {
	w := setup(t, "reachability")
	var taken atomic.Int64
	t0 := time.Now().UTC().Add(-time.Hour)
	w.start(t, func(way.Question, int) derive.Fetched {
		n := taken.Add(1)
		return derive.Fetched{At: t0.Add(time.Duration(n) * time.Second), Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0)}}}}
	})
	exec := func(sql string) {
		_, err := w.store.Pool().Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return taken.Load() > 0 }, 5*time.Second, 10*time.Millisecond)
	loss := w.series(t)["loss"].ID
	exec("ALTER TABLE journal_0 RENAME TO samples_away")
	require.Eventually(
		t,
		func() bool { w.collector.CollectNow(w.device.ID, ""); return w.collector.Stats().Away },
		10*time.Second,
		20*time.Millisecond,
	)
	before := taken.Load()
	require.Eventually(
		t,
		func() bool { w.collector.CollectNow(w.device.ID, ""); return taken.Load() > before+20 },
		10*time.Second,
		5*time.Millisecond,
		"it goes on asking",
	)
	exec("ALTER TABLE samples_away RENAME TO journal_0")
	require.Eventually(t, func() bool { return !w.collector.Stats().Away }, 15*time.Second, 50*time.Millisecond)
	w.collector.Stop()
	got, err := w.store.Values.Of(t.Context(), loss, t0, t0.Add(time.Hour))
	require.NoError(t, err)
	assert.Len(t, got, int(taken.Load()))
}

// A new collector takes up where the old one was: levels, windows, incidents.
func TestRestartGoesOn(t *testing.T) {
	w := setup(t, "reachability")
	down := func(way.Question, int) derive.Fetched {
		return derive.Fetched{Error: "no answer", NoAnswer: true, Rows: []derive.Row{{Values: []derive.Value{{}, num(100)}}}}
	}
	w.start(t, down)
	open := func() int {
		alerts, _, err := w.store.Alerts.Find(t.Context(), domain.AlertFilter{DeviceID: w.device.ID, Open: true, Limit: 10})
		require.NoError(t, err)
		return len(alerts)
	}
	raised := func() int {
		list, err := w.store.Transitions.Find(t.Context(), domain.TransitionFilter{DeviceID: w.device.ID, To: domain.Critical})
		require.NoError(t, err)
		return len(list)
	}
	collect := func(alerts int) func() bool {
		return func() bool { w.collector.CollectNow(w.device.ID, ""); return open() == alerts }
	}
	require.Eventually(t, collect(2), 10*time.Second, 50*time.Millisecond, "silence, and then a notice of loss")
	w.collector.Stop()
	before := raised()

	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	w.collector = engine.NewCollector(w.store, w.kits, w.fetcher, judge, engine.Files{}, quiet)
	w.start(t, func(way.Question, int) derive.Fetched {
		return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0)}}}}
	})
	require.Eventually(t, collect(0), 10*time.Second, 50*time.Millisecond)
	assert.Equal(t, before, raised(), "what was known was not raised again")
	list, total, err := w.store.Incidents.Find(t.Context(), domain.IncidentFilter{})
	require.NoError(t, err)
	assert.Equal(t, int64(1), total)
	assert.Equal(t, domain.IncidentResolved, list[0].State)
}

// flaky fails until it is mended.
type flaky struct {
	broken atomic.Bool
	mu     sync.Mutex
	done   map[domain.ID]int
	err    error
	final  bool
}

func (f *flaky) Deliver(_ context.Context, d domain.Delivery) (channel.Receipt, bool, error) {
	if f.broken.Load() {
		return channel.Receipt{}, f.final, f.err
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.done[d.ID]++
	r := channel.Receipt{Outcome: "ok"}
	if d.Kind == domain.DeliverTicket {
		r.Ticket = &channel.Ticket{Number: "KL-1"}
	}
	return r, false, nil
}

func outbox(t *testing.T, f *flaky) (*store.Store, domain.Delivery) {
	t.Helper()
	w := setup(t)
	in, err := w.store.Incidents.Save(
		t.Context(),
		domain.Incident{
			DeviceID:  w.device.ID,
			Cause:     "c",
			Title:     "t",
			Level:     3,
			State:     domain.IncidentOpen,
			OpenedAt:  time.Now(),
			EpisodeAt: time.Now(),
		},
	)
	require.NoError(t, err)
	d, err := w.store.Deliveries.Add(
		t.Context(),
		domain.Delivery{IncidentID: in.ID, Kind: domain.DeliverTicket, CreatedAt: time.Now().Add(-time.Second)},
	)
	require.NoError(t, err)
	o := engine.NewOutbox(w.store, f, engine.NewHub(), engine.NewClock(nil), nil, quiet)
	o.Start(t.Context())
	t.Cleanup(o.Stop)
	return w.store, d
}

func state(t *testing.T, s *store.Store, id domain.ID) domain.Delivery {
	t.Helper()
	d, err := s.Deliveries.One(t.Context(), id)
	require.NoError(t, err)
	return d
}

func TestOutboxTriesAgainAndKeepsTheError(t *testing.T) {
	f := &flaky{done: map[domain.ID]int{}, err: errors.New("the desk answers 500")}
	f.broken.Store(true)
	s, d := outbox(t, f)
	require.Eventually(t, func() bool { return state(t, s, d.ID).Error != "" }, 10*time.Second, 50*time.Millisecond)
	assert.Equal(t, domain.DeliveryWaiting, state(t, s, d.ID).State)
	assert.Equal(t, "the desk answers 500", state(t, s, d.ID).Error)
	f.broken.Store(false)
	require.Eventually(t, func() bool { return state(t, s, d.ID).State == domain.DeliverySent }, 20*time.Second, 50*time.Millisecond)
	assert.Equal(t, 1, f.done[d.ID])
	ticket, err := s.Tickets.Of(t.Context(), d.IncidentID)
	require.NoError(t, err)
	assert.Equal(t, "KL-1", ticket.Number)
}

func TestOutboxGivesUpWhereTryingIsUseless(t *testing.T) {
	f := &flaky{done: map[domain.ID]int{}, err: errors.New("refused"), final: true}
	f.broken.Store(true)
	s, d := outbox(t, f)
	require.Eventually(t, func() bool { return state(t, s, d.ID).State == domain.DeliveryFailed }, 10*time.Second, 50*time.Millisecond)
}

func TestPause(t *testing.T) {
	assert.Equal(t, 5*time.Second, engine.Pause(1))
	assert.Equal(t, 20*time.Second, engine.Pause(3), "5 × 2 × 2")
	assert.Equal(t, 10*time.Minute, engine.Pause(50))
}

func TestHubNeverBlocks(t *testing.T) {
	hub := engine.NewHub()
	c, end := hub.Listen()
	for range 1000 {
		hub.Publish(domain.News{Kind: "health", ID: 1})
	}
	assert.Equal(t, "health", (<-c).Kind)
	end()
	hub.Publish(domain.News{Kind: "health"})
}

var _ engine.Recorder = (*respond.Service)(nil)

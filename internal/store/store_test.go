package store_test

import (
	"errors"
	"net/netip"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var now = time.Now().UTC().Truncate(time.Hour)

// world is a place with one device that has one series.
func world(t *testing.T, s *store.Store) (domain.Device, domain.Series) {
	t.Helper()
	ctx := t.Context()
	p, err := s.Places.Save(ctx, domain.Place{Name: "Skerry House", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "log-1", Address: netip.MustParseAddr("192.0.2.7"), CreatedAt: now},
		"engine:aa",
		[]string{"192.0.2.8"},
	)
	require.NoError(t, err)
	series, err := s.Series.Add(ctx, []domain.Series{{DeviceID: d.ID, Kit: "k", Reading: "r", Name: "R", Unit: "%", Interval: time.Minute}})
	require.NoError(t, err)
	return d, series[0]
}

func TestMigrateFromEachVersion(t *testing.T) {
	ctx := t.Context()
	fresh := testkit.OpenStore(t, testkit.EmptyURL(t))
	newest, err := fresh.Migrate(ctx)
	require.NoError(t, err)
	for from := int64(1); from <= newest; from++ {
		s := testkit.OpenStore(t, testkit.EmptyURL(t))
		require.NoError(t, s.MigrateTo(ctx, from))
		got, err := s.Migrate(ctx)
		require.NoError(t, err)
		assert.Equal(t, newest, got)
	}
	for to := newest - 1; to >= 0; to-- {
		require.NoError(t, fresh.MigrateTo(ctx, to), "down to %d", to)
	}
	_, err = fresh.Migrate(ctx)
	require.NoError(t, err)
}

// A crash may have taken numbers back that were given: they are not given again.
func TestNumbersThatWereTakenBackAreNotGivenAgain(t *testing.T) {
	s, ctx := testkit.OpenStore(t, testkit.EmptyURL(t)), t.Context()
	require.NoError(t, s.MigrateTo(ctx, 24))
	var p int64
	require.NoError(t, s.Pool().QueryRow(ctx, "INSERT INTO places (name, kind) VALUES ('Pier', 'site') RETURNING id").Scan(&p))
	for _, table := range []string{"goose_db_version", "places"} {
		_, err := s.Pool().Exec(ctx, "ALTER TABLE "+table+" ALTER COLUMN id RESTART WITH 1")
		require.NoError(t, err)
	}
	_, err := s.Migrate(ctx)
	require.NoError(t, err)
	q, err := s.Places.Save(ctx, domain.Place{Name: "Quay", Kind: domain.Site})
	require.NoError(t, err)
	assert.Equal(t, p+1, q.ID)
}

func TestDevicesKeepTheirAddresses(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	got, err := s.Devices.One(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, netip.MustParseAddr("192.0.2.7"), got.Address)
	known, err := s.Devices.Known(ctx, "snmp")
	require.NoError(t, err)
	same := store.KnownDevice{ID: d.ID, PlaceID: d.PlaceID, Identity: "engine:aa", Name: "log-1", Address: "192.0.2.7"}
	first, second := same, same
	first.Known, second.Known = "192.0.2.7", "192.0.2.8"
	assert.ElementsMatch(t, []store.KnownDevice{first, second}, known)
	_, err = s.Devices.Add(ctx, domain.Device{PlaceID: d.PlaceID, Name: "log-1", Address: got.Address}, "", nil)
	assert.ErrorIs(t, err, domain.ErrConflict, "names are unique")
	assert.ErrorIs(t, s.Devices.Forget(ctx, d.ID), domain.ErrNotFound, "what is watched is not deleted")
	require.NoError(t, s.Devices.Remove(ctx, d.ID, now))
	assert.ErrorIs(t, s.Devices.Remove(ctx, d.ID, now), domain.ErrNotFound)
	_, err = s.Devices.One(ctx, d.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	require.NoError(t, s.Devices.Forget(ctx, d.ID))
	assert.ErrorIs(t, s.Devices.Forget(ctx, d.ID), domain.ErrNotFound)
}

func TestLatestAndSamplesOfASeries(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, series := world(t, s)
	batch := []domain.SeriesSample{
		{SeriesID: series.ID, Sample: domain.Sample{At: now, Value: 1}},
		{SeriesID: series.ID, Sample: domain.Sample{At: now.Add(time.Minute), Value: 2}},
	}
	require.NoError(t, s.Samples.Append(ctx, batch))
	require.NoError(t, s.Samples.Append(ctx, batch), "a repeated write does no harm")
	got, err := s.Values.Of(ctx, series.ID, now, now.Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, []domain.Sample{batch[0].Sample, batch[1].Sample}, got)
	latest := s.Values.LatestIn([]domain.ID{series.ID, 999})
	require.Len(t, latest, 1)
	assert.Equal(t, 2.0, latest[series.ID].Value)
	assert.Equal(t, 1.0, *latest[series.ID].BeforeValue)
	of, err := s.Values.OfReading(ctx, "k", "r", now, now.Add(time.Hour))
	require.NoError(t, err)
	assert.Equal(t, got, of[series.ID])
	assert.ErrorIs(t, s.Devices.Forget(ctx, d.ID), domain.ErrNotFound, "what is watched is not deleted")
	remove(t, s, d.ID)
	assert.ErrorIs(t, s.Devices.Remove(ctx, d.ID, now), domain.ErrNotFound)
	assert.Empty(t, s.Values.LatestIn([]domain.ID{series.ID}), "its values are forgotten with it")
}

func TestRangeKeepsThePeak(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	_, series := world(t, s)
	from := now.Add(-2 * time.Hour)
	var batch []domain.SeriesSample
	for m := range 120 {
		v := 1.0
		if m == 47 {
			v = 99
		}
		batch = append(
			batch,
			domain.SeriesSample{SeriesID: series.ID, Sample: domain.Sample{At: from.Add(time.Duration(m) * time.Minute), Value: v}},
		)
	}
	require.NoError(t, s.Samples.Append(ctx, batch))
	rollups, width, _, err := s.Values.Range(ctx, series, from, now, 4)
	require.NoError(t, err)
	assert.Equal(t, 30*time.Minute, width)
	require.Len(t, rollups, 4)
	// Minute 47 lies in the second half hour: (29 × 1 + 99) / 30.
	assert.Equal(t, 99.0, rollups[1].Max)
	assert.InDelta(t, 128.0/30, rollups[1].Avg, 1e-9)
	assert.Equal(t, 30, rollups[3].Count)
	rollups, width, _, err = s.Values.Range(ctx, series, from, now, 500)
	require.NoError(t, err)
	assert.Equal(t, time.Second, width)
	assert.Len(t, rollups, 120, "a short range shows every sample")
}

// What the first release kept, a row for each sample and rollups of a quarter
// of an hour, is taken over.
func TestSamplesOfTheFirstReleaseAreTakenOver(t *testing.T) {
	ctx := t.Context()
	s := testkit.OpenStore(t, testkit.EmptyURL(t))
	require.NoError(t, s.MigrateTo(ctx, 2))
	day := now.Truncate(24*time.Hour).AddDate(0, 0, -2)
	_, err := s.Pool().
		Exec(ctx, "CREATE TABLE samples_x PARTITION OF samples FOR VALUES FROM ('2000-01-01') TO ('2100-01-01'); CREATE TABLE "+
			"steps_x PARTITION OF steps FOR VALUES FROM ('2000-01-01') TO ('2100-01-01')")
	require.NoError(t, err)
	_, err = s.Pool().
		Exec(ctx, "INSERT INTO samples SELECT i % 2 + 1, $1::timestamptz + i * interval '1 minute', i FROM generate_series(0, 599) i", day)
	require.NoError(t, err)
	_, err = s.Pool().
		Exec(ctx, "INSERT INTO steps SELECT 1, $1::timestamptz + i * interval '15 minutes', 15, i, i + 1, i + 9 FROM "+
			"generate_series(0, 191) i", day.AddDate(0, 0, -1))
	require.NoError(t, err)
	_, err = s.Migrate(ctx)
	require.NoError(t, err)
	require.NoError(t, s.Samples.Start(ctx, samples.Options{}))
	defer s.Samples.Stop()
	got, err := s.Values.Of(ctx, 2, day, day.AddDate(0, 0, 1))
	require.NoError(t, err)
	require.Len(t, got, 300)
	assert.Equal(t, 599.0, got[299].Value)
	assert.Equal(t, 599.0, s.Values.LatestIn([]domain.ID{2})[2].Value)
	rollups, width, resolution, err := s.Values.Range(ctx, domain.Series{ID: 1, Interval: time.Minute}, day.AddDate(0, 0, -1), day, 24)
	require.NoError(t, err)
	assert.Equal(t, []time.Duration{time.Hour, time.Hour}, []time.Duration{width, resolution})
	require.Len(t, rollups, 24)
	// The first hour has the rollups 0 to 3: lowest 0, highest 3 + 9, mean (1 + 2 + 3 + 4) / 4.
	assert.Equal(t, domain.Rollup{At: day.AddDate(0, 0, -1), Count: 60, Min: 0, Avg: 2.5, Max: 12}, rollups[0])
	rollups, _, _, err = s.Values.Range(ctx, domain.Series{ID: 1, Interval: time.Second}, day, day.AddDate(0, 0, 1), 1)
	require.NoError(t, err)
	assert.Equal(t, 300, rollups[0].Count, "where there are samples, they count")
	var left bool
	require.NoError(t, s.Pool().QueryRow(ctx, "SELECT to_regclass('samples') IS NOT NULL OR to_regclass('latest') IS NOT NULL").Scan(&left))
	assert.False(t, left)
}

func TestRulesAndStates(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	_, series := world(t, s)
	r, err := s.Rules.Save(ctx, rule.Rule{Name: "n", Kit: "k", Reading: "r", Cause: "c", Enabled: true, Condition: &limit.Condition{
		Side: limit.Above, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 1}, Limits: map[domain.Level]limit.Limit{
			domain.LevelWarning: {Raise: 90, Recover: 80},
		}}})
	require.NoError(t, err)
	back, err := s.Rules.One(ctx, r.ID)
	require.NoError(t, err)
	assert.Equal(t, r, back)
	st := store.RuleState{RuleID: r.ID, SeriesID: series.ID, Level: domain.LevelWarning, Since: now}
	require.NoError(t, s.Rules.SetState(ctx, st))
	st.Level = domain.LevelNone
	require.NoError(t, s.Rules.SetState(ctx, st))
	states, err := s.Rules.States(ctx)
	require.NoError(t, err)
	assert.Empty(t, states)
}

func TestOneOpenIncidentAndOneTicketDelivery(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	in := domain.Incident{
		DeviceID:  d.ID,
		Cause:     "reach",
		Title:     "x",
		Level:     domain.LevelCritical,
		State:     domain.IncidentOpen,
		OpenedAt:  now,
		EpisodeAt: now,
	}
	first, err := s.Incidents.Save(ctx, in)
	require.NoError(t, err)
	_, err = s.Incidents.Save(ctx, in)
	assert.ErrorIs(t, err, domain.ErrConflict)
	job := domain.Delivery{IncidentID: first.ID, Kind: domain.DeliverTicket, CreatedAt: now}
	made, err := s.Deliveries.Add(ctx, job)
	require.NoError(t, err)
	_, err = s.Deliveries.Add(ctx, job)
	assert.ErrorIs(t, err, domain.ErrConflict, "never two tickets")

	note := job
	note.Kind = domain.DeliverNote
	_, err = s.Deliveries.Add(ctx, note)
	require.NoError(t, err)
	claimed, err := s.Deliveries.Claim(ctx, 0, now, time.Minute, 10, nil)
	require.NoError(t, err)
	require.Len(t, claimed, 1, "the note waits for the ticket")
	again, err := s.Deliveries.Claim(ctx, 0, now.Add(30*time.Second), time.Minute, 10, nil)
	require.NoError(t, err)
	assert.Empty(t, again, "leased")
	again, err = s.Deliveries.Claim(ctx, 0, now.Add(2*time.Minute), time.Minute, 10, nil)
	require.NoError(t, err)
	require.Len(t, again, 1, "the worker died: the lease is over")
	assert.Equal(t, 2, again[0].Attempts)
	made.State, made.DoneAt, made.NextTryAt = domain.DeliverySent, now, now
	require.NoError(t, s.Deliveries.Finish(ctx, made))
	require.NoError(t, s.Tickets.Save(ctx, domain.Ticket{IncidentID: first.ID, Number: "KL-1", CreatedAt: now}))
	claimed, err = s.Deliveries.Claim(ctx, 0, now.Add(3*time.Minute), time.Minute, 10, nil)
	require.NoError(t, err)
	require.Len(t, claimed, 1)
	assert.Equal(t, domain.DeliverNote, claimed[0].Kind)
}

func TestTransactionsAreWhole(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	broken := errors.New("broken")
	err := s.InTx(ctx, func(tx *store.Areas) error {
		_, err := tx.Plans.Save(ctx, plan.Plan{Name: "half"})
		require.NoError(t, err)
		return broken
	})
	assert.ErrorIs(t, err, broken)
	plans, err := s.Plans.All(ctx)
	require.NoError(t, err)
	assert.Empty(t, plans)
}

func TestSecretsAreSealed(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	c, err := s.Credentials.Add(ctx, domain.Credential{Name: "site", Kind: "snmp-v2c"}, domain.Secrets{"community": "harbour"})
	require.NoError(t, err)
	secrets, err := s.Credentials.Secrets(ctx)
	require.NoError(t, err)
	assert.Equal(t, "harbour", secrets[c.ID].Secrets["community"].Reveal())
	var stored []byte
	require.NoError(t, s.Pool().QueryRow(ctx, "SELECT decode(secrets->>'community', 'base64') FROM credentials").Scan(&stored))
	assert.NotContains(t, string(stored), "harbour")

	ch, err := s.Channels.Save(
		ctx,
		domain.Channel{Name: "m", Kind: "mail", Settings: map[string]string{"host": "a"}},
		domain.Secrets{"password": "pw", "empty": ""},
	)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), ch.SealedAt, time.Minute)
	ch.Settings["host"] = "b"
	again, err := s.Channels.Save(ctx, ch, domain.Secrets{"password": ""})
	require.NoError(t, err)
	assert.WithinDuration(t, ch.SealedAt, again.SealedAt, time.Microsecond, "nothing new was typed")
	back, opened, err := s.Channels.One(ctx, ch.ID)
	require.NoError(t, err)
	assert.Equal(t, "b", back.Settings["host"])
	assert.Equal(t, domain.Secrets{"password": "pw"}, opened, "an empty secret keeps the old one")
	assert.Equal(t, []string{"password"}, back.Secrets)
}

func TestVaultNeedsItsKey(t *testing.T) {
	dir := t.TempDir()
	a, err := store.OpenVault(filepath.Join(dir, "a"))
	require.NoError(t, err)
	b, err := store.OpenVault(filepath.Join(dir, "b"))
	require.NoError(t, err)
	sealed, err := a.Seal("x")
	require.NoError(t, err)
	_, err = b.Open(sealed)
	assert.ErrorContains(t, err, "key file")
	_, err = a.Open([]byte("short"))
	assert.Error(t, err)
	info, err := os.Stat(filepath.Join(dir, "a"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, os.WriteFile(filepath.Join(dir, "c"), []byte("nonsense"), 0o600))
	_, err = store.OpenVault(filepath.Join(dir, "c"))
	assert.Error(t, err)
}

func TestFindsAndSweeps(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	c, err := s.Credentials.Add(ctx, domain.Credential{Name: "site", Kind: "snmp-v2c"}, domain.Secrets{"community": "x"})
	require.NoError(t, err)
	w, err := s.Sweeps.Save(
		ctx,
		domain.Sweep{
			Name:          "w",
			Ranges:        "192.0.2.0/24",
			Port:          161,
			Pace:          10,
			State:         domain.SweepReady,
			CredentialIDs: []domain.ID{c.ID},
			CreatedAt:     now,
		},
	)
	require.NoError(t, err)
	f := domain.Find{
		SweepID:  w.ID,
		Identity: "engine:a",
		Address:  "192.0.2.1",
		Others:   []string{"192.0.2.2"},
		Name:     "core",
		Verdict:  domain.FindNew,
		FoundAt:  now,
	}
	require.NoError(t, s.Finds.Save(ctx, []domain.Find{f}))
	f.Name = "core-1"
	require.NoError(t, s.Finds.Save(ctx, []domain.Find{f}), "found again: brought up to date")
	finds, err := s.Finds.Of(ctx, w.ID)
	require.NoError(t, err)
	require.Len(t, finds, 1)
	assert.Equal(t, "core-1", finds[0].Name)
	assert.Equal(t, "192.0.2.1", finds[0].Address)
	require.NoError(t, s.Finds.SetVerdict(ctx, finds[0].ID, domain.FindIgnored, 0))
	w.State = domain.SweepRunning
	_, err = s.Sweeps.Save(ctx, w)
	require.NoError(t, err)
	w.Reached = netip.MustParseAddr("192.0.2.7")
	_, err = s.Sweeps.Save(ctx, w)
	require.NoError(t, err)
	running, err := s.Sweeps.Running(ctx)
	require.NoError(t, err)
	assert.Equal(t, []domain.ID{w.ID}, running)
	back, err := s.Sweeps.One(ctx, w.ID)
	require.NoError(t, err)
	assert.Equal(t, w.Reached, back.Reached)
	assert.Equal(t, []domain.ID{c.ID}, back.CredentialIDs)
}

// remove deletes a device with its history.
func remove(t *testing.T, s *store.Store, id domain.ID) {
	t.Helper()
	series, err := s.Series.OfDevice(t.Context(), id)
	require.NoError(t, err)
	require.NoError(t, s.Devices.Remove(t.Context(), id, now))
	require.NoError(t, s.Devices.Forget(t.Context(), id))
	s.ForgetSeries(series)
}

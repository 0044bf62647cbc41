package store_test

import (
	"fmt"
	"net/netip"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// incidents makes three of them on one device: notice, warning, critical.
func incidents(t *testing.T, s *store.Store, d domain.Device) []domain.Incident {
	t.Helper()
	var out []domain.Incident
	for i, title := range []string{"port1 drops packets", "/data of log-1 fills", "log-1 is silent_100%"} {
		at := now.Add(time.Duration(i) * time.Minute)
		in, err := s.Incidents.Save(
			t.Context(),
			domain.Incident{
				DeviceID:  d.ID,
				Cause:     fmt.Sprint("c", i),
				Title:     title,
				Level:     domain.Level(i + 1),
				State:     domain.IncidentOpen,
				OpenedAt:  at,
				EpisodeAt: at,
			},
		)
		require.NoError(t, err)
		out = append(out, in)
	}
	return out
}

func TestIncidentsAreFilteredSortedAndPaged(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	made := incidents(t, s, d)
	made[0].State, made[0].ResolvedAt, made[0].ResolvedBy = domain.IncidentResolved, now.Add(time.Hour), "Ines"
	_, err := s.Incidents.Save(ctx, made[0])
	require.NoError(t, err)
	for name, c := range map[string]struct {
		f    domain.IncidentFilter
		want []int // of made, in order
	}{
		"newest first":       {domain.IncidentFilter{}, []int{2, 1, 0}},
		"oldest first":       {domain.IncidentFilter{Sort: "opened"}, []int{0, 1, 2}},
		"by level":           {domain.IncidentFilter{Sort: "-level"}, []int{2, 1, 0}},
		"open only":          {domain.IncidentFilter{States: []domain.IncidentState{domain.IncidentOpen}}, []int{2, 1}},
		"critical only":      {domain.IncidentFilter{AtLeast: domain.LevelCritical}, []int{2}},
		"by part of title":   {domain.IncidentFilter{Search: "FILLS"}, []int{1}},
		"by device":          {domain.IncidentFilter{Search: "log-1"}, []int{2, 1, 0}},
		"percent is itself":  {domain.IncidentFilter{Search: "100%"}, []int{2}},
		"underscore too":     {domain.IncidentFilter{Search: "t_1"}, []int{2}},
		"quotes do no harm":  {domain.IncidentFilter{Search: `'; DROP TABLE incidents; --`}, nil},
		"unknown column":     {domain.IncidentFilter{Sort: "1; DROP TABLE incidents"}, []int{2, 1, 0}},
		"other device":       {domain.IncidentFilter{DeviceID: 999}, nil},
		"this device":        {domain.IncidentFilter{DeviceID: d.ID}, []int{2, 1, 0}},
		"second page of two": {domain.IncidentFilter{Limit: 2, Offset: 2}, []int{0}},
	} {
		got, total, err := s.Incidents.Find(ctx, c.f)
		require.NoError(t, err, name)
		var ids, want []domain.ID
		for _, in := range got {
			ids = append(ids, in.ID)
		}
		for _, i := range c.want {
			want = append(want, made[i].ID)
		}
		assert.Equal(t, want, ids, name)
		if c.f.Offset == 0 {
			assert.Equal(t, int64(len(want)), total, name)
		}
	}
}

func TestPartsOfOneDeviceAndOfAll(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	one, _ := world(t, s)
	other, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: one.PlaceID, Name: "log-2", Address: netip.MustParseAddr("192.0.2.99"), CreatedAt: now},
		"engine:bb",
		nil,
	)
	require.NoError(t, err)
	before, err := s.Parts.Of(ctx, one.ID)
	require.NoError(t, err)
	_, err = s.Parts.Add(ctx, []domain.Part{{DeviceID: other.ID, Kit: "interfaces", Kind: "interface", Key: "eth9", Name: "eth9"}})
	require.NoError(t, err)
	mine, err := s.Parts.Of(ctx, one.ID)
	require.NoError(t, err)
	its, err := s.Parts.Of(ctx, other.ID)
	require.NoError(t, err)
	all, err := s.Parts.Of(ctx, 0)
	require.NoError(t, err)
	assert.Equal(t, before, mine)
	assert.Len(t, its, 1)
	assert.Len(t, all, len(mine)+1)
}

func TestTransitionsAreFilteredByTimeAndPlace(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, series := world(t, s)
	trace := why.Trace{Question: "Why?", Answer: "So."}
	require.NoError(t, s.Transitions.Add(ctx, []domain.Transition{
		{DeviceID: d.ID, At: now, From: domain.Fine, To: domain.Critical, Reason: "no answer", Why: trace},
		{DeviceID: d.ID, SeriesID: series.ID, At: now.Add(time.Minute), From: domain.Fine, To: domain.Warning, Reason: "91 %", Held: true},
		{DeviceID: d.ID, At: now.Add(2 * time.Minute), From: domain.Critical, To: domain.Fine, Reason: "answers again"},
	}))
	count := func(f domain.TransitionFilter) int {
		f.Limit = 10
		rows, err := s.Transitions.Find(ctx, f)
		require.NoError(t, err)
		return len(rows)
	}
	assert.Equal(t, 3, count(domain.TransitionFilter{}))
	assert.Equal(t, 2, count(domain.TransitionFilter{Devices: true}))
	assert.Equal(t, 1, count(domain.TransitionFilter{SeriesID: series.ID}))
	assert.Equal(t, 1, count(domain.TransitionFilter{To: domain.Critical}))
	assert.Equal(t, 1, count(domain.TransitionFilter{Search: "AGAIN"}))
	assert.Equal(t, 3, count(domain.TransitionFilter{Search: "log-1"}))
	assert.Equal(t, 1, count(domain.TransitionFilter{From: now.Add(90 * time.Second)}))
	assert.Equal(t, 1, count(domain.TransitionFilter{Until: now.Add(30 * time.Second)}))
	rows, err := s.Transitions.Find(ctx, domain.TransitionFilter{To: domain.Critical, Limit: 1})
	require.NoError(t, err)
	one, err := s.Transitions.One(ctx, rows[0].ID)
	require.NoError(t, err)
	assert.Equal(t, trace, one.Why, "the trace is kept as it was")
	_, err = s.Transitions.One(ctx, 999)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	changes, err := s.Transitions.Ribbons(ctx, []domain.ID{d.ID}, now.Add(-time.Hour))
	require.NoError(t, err)
	assert.Len(t, changes, 2, "ribbons show the device, not single rules")
}

func TestLatestValuesAreFilteredAndSorted(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, first := world(t, s)
	more, err := s.Series.Add(
		ctx,
		[]domain.Series{
			{DeviceID: d.ID, Kit: "k", Reading: "s", Name: "Straße 50%", Unit: "%", Interval: time.Minute},
			{DeviceID: d.ID, Kit: "k2", Reading: "t", Name: "T", Unit: "s", Interval: time.Minute},
		},
	)
	require.NoError(t, err)
	require.NoError(t, s.Samples.Append(ctx, []domain.SeriesSample{
		{
			SeriesID: first.ID,
			Sample:   domain.Sample{At: now, Value: 7},
		}, {SeriesID: more[0].ID, Sample: domain.Sample{At: now.Add(time.Minute), Value: -2}}}))
	require.NoError(
		t,
		s.Series.SetStates(ctx, []domain.Series{{ID: more[1].ID, State: domain.SeriesFailing, Error: "no answer within 2 s"}}),
	)
	names := func(f domain.ValueFilter) (out []string) {
		f.Limit = max(f.Limit, 1)
		rows, _, err := s.Values.Listed(ctx, f)
		require.NoError(t, err)
		for _, r := range rows {
			out = append(out, r.Name)
		}
		return out
	}
	assert.Equal(t, []string{"Straße 50%", "R"}, names(domain.ValueFilter{Sort: "value", Limit: 2}))
	assert.Equal(t, []string{"R"}, names(domain.ValueFilter{Sort: "-value", Limit: 1}))
	assert.Equal(t, []string{"T"}, names(domain.ValueFilter{State: string(domain.SeriesFailing), Limit: 9}))
	assert.Equal(t, []string{"Straße 50%"}, names(domain.ValueFilter{Search: "50%", Limit: 9}))
	assert.Empty(t, names(domain.ValueFilter{Search: "%%%", Limit: 9}))
	assert.Equal(t, []string{"T"}, names(domain.ValueFilter{Kit: "k2", Limit: 9}))
	assert.Equal(t, []string{"R"}, names(domain.ValueFilter{Reading: "r", Limit: 9}))
	assert.Len(t, names(domain.ValueFilter{Sort: "nonsense", Limit: 9}), 3)
	assert.Len(t, names(domain.ValueFilter{PlaceID: d.PlaceID, Limit: 9}), 3)
	below, err := s.Places.Save(ctx, domain.Place{Name: "Hut", Kind: domain.Group, ParentID: d.PlaceID})
	require.NoError(t, err)
	assert.Empty(t, names(domain.ValueFilter{PlaceID: below.ID, Limit: 9}))
	hut := d
	hut.PlaceID = below.ID
	require.NoError(t, s.Devices.Update(ctx, hut))
	assert.Len(t, names(domain.ValueFilter{PlaceID: d.PlaceID, Limit: 9}), 3, "what lies below belongs to it")
	assert.Equal(t, []string{"R", "Straße 50%", "T"}, names(domain.ValueFilter{Group: "kit", Sort: "-value", Limit: 9}))
	groups, err := s.Values.Groups(ctx, domain.ValueFilter{Group: "kit"}, []string{"k", "k2", "none"})
	require.NoError(t, err)
	assert.Equal(t, map[string]int64{"k": 2, "k2": 1}, groups)
	// Another place of the same name is a group of its own.
	twin, err := s.Places.Save(ctx, domain.Place{Name: "Hut", Kind: domain.Group, ParentID: below.ID})
	require.NoError(t, err)
	id := func(p domain.Place) string { return strconv.FormatInt(p.ID, 10) }
	groups, err = s.Values.Groups(ctx, domain.ValueFilter{Group: "place", Kit: "k2"}, []string{id(below), id(twin)})
	require.NoError(t, err)
	assert.Equal(t, map[string]int64{id(below): 1}, groups)
	rows, _, err := s.Values.Listed(ctx, domain.ValueFilter{Group: "place", Limit: 1})
	require.NoError(t, err)
	assert.Equal(t, id(below), rows[0].GroupKey("place"))
	glances, err := s.Values.Glances(ctx, []domain.ID{first.ID, more[1].ID}, now.Add(-time.Hour), now.Add(time.Hour), 60)
	require.NoError(t, err)
	assert.Equal(t, 7.0, glances[first.ID][0].Avg)
	assert.Empty(t, glances[more[1].ID])
	in := s.Values.LatestIn([]domain.ID{first.ID, 999})
	assert.Len(t, in, 1)
	assert.Equal(t, 7.0, in[first.ID].Value)
	assert.Equal(t, now.Add(time.Minute), s.Samples.Newest())
	assert.Equal(
		t,
		[]string{"Straße 50%", "R", "T"},
		names(domain.ValueFilter{Sort: "age", Limit: 9}),
		"youngest first, those without a value last",
	)
	assert.Equal(t, []string{"R"}, names(domain.ValueFilter{Sort: "age", Limit: 1, Offset: 1}))
	assert.Equal(t, []string{"R", "Straße 50%", "T"}, names(domain.ValueFilter{Sort: "-age", Limit: 9}))
	assert.Empty(t, names(domain.ValueFilter{Sort: "-age", Limit: 9, Offset: 99}))
}

func TestFailedDeliveriesAreTriedAgainOnRequestOnly(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	in := incidents(t, s, d)[0]
	made, err := s.Deliveries.Add(
		ctx,
		domain.Delivery{IncidentID: in.ID, Kind: domain.DeliverMessage, Recipient: "a@kittiwake.example", Subject: "x", CreatedAt: now},
	)
	require.NoError(t, err)
	assert.ErrorIs(t, s.Deliveries.Retry(ctx, made.ID, now), domain.ErrNotFound, "it waits already")
	claimed, err := s.Deliveries.Claim(ctx, 0, now, time.Minute, 5, nil)
	require.NoError(t, err)
	require.Len(t, claimed, 1)
	none, err := s.Deliveries.Claim(ctx, 0, now.Add(30*time.Second), time.Minute, 5, nil)
	require.NoError(t, err)
	assert.Empty(t, none, "somebody works on it")
	again, err := s.Deliveries.Claim(ctx, 0, now.Add(61*time.Second), time.Minute, 5, nil)
	require.NoError(t, err)
	require.Len(t, again, 1, "the lease of a killed worker ends")
	assert.Equal(t, 2, again[0].Attempts)
	again[0].State, again[0].Error, again[0].DoneAt = domain.DeliveryFailed, "550 no such user", now
	require.NoError(t, s.Deliveries.Finish(ctx, again[0]))
	none, err = s.Deliveries.Claim(ctx, 0, now.Add(time.Hour), time.Minute, 5, nil)
	require.NoError(t, err)
	assert.Empty(t, none)
	require.NoError(t, s.Deliveries.Retry(ctx, made.ID, now))
	again, err = s.Deliveries.Claim(ctx, 0, now.Add(time.Hour), time.Minute, 5, nil)
	require.NoError(t, err)
	assert.Len(t, again, 1)
	failed, _, err := s.Deliveries.Find(ctx, domain.DeliveryFilter{State: domain.DeliveryFailed, Limit: 5})
	require.NoError(t, err)
	assert.Empty(t, failed)
}

func TestSettingsAndWipe(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	got, err := s.Settings.Get(ctx, "demo.origin")
	require.NoError(t, err)
	assert.Empty(t, got)
	require.NoError(t, s.Settings.Set(ctx, "demo.origin", "a"))
	require.NoError(t, s.Settings.Set(ctx, "demo.origin", "b"))
	got, err = s.Settings.Get(ctx, "demo.origin")
	require.NoError(t, err)
	assert.Equal(t, "b", got)
	world(t, s)
	require.NoError(t, s.Wipe(ctx))
	_, err = s.Migrate(ctx)
	require.NoError(t, err, "a wiped database is like a new one")
	devices, err := s.Devices.All(ctx)
	require.NoError(t, err)
	assert.Empty(t, devices)
}

// The database itself refuses what must never be, whatever the code does.
func TestConstraintsHold(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, series := world(t, s)
	for name, sql := range map[string]string{
		"series of no device": "INSERT INTO series (device_id, kit, reading, name, unit, every_s) VALUES (999, 'k', 'x', 'X', '', 60)",
		"same series twice": fmt.Sprintf("INSERT INTO series (device_id, kit, reading, name, unit, every_s) VALUES (%d, 'k', "+
			"'r', 'R', '', 60)", d.ID),
		"unknown health": fmt.Sprintf("UPDATE devices SET health = 'splendid' WHERE id = %d", d.ID),
		"level out of range": fmt.Sprintf("INSERT INTO incidents (device_id, cause, title, level, state, opened_at, "+
			"episode_at) VALUES (%d, 'c', 't', 9, 'open', now(), now())", d.ID),
		"place of itself":    fmt.Sprintf("UPDATE places SET parent_id = id WHERE id = %d", d.PlaceID),
		"place that is used": fmt.Sprintf("DELETE FROM places WHERE id = %d", d.PlaceID),
		"port":               fmt.Sprintf("UPDATE devices SET port = 70000 WHERE id = %d", d.ID),
	} {
		_, err := s.Pool().Exec(ctx, sql)
		assert.Error(t, err, name)
	}
	remove(t, s, d.ID)
	_, err := s.Series.One(ctx, series.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound, "series go with their device")
}

func TestSearchFindsNamesAddressesAndParts(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	d, _ := world(t, s)
	_, err := s.Parts.Add(ctx, []domain.Part{{DeviceID: d.ID, Kit: "k", Kind: "volume", Key: "/data", Index: "1", Name: "/data"}})
	require.NoError(t, err)
	for text, want := range map[string]bool{"LOG": true, "192.0.2.8": true, "/dat": true, "skerry": true, "%": false, "zzz": false} {
		hits, err := s.Hits.Find(ctx, text, 5)
		require.NoError(t, err)
		assert.Equal(t, want, len(hits) > 0, text)
	}
	for i := range 9 {
		_, err := s.Devices.Add(
			ctx,
			domain.Device{PlaceID: d.PlaceID, Name: fmt.Sprintf("log-x%d", i), Address: netip.MustParseAddr("192.0.2.9"), CreatedAt: now},
			"",
			nil,
		)
		require.NoError(t, err)
	}
	hits, err := s.Hits.Find(ctx, "log", 5)
	require.NoError(t, err)
	assert.LessOrEqual(t, len(hits), 15)
}

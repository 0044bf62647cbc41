package collect_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

const berths = `
kit: berths
title: Berths
version: 1
sources:
  - {key: t, way: snmp, every: 60s, ask: {form: walk}, columns: [{as: name, of: 1.3.1}, {as: use, of: 1.3.2}, {as: length, of: 1.3.3}]}
parts: [{kind: berth, title: Berths, source: t, key: [name], name: [name], tags: [use], attributes: {length in m: length}}]
readings: [{key: taken, of: berth, source: t, value: [length]}]
`

// quay is a device with rows that come and go.
type quay struct {
	*collect.Service
	store  *store.Store
	device domain.Device
	kit    *kit.Kit
	known  collect.Known
}

func newQuay(t *testing.T) *quay {
	t.Helper()
	svc, s, d := setup(t)
	k, err := kit.Parse([]byte(berths), svc.Ways, nil)
	require.NoError(t, err)
	return &quay{svc, s, d, k, collect.Known{}}
}

func (q *quay) tells(t *testing.T, at time.Time, rows ...[3]string) {
	t.Helper()
	src, _ := q.kit.Source("t")
	def, _ := q.kit.PartsOf("berth")
	var all []derive.Row
	for _, cells := range rows {
		row := derive.Row{Index: cells[0]}
		for _, c := range cells {
			row.Values = append(row.Values, derive.Value{Kind: derive.Text, Text: c})
		}
		all = append(all, row)
	}
	var err error
	q.known, _, err = q.SyncParts(t.Context(), q.device.ID, q.kit, src, def, q.known, collect.NewReader(src, def).Rows(all, nil), at)
	require.NoError(t, err)
}

// said are the attributes of the first part, tags with a #.
func (q *quay) said(t *testing.T) map[string]string {
	t.Helper()
	all, err := q.store.Attributes.Of(t.Context(), "part_id", []domain.ID{q.known.Parts[0].ID})
	require.NoError(t, err)
	out := map[string]string{}
	for _, a := range all {
		name := a.Name
		if a.Tag {
			name = "#" + name
		}
		out[name] = a.Value
	}
	return out
}

// alerts has a series lead to an alert.
func (q *quay) alerts(t *testing.T, series domain.ID) {
	t.Helper()
	_, err := q.store.Pool().Exec(t.Context(), `WITH i AS (
			INSERT INTO incidents (device_id, title, cause, state, level, opened_at, episode_at, why)
			VALUES ($2, 'd', 'd', 'resolved', 1, now(), now(), '{}') RETURNING id)
		INSERT INTO alerts (series_id, device_id, incident_id, level, cause, title, first_bad_at, opened_at, ended_at, value, limit_value,
			unit, why) SELECT $1, $2, id, 1, 'd', 'd', now(), now(), now(), 1, 1, '', '{}' FROM i`, series, q.device.ID)
	require.NoError(t, err)
}

func TestWhatADeviceTellsOfARowBecomesItsAttributes(t *testing.T) {
	q := newQuay(t)
	now := time.Now().UTC()
	q.tells(t, now, [3]string{"a", "ferry, east = #1", "120"}, [3]string{"b", "\x1b", ""})
	assert.Equal(t, map[string]string{"#ferry east 1": "", "length in m": "120"}, q.said(t))
	assert.Empty(t, q.known.Parts[1].Told, "nor can a tag be made of everything")

	mine := []domain.Attribute{{PartID: q.known.Parts[0].ID, Name: "length in m", Value: "118"},
		{PartID: q.known.Parts[0].ID, Name: "pilot", Tag: true}}
	require.NoError(t, q.store.Attributes.Set(t.Context(), mine))
	q.tells(t, now, [3]string{"a", "cargo", "121"})
	assert.Equal(t, map[string]string{"#cargo": "", "#pilot": "", "length in m": "118"}, q.said(t), "what people say goes before")
	before := q.known.Parts[0]
	q.tells(t, now, [3]string{"a", "cargo", "121"})
	assert.Equal(t, before, q.known.Parts[0])
}

// A row is gone for 40 days and another for 20; by default they are kept for 30.
func TestRowsThatAreGoneAreRetired(t *testing.T) {
	q := newQuay(t)
	ctx, now := t.Context(), time.Now().UTC().Truncate(time.Second)
	day := func(n int) time.Time { return now.AddDate(0, 0, -n) }
	names := func() (out []string) {
		all, err := q.store.Parts.Of(ctx, q.device.ID)
		require.NoError(t, err)
		for _, p := range all {
			out = append(out, p.Name)
		}
		return out
	}
	q.tells(t, day(50), [3]string{"a", "", ""}, [3]string{"b", "", ""}, [3]string{"c", "", ""}, [3]string{"d", "", ""})
	q.tells(t, day(40), [3]string{"b", "", ""}, [3]string{"c", "", ""})
	q.tells(t, day(20), [3]string{"c", "", ""})
	alarmed, err := q.store.Series.OfParts(ctx, q.device.ID, []domain.ID{q.known.Parts[3].ID})
	require.NoError(t, err)
	q.alerts(t, alarmed[0].ID)

	n, err := q.Retire(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, []string{"b", "c", "d"}, names(), "d led to an alert, and stays with it")
	series, err := q.store.Series.Of(ctx, q.device.ID)
	require.NoError(t, err)
	assert.Len(t, series, 3)

	require.NoError(t, q.store.Overrides.Set(ctx, domain.Override{PlaceID: q.device.PlaceID, Key: domain.SettingKeepRows, Value: "10"}, 0))
	q = &quay{testkit.Kits(t, q.store), q.store, q.device, q.kit, q.known}
	n, err = q.Retire(ctx, now)
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	assert.Equal(t, []string{"c", "d"}, names())
	n, err = q.Retire(ctx, now)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestAPartThatCameBackIsNotRetired(t *testing.T) {
	q := newQuay(t)
	ctx, now := t.Context(), time.Now().UTC()
	q.tells(t, now.AddDate(0, 0, -50), [3]string{"a", "", ""})
	q.tells(t, now.AddDate(0, 0, -40))
	id := q.known.Parts[0].ID
	q.tells(t, now, [3]string{"a", "", ""})
	assert.Equal(t, id, q.known.Parts[0].ID, "it goes on with its history")
	series, err := q.store.Parts.Retire(ctx, []domain.ID{id})
	require.NoError(t, err)
	assert.Empty(t, series)
}

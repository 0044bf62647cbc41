package watch_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var now = time.Now().UTC().Truncate(time.Minute)

type world struct {
	*watch.Service
	store *store.Store
	root  domain.Place
}

func setup(t *testing.T) world {
	t.Helper()
	s := testkit.Store(t)
	svc, err := collect.New(s, kits.Files)
	require.NoError(t, err)
	root, err := s.Places.Save(t.Context(), domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	explain := func(id domain.ID) (domain.Health, string, why.Trace, bool) {
		return domain.Fine, "", why.Trace{Question: "Why fine?"}, id == 1
	}
	return world{watch.New(s, svc, explain), s, root}
}

func (w world) place(t *testing.T, name string) domain.Place {
	t.Helper()
	p, err := w.store.Places.Save(t.Context(), domain.Place{ParentID: w.root.ID, Name: name, Kind: domain.Site})
	require.NoError(t, err)
	return p
}

func (w world) device(t *testing.T, place domain.ID, name string, h domain.Health, via domain.ID) domain.Device {
	t.Helper()
	d, err := w.store.Devices.Add(t.Context(), domain.Device{PlaceID: place, Name: name, Address: netip.MustParseAddr("192.0.2.1"), Port: 161, ViaID: via, CreatedAt: now}, "", nil)
	require.NoError(t, err)
	require.NoError(t, w.store.Devices.SetHealth(t.Context(), d.ID, h, now, "because of "+name))
	return d
}

func TestOverviewIsWorstFirst(t *testing.T) {
	w := setup(t)
	pier, house, ship := w.place(t, "Pier"), w.place(t, "House"), w.place(t, "Ship")
	w.device(t, pier.ID, "a", domain.Fine, 0)
	bad := w.device(t, pier.ID, "b", domain.Critical, 0)
	w.device(t, house.ID, "c", domain.Notice, 0)
	require.NoError(t, w.store.Transitions.Add(t.Context(), []domain.Transition{{DeviceID: bad.ID, From: domain.Fine, To: domain.Critical, At: now.Add(-time.Hour)}}))
	o, err := w.Overview(t.Context(), now)
	require.NoError(t, err)
	var names []string
	for _, p := range o.Places {
		names = append(names, fmt.Sprintf("%s %s %d", p.Name, p.Health, p.Total))
	}
	assert.Equal(t, []string{"Pier critical 2", "House notice 1", "Ship fine 0"}, names)
	assert.Equal(t, "because of b", o.Places[0].Reason)
	assert.Equal(t, "b", o.Places[0].Devices[0].Name)
	assert.Equal(t, 1, o.Counts[domain.Critical])
	// The last 4 of 96 quarter hours were critical, the notice holds all day.
	assert.Equal(t, domain.Critical, o.Ribbon[95])
	assert.Equal(t, domain.Notice, o.Ribbon[90])
	assert.Equal(t, domain.Fine, o.Places[0].Ribbon[90])
	assert.Equal(t, ship.Name, o.Places[2].Name)
}

func TestSubjectKnowsItsWayAndWhatIsBehind(t *testing.T) {
	w := setup(t)
	pier := w.place(t, "Pier")
	edge := w.device(t, pier.ID, "edge", domain.Fine, 0)
	pier.GatewayID = edge.ID
	_, err := w.store.Places.Save(t.Context(), pier)
	require.NoError(t, err)
	sw := w.device(t, pier.ID, "switch", domain.Fine, 0)
	kiosk := w.device(t, pier.ID, "kiosk", domain.Fine, sw.ID)
	s, err := w.Device(t.Context(), edge.ID, now)
	require.NoError(t, err)
	assert.Nil(t, s.Via, "the gateway is not reached through itself")
	assert.Len(t, s.Behind, 2)
	s, err = w.Device(t.Context(), kiosk.ID, now)
	require.NoError(t, err)
	assert.Equal(t, "switch", s.Via.Name)
	assert.Equal(t, []string{"Kittiwake Line", "Pier"}, []string{s.Path[0].Name, s.Path[1].Name})
	_, err = w.Device(t.Context(), 999, now)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// series adds a series of the used share of a volume, with values a minute apart.
func (w world) series(t *testing.T, d domain.Device, values map[int]float64) domain.Series {
	t.Helper()
	made, err := w.store.Series.Add(t.Context(), []domain.Series{{DeviceID: d.ID, Kit: "host-resources", Reading: "cpu", Name: "Processor", Unit: "%", Interval: time.Minute}})
	require.NoError(t, err)
	var batch []domain.SeriesSample
	for m, v := range values {
		batch = append(batch, domain.SeriesSample{SeriesID: made[0].ID, Sample: domain.Sample{At: now.Add(time.Duration(m) * time.Minute), Value: v}})
	}
	require.NoError(t, w.store.Samples.Append(t.Context(), batch))
	return made[0]
}

func TestChartLeavesGapsAndShowsBreaches(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine, 0)
	x := w.series(t, d, map[int]float64{-30: 10, -29: 20, -28: 30, -10: 40, -9: 50})
	r, err := w.store.Rules.Save(t.Context(), rule.Rule{Name: "busy", Kit: "host-resources", Reading: "cpu", Unit: "%", Side: rule.Above, InARow: 3, RecoverInARow: 1, Cause: "c", Enabled: true,
		Limits: map[domain.Level]rule.Limit{domain.LevelWarning: {Raise: 45, Recover: 40}}})
	require.NoError(t, err)
	require.NoError(t, w.store.Transitions.Add(t.Context(), []domain.Transition{
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Fine, To: domain.Warning, At: now.Add(-20 * time.Minute)},
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Warning, To: domain.Fine, At: now.Add(-15 * time.Minute)},
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Fine, To: domain.Warning, At: now.Add(-5 * time.Minute)},
	}))
	c, err := w.Chart(t.Context(), []domain.ID{x.ID}, time.Hour, now)
	require.NoError(t, err)
	assert.Contains(t, c.How, "every value")
	line := c.Lines[0]
	require.Len(t, line.Times, 6, "five values and one hole")
	assert.Nil(t, line.Avg[3], "18 minutes without a value break the line")
	assert.Equal(t, 10.0, *line.Lowest)
	assert.Equal(t, 50.0, *line.Highest)
	assert.Equal(t, 30.0, *line.Average, "(10 + 20 + 30 + 40 + 50) / 5")
	assert.Equal(t, 50.0, *line.Last)
	require.Len(t, c.Limits, 1)
	assert.Contains(t, c.Limits[0].Label, "for 3")
	require.Len(t, c.Breaches, 2)
	assert.Equal(t, int64(300), c.Breaches[0].To-c.Breaches[0].From)
	assert.Equal(t, now.Unix(), c.Breaches[1].To, "the last one lasts")
	assert.Len(t, c.Marks, 3)
}

func TestLongChartsShowStepsAndSaySo(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine, 0)
	x := w.series(t, d, map[int]float64{-5: 7})
	c, err := w.Chart(t.Context(), []domain.ID{x.ID}, 14*24*time.Hour, now)
	require.NoError(t, err)
	assert.Contains(t, c.How, "true extremes")
	assert.Len(t, c.Lines[0].Times, 1)
	empty, err := w.Chart(t.Context(), []domain.ID{x.ID}, time.Minute, now.Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, empty.Lines[0].Times)
	assert.Nil(t, empty.Lines[0].Average)
	_, err = w.Chart(t.Context(), []domain.ID{999}, time.Hour, now)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// A past that was brought in at wide intervals is a line too, and is said to be wide.
func TestChartOfAWidePast(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine, 0)
	values := map[int]float64{}
	for m := -55; m < 0; m += 5 {
		values[m] = float64(-m)
	}
	x := w.series(t, d, values)
	c, err := w.Chart(t.Context(), []domain.ID{x.ID}, time.Hour, now)
	require.NoError(t, err)
	assert.Equal(t, "every value, about 5\u00a0min apart", c.How)
	assert.Len(t, c.Lines[0].Times, 11)
	assert.NotContains(t, c.Lines[0].Avg, (*float64)(nil), "no holes")
}

// Series that are collected at other seconds do not break each other's lines.
func TestLinesHaveTimesOfTheirOwn(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine, 0)
	made, err := w.store.Series.Add(t.Context(), []domain.Series{
		{DeviceID: d.ID, Kit: "k", Reading: "a", Name: "A", Unit: "%", Interval: time.Minute}, {DeviceID: d.ID, Kit: "k", Reading: "b", Name: "B", Unit: "%", Interval: time.Minute}})
	require.NoError(t, err)
	var batch []domain.SeriesSample
	for i, x := range made {
		for m := 1; m <= 10; m++ {
			at := now.Add(time.Duration(i)*20*time.Second - time.Duration(m)*time.Minute)
			batch = append(batch, domain.SeriesSample{SeriesID: x.ID, Sample: domain.Sample{At: at, Value: float64(m)}})
		}
	}
	require.NoError(t, w.store.Samples.Append(t.Context(), batch))
	c, err := w.Chart(t.Context(), []domain.ID{made[0].ID, made[1].ID}, time.Hour, now)
	require.NoError(t, err)
	for i, line := range c.Lines {
		assert.Len(t, line.Times, 10)
		assert.Equal(t, now.Add(time.Duration(i)*20*time.Second-10*time.Minute).Unix(), line.Times[0])
		assert.NotContains(t, line.Avg, (*float64)(nil))
	}
}

func TestWhyFallsBackToWhatIsStored(t *testing.T) {
	w := setup(t)
	p := w.place(t, "Pier")
	w.device(t, p.ID, "first", domain.Fine, 0)
	second := w.device(t, p.ID, "second", domain.Paused, 0)
	_, h, trace, err := w.Why(t.Context(), second.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.Paused, h)
	assert.Equal(t, "because of second", trace.Answer)
	_, _, _, err = w.Why(t.Context(), 999)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

package watch_test

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
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
	svc := testkit.Kits(t, s)
	root, err := s.Places.Save(t.Context(), domain.Place{Name: "Kittiwake Line", Kind: domain.Organisation})
	require.NoError(t, err)
	return world{watch.New(s, testkit.Desk(s), svc, &present{via: map[domain.ID]domain.ID{}}, nil), s, root}
}

// present is a judge that knows only the first device, and ways as they are told.
type present struct{ via map[domain.ID]domain.ID }

func (*present) Explain(_ context.Context, id domain.ID) (domain.Health, string, why.Trace, bool) {
	return domain.Fine, "", why.Trace{Question: "Why fine?"}, id == 1
}

func (p *present) Way(_ context.Context, id domain.ID) (via domain.ID, behind []domain.ID) {
	for device, through := range p.via {
		if through == id {
			behind = append(behind, device)
		}
	}
	return p.via[id], behind
}

func (w world) place(t *testing.T, name string) domain.Place {
	t.Helper()
	p, err := w.store.Places.Save(t.Context(), domain.Place{ParentID: w.root.ID, Name: name, Kind: domain.Site})
	require.NoError(t, err)
	return p
}

func (w world) device(t *testing.T, place domain.ID, name string, h domain.Health) domain.Device {
	t.Helper()
	d, err := w.store.Devices.Add(
		t.Context(),
		domain.Device{PlaceID: place, Name: name, Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: now},
		"",
		nil,
	)
	require.NoError(t, err)
	require.NoError(t, w.store.Devices.SetHealth(t.Context(), d.ID, h, now, "because of "+name, 0))
	return d
}

func TestOverviewIsWorstFirst(t *testing.T) {
	w := setup(t)
	pier, house, ship := w.place(t, "Pier"), w.place(t, "House"), w.place(t, "Ship")
	w.device(t, pier.ID, "a", domain.Fine)
	bad := w.device(t, pier.ID, "b", domain.Critical)
	w.device(t, house.ID, "c", domain.Notice)
	require.NoError(
		t,
		w.store.Transitions.Add(
			t.Context(),
			[]domain.Transition{{DeviceID: bad.ID, From: domain.Fine, To: domain.Critical, At: now.Add(-time.Hour)}},
		),
	)
	o, err := w.Overview(t.Context(), testkit.Anyone, nil, now)
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
	edge := w.device(t, pier.ID, "edge", domain.Fine)
	kiosk := w.device(t, pier.ID, "kiosk", domain.Fine)
	for _, o := range []domain.Override{
		{PlaceID: pier.ID, Key: domain.SettingGateway, Value: fmt.Sprint(edge.ID)},
		{PlaceID: w.root.ID, Key: domain.SettingGateway, Value: "999"},
	} {
		require.NoError(t, w.store.Overrides.Set(t.Context(), o, 0))
	}
	ways := &present{via: map[domain.ID]domain.ID{kiosk.ID: edge.ID}}
	svc := watch.New(w.store, testkit.Desk(w.store), testkit.Kits(t, w.store), ways, nil)
	for i := range 9 {
		ways.via[w.device(t, pier.ID, fmt.Sprint("board-", i), domain.Fine).ID] = edge.ID
	}
	s, err := svc.Device(t.Context(), testkit.Anyone, edge.ID, watch.Look{}, now)
	require.NoError(t, err)
	assert.Nil(t, s.Via, "the gateway is not reached through itself")
	assert.Len(t, s.Behind, 4, "some are named")
	assert.Equal(t, 10, s.BehindAll, "all are counted")
	s, err = svc.Device(t.Context(), testkit.Anyone, kiosk.ID, watch.Look{}, now)
	require.NoError(t, err)
	assert.Equal(t, "edge", s.Via.Name)
	assert.Equal(t, "Pier", s.ViaFrom.Name, "and where that is set")
	assert.Len(t, s.ViaFrom.Replaces, 1)
	assert.Equal(t, []string{"Kittiwake Line", "Pier"}, []string{s.Path[0].Name, s.Path[1].Name})
	_, err = svc.Device(t.Context(), testkit.Anyone, 999, watch.Look{}, now)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// The overview names what stands out, and all devices of the places that are
// open; it counts the rest.
func TestOverviewCountsWhatItDoesNotShow(t *testing.T) {
	w := setup(t)
	pier := w.place(t, "Pier")
	for i := range 12 {
		h := domain.Fine
		if i < 9 {
			h = domain.Notice
		}
		w.device(t, pier.ID, fmt.Sprintf("board-%02d", i), h)
	}
	w.device(t, pier.ID, "edge", domain.Critical)
	o, err := w.Overview(t.Context(), testkit.Anyone, nil, now)
	require.NoError(t, err)
	require.Len(t, o.Places, 1)
	assert.Len(t, o.Places[0].Devices, watch.ShownAtOnce)
	assert.Equal(t, "edge", o.Places[0].Devices[0].Name)
	assert.Equal(t, 13, o.Places[0].Own)
	assert.Equal(t, map[domain.Health]int{domain.Critical: 1, domain.Notice: 9, domain.Fine: 3}, o.Counts)
	o, err = w.Overview(t.Context(), testkit.Anyone, []domain.ID{pier.ID}, now)
	require.NoError(t, err)
	assert.Len(t, o.Places[0].Devices, 13)
	assert.Equal(t, domain.Fine, o.Places[0].Devices[12].Health)
}

func TestDevicesAreFilteredSortedAndPaged(t *testing.T) {
	w := setup(t)
	pier, house := w.place(t, "Pier"), w.place(t, "House")
	w.device(t, pier.ID, "b_1", domain.Fine)
	w.device(t, house.ID, "a-1", domain.Critical)
	w.device(t, house.ID, "c-1", domain.Notice)
	names := func(f domain.DeviceFilter) (out []string) {
		f.Limit = 2
		got, err := w.Devices(t.Context(), testkit.Anyone, f, now)
		require.NoError(t, err)
		for _, d := range got.Rows {
			out = append(out, d.Name)
		}
		return out
	}
	assert.Equal(t, []string{"a-1", "c-1"}, names(domain.DeviceFilter{}), "the worst first")
	assert.Equal(t, []string{"b_1", "c-1"}, names(domain.DeviceFilter{Sort: "-health"}))
	assert.Equal(t, []string{"c-1", "b_1"}, names(domain.DeviceFilter{Sort: "-name"}))
	assert.Equal(t, []string{"a-1", "c-1"}, names(domain.DeviceFilter{Sort: "place"}))
	assert.Equal(t, []string{"a-1", "b_1"}, names(domain.DeviceFilter{Sort: "name"}))
	assert.Equal(t, []string{"c-1"}, names(domain.DeviceFilter{Sort: "name", Offset: 2}))
	assert.Equal(t, []string{"b_1"}, names(domain.DeviceFilter{Search: "B_"}), "an underscore stands for itself")
	assert.Equal(t, []string{"b_1"}, names(domain.DeviceFilter{Search: "pier"}))
	assert.Equal(t, []string{"c-1"}, names(domain.DeviceFilter{Search: "because of c"}))
	assert.Equal(t, []string{"a-1"}, names(domain.DeviceFilter{Health: domain.Critical}))
	assert.Empty(t, names(domain.DeviceFilter{Kind: "router"}))
	assert.Len(t, names(domain.DeviceFilter{Sort: "1; DROP TABLE devices"}), 2)
	got, err := w.Devices(t.Context(), testkit.Anyone, domain.DeviceFilter{Limit: 1}, now)
	require.NoError(t, err)
	assert.Equal(t, int64(3), got.Total)
}

// series adds a series of the used share of a volume, with values a minute apart.
func (w world) series(t *testing.T, d domain.Device, values map[int]float64) domain.Series {
	t.Helper()
	made, err := w.store.Series.Add(
		t.Context(),
		[]domain.Series{{DeviceID: d.ID, Kit: "host-resources", Reading: "cpu", Name: "Processor", Unit: "%", Interval: time.Minute}},
	)
	require.NoError(t, err)
	var batch []domain.SeriesSample
	for m, v := range values {
		batch = append(
			batch,
			domain.SeriesSample{SeriesID: made[0].ID, Sample: domain.Sample{At: now.Add(time.Duration(m) * time.Minute), Value: v}},
		)
	}
	require.NoError(t, w.store.Samples.Append(t.Context(), batch))
	return made[0]
}

func TestChartLeavesGapsAndShowsBreaches(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine)
	x := w.series(t, d, map[int]float64{-30: 10, -29: 20, -28: 30, -10: 40, -9: 50})
	r, err := w.store.Rules.Save(
		t.Context(),
		rule.Rule{Name: "busy", Kit: "host-resources", Reading: "cpu", Unit: "%", Cause: "c", Enabled: true, Condition: &limit.Condition{
			Side: limit.Above, For: rule.Hold{Values: 3}, Recover: rule.Hold{Values: 1},
			Limits: map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 45, Recover: 40}}}},
	)
	require.NoError(t, err)
	require.NoError(t, w.store.Transitions.Add(t.Context(), []domain.Transition{
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Fine, To: domain.Warning, At: now.Add(-20 * time.Minute)},
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Warning, To: domain.Fine, At: now.Add(-15 * time.Minute)},
		{DeviceID: d.ID, SeriesID: x.ID, RuleID: r.ID, From: domain.Fine, To: domain.Warning, At: now.Add(-5 * time.Minute)},
	}))
	c, err := w.Chart(t.Context(), testkit.Anyone, []domain.ID{x.ID}, now.Add(-time.Hour), now)
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
	assert.Contains(t, c.Limits[0].Label, "for 3 values")
	require.Len(t, c.Breaches, 2)
	assert.Equal(t, int64(300), c.Breaches[0].To-c.Breaches[0].From)
	assert.Equal(t, now.Unix(), c.Breaches[1].To, "the last one lasts")
	assert.Len(t, c.Marks, 3)
}

func TestLongChartsShowRollupsAndSaySo(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine)
	x := w.series(t, d, map[int]float64{-5: 7})
	c, err := w.Chart(t.Context(), testkit.Anyone, []domain.ID{x.ID}, now.Add(-14*24*time.Hour), now)
	require.NoError(t, err)
	assert.Contains(t, c.How, "true extremes")
	assert.Len(t, c.Lines[0].Times, 1)
	empty, err := w.Chart(t.Context(), testkit.Anyone, []domain.ID{x.ID}, now.Add(-time.Hour).Add(-time.Minute), now.Add(-time.Hour))
	require.NoError(t, err)
	assert.Empty(t, empty.Lines[0].Times)
	assert.Nil(t, empty.Lines[0].Average)
	_, err = w.Chart(t.Context(), testkit.Anyone, []domain.ID{999}, now.Add(-time.Hour), now)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// A past that was brought in at wide intervals is a line too, and is said to be wide.
func TestChartOfAWidePast(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine)
	values := map[int]float64{}
	for m := -55; m < 0; m += 5 {
		values[m] = float64(-m)
	}
	x := w.series(t, d, values)
	c, err := w.Chart(t.Context(), testkit.Anyone, []domain.ID{x.ID}, now.Add(-time.Hour), now)
	require.NoError(t, err)
	assert.Equal(t, "every value, about 5\u00a0min apart", c.How)
	assert.Len(t, c.Lines[0].Times, 11)
	assert.NotContains(t, c.Lines[0].Avg, (*float64)(nil), "no holes")
}

// Series that are collected at other seconds do not break each other's lines.
func TestLinesHaveTimesOfTheirOwn(t *testing.T) {
	w := setup(t)
	d := w.device(t, w.place(t, "Pier").ID, "log-1", domain.Fine)
	made, err := w.store.Series.Add(t.Context(), []domain.Series{
		{
			DeviceID: d.ID,
			Kit:      "k",
			Reading:  "a",
			Name:     "A",
			Unit:     "%",
			Interval: time.Minute,
		}, {DeviceID: d.ID, Kit: "k", Reading: "b", Name: "B", Unit: "%", Interval: time.Minute}})
	require.NoError(t, err)
	var batch []domain.SeriesSample
	for i, x := range made {
		for m := 1; m <= 10; m++ {
			at := now.Add(time.Duration(i)*20*time.Second - time.Duration(m)*time.Minute)
			batch = append(batch, domain.SeriesSample{SeriesID: x.ID, Sample: domain.Sample{At: at, Value: float64(m)}})
		}
	}
	require.NoError(t, w.store.Samples.Append(t.Context(), batch))
	c, err := w.Chart(t.Context(), testkit.Anyone, []domain.ID{made[0].ID, made[1].ID}, now.Add(-time.Hour), now)
	require.NoError(t, err)
	require.Len(t, c.Lines, 2)
	for i, line := range c.Lines {
		assert.Len(t, line.Times, 10)
		assert.Equal(t, now.Add(time.Duration(i)*20*time.Second-10*time.Minute).Unix(), line.Times[0])
		assert.NotContains(t, line.Avg, (*float64)(nil))
	}
}

func TestWhyFallsBackToWhatIsStored(t *testing.T) {
	w := setup(t)
	p := w.place(t, "Pier")
	w.device(t, p.ID, "first", domain.Fine)
	second := w.device(t, p.ID, "second", domain.Paused)
	_, h, trace, err := w.Why(t.Context(), testkit.Anyone, second.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.Paused, h)
	assert.Equal(t, "because of second", trace.Answer)
	_, _, _, err = w.Why(t.Context(), testkit.Anyone, 999)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestTypingErrorsAreForgiven(t *testing.T) {
	w := setup(t)
	pier := w.place(t, "North Pier")
	w.device(t, pier.ID, "booking-db-1", domain.Fine)
	find := func(typed string) (out []string) {
		hits, err := w.Search(t.Context(), testkit.Anyone, typed, 10)
		require.NoError(t, err)
		for _, h := range hits {
			out = append(out, h.Kind+" "+h.Name)
		}
		return out
	}
	for _, typed := range []string{"bookng-db", "BOKOING", "boooking"} {
		assert.Contains(t, find(typed), "device booking-db-1", typed)
	}
	assert.Contains(t, find("nroth pier"), "place North Pier")
	assert.Empty(t, find("xyzzy"))
	assert.Contains(t, find("memory used"), "reading Memory used")
}

// Of eight devices behind a dead router one line is shown; of the others that are not fine,
// those that are too many are counted.
func TestDevicesBehindOneAreFolded(t *testing.T) {
	w := setup(t)
	rock := w.place(t, "Gull Rock")
	router := w.device(t, rock.ID, "gr-edge-1", domain.Critical)
	for i := range 8 {
		d := w.device(t, rock.ID, fmt.Sprint("gr-kiosk-", i), domain.Unreachable)
		require.NoError(t, w.store.Devices.SetBehind(t.Context(), d.ID, router.ID, "behind gr-edge-1"))
	}
	for i := range watch.ShownAtOnce + 2 {
		w.device(t, rock.ID, fmt.Sprint("gr-sw-", i), domain.Warning)
	}
	o, err := w.Overview(t.Context(), testkit.Anyone, nil, now)
	require.NoError(t, err)
	i := slices.IndexFunc(o.Places, func(p watch.Place) bool { return p.ID == rock.ID })
	require.GreaterOrEqual(t, i, 0)
	p := o.Places[i]
	assert.Equal(t, []watch.Behind{{ID: router.ID, Name: "gr-edge-1", N: 8}}, p.Behind)
	assert.Len(t, p.Devices, watch.ShownAtOnce)
	assert.Equal(t, "gr-edge-1", p.Devices[0].Name)
	assert.Equal(t, 3, p.Unshown, "the router is one of those that are shown")
	o, err = w.Overview(t.Context(), testkit.Anyone, []domain.ID{rock.ID}, now)
	require.NoError(t, err)
	assert.Empty(t, o.Places[i].Behind, "an open place shows them all")
	assert.Zero(t, o.Places[i].Unshown)
}

package estate

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/core/rule/state"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

var t0 = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

const every = 15 * time.Second

// Two devices: edge (1), and kiosk (2) that is reached through it. Series 10
// and 20 are their losses, 21 is a volume of the kiosk.
func pair(t *testing.T) *Estate {
	t.Helper()
	e := New()
	e.SetRules([]rule.Rule{
		{
			ID:      1,
			Name:    "reach",
			Title:   "{device} does not answer",
			Kit:     "r",
			Reading: "loss",
			Unit:    "%",
			Enabled: true,
			Condition: &limit.Condition{
				Side: limit.Above, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 1},
				Limits: map[domain.Level]limit.Limit{domain.LevelCritical: {Raise: 99, Recover: 50}}},
		},
		{
			ID:      2,
			Name:    "full",
			Title:   "{part} of {device} is full",
			Kit:     "h",
			Reading: "used",
			Unit:    "%",
			Enabled: true,
			Condition: &limit.Condition{
				Side: limit.Above, For: rule.Hold{Values: 1}, Recover: rule.Hold{Values: 1},
				Limits: map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 90, Recover: 85}}},
		},
	})
	e.Set(Device{ID: 1, Name: "edge"}, []Series{loss(10)}, domain.Unknown, t0)
	e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20), volume(21)}, domain.Unknown, t0)
	for _, id := range []domain.ID{10, 20} {
		e.Sample(id, domain.Sample{At: t0, Value: 0})
	}
	return e
}

func loss(id domain.ID) Series {
	return Series{ID: id, Kit: "r", Reading: "loss", Name: "Loss", Unit: "%", Every: every, Reach: true}
}

func volume(id domain.ID) Series {
	return Series{ID: id, Part: "/data", Kit: "h", Reading: "used", Name: "Used", Unit: "%", Every: every}
}

// feed gives a value to a series some seconds after t0.
func feed(e *Estate, series domain.ID, seconds int, value float64) Result {
	return e.Sample(series, domain.Sample{At: t0.Add(time.Duration(seconds) * time.Second), Value: value})
}

func healthOf(e *Estate, id domain.ID, seconds int) domain.Health {
	h, _, _, _ := e.Health(id, t0.Add(time.Duration(seconds)*time.Second))
	return h
}

func TestDownAndBack(t *testing.T) {
	e := pair(t)
	assert.Equal(t, domain.Fine, healthOf(e, 1, 0))
	assert.Empty(t, feed(e, 10, 15, 100).Judged, "one silent round is not two")
	out := feed(e, 10, 30, 100)
	require.Len(t, out.Judged, 1)
	j := out.Judged[0]
	assert.Equal(t, domain.LevelCritical, j.To)
	assert.False(t, j.Held)
	assert.Equal(t, t0.Add(15*time.Second), j.FirstBadAt)
	require.Len(t, out.Health, 1)
	assert.Equal(t, domain.Critical, out.Health[0].To)
	assert.Equal(t, "edge does not answer", out.Health[0].Reason)
	out = feed(e, 10, 45, 0)
	assert.Equal(t, domain.LevelNone, out.Judged[0].To)
	assert.Equal(t, domain.Fine, out.Health[0].To)
}

func TestBehindADeadDeviceIsUnreachable(t *testing.T) {
	e := pair(t)
	feed(e, 10, 14, 100)
	feed(e, 20, 15, 100)
	out := feed(e, 20, 30, 100)
	require.Len(t, out.Judged, 1)
	assert.True(t, out.Judged[0].Held, "no alert may follow")
	assert.Equal(t, domain.Unreachable, healthOf(e, 2, 30))
	// Both answer again: held trouble ends held.
	feed(e, 10, 44, 0)
	out = feed(e, 20, 45, 0)
	assert.True(t, out.Judged[0].Held)
	assert.Equal(t, domain.Fine, healthOf(e, 2, 45))
}

// A second, slower rule on the same series must not keep a device
// unreachable that answers again.
func TestReachableAsSoonAsItAnswers(t *testing.T) {
	e := pair(t)
	slow := rule.Rule{ID: 3, Name: "loses", Kit: "r", Reading: "loss", Unit: "%", Enabled: true, Condition: &limit.Condition{
		Side: limit.Above, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 4}, Limits: map[domain.Level]limit.Limit{
			domain.LevelNotice: {Raise: 30, Recover: 10},
		}}}
	e.SetRules(append(e.rules["r/loss"].rules, slow))
	feed(e, 10, 14, 100)
	feed(e, 20, 15, 100)
	feed(e, 20, 30, 100)
	require.Equal(t, domain.Unreachable, healthOf(e, 2, 30))
	feed(e, 10, 44, 0)
	feed(e, 20, 45, 0)
	assert.Equal(t, domain.Fine, healthOf(e, 2, 45))
}

func TestWaitsForAWordFromTheWay(t *testing.T) {
	e := pair(t)
	feed(e, 20, 15, 100)
	out := feed(e, 20, 30, 100)
	assert.Empty(t, out.Judged, "edge was last asked before the trouble")
	assert.Equal(t, []domain.ID{1}, out.Ask)
	t.Run("the way is dead", func(t *testing.T) {
		e := pair(t)
		feed(e, 20, 15, 100)
		feed(e, 20, 30, 100)
		out := feed(e, 10, 31, 100)
		require.Len(t, out.Judged, 1)
		assert.Equal(t, domain.ID(2), out.Judged[0].Device.ID)
		assert.True(t, out.Judged[0].Held)
	})
	t.Run("the way is fine", func(t *testing.T) {
		out := feed(e, 10, 31, 0)
		require.Len(t, out.Judged, 1)
		assert.False(t, out.Judged[0].Held)
		assert.Equal(t, domain.Critical, healthOf(e, 2, 31))
	})
	t.Run("no word ever comes", func(t *testing.T) {
		e := pair(t)
		var judged []Judged
		for s := 15; s <= 105; s += 15 {
			judged = append(judged, feed(e, 20, s, 100).Judged...)
		}
		require.Len(t, judged, 1, "a dead device is not hidden for ever")
		assert.False(t, judged[0].Held)
	})
}

func TestReleasedWhenTheWayIsClear(t *testing.T) {
	e := pair(t)
	feed(e, 10, 14, 100)
	feed(e, 20, 15, 100)
	feed(e, 20, 30, 100)
	require.Equal(t, domain.Unreachable, healthOf(e, 2, 30))
	feed(e, 10, 44, 0) // the way is back, the kiosk is not
	assert.Empty(t, feed(e, 20, 45, 100).Judged, "asked once since: not enough")
	feed(e, 10, 59, 0)
	out := feed(e, 20, 60, 100)
	require.Len(t, out.Judged, 1)
	assert.Equal(t, domain.LevelNone, out.Judged[0].From)
	assert.Equal(t, domain.LevelCritical, out.Judged[0].To)
	assert.False(t, out.Judged[0].Held)
	assert.Equal(t, domain.Critical, healthOf(e, 2, 60))
}

func TestAlertStaysWhenTheWayDiesLater(t *testing.T) {
	e := pair(t)
	feed(e, 21, 10, 95)
	assert.Equal(t, domain.Warning, healthOf(e, 2, 10))
	feed(e, 20, 15, 100)
	feed(e, 10, 16, 0)
	feed(e, 20, 30, 100)
	feed(e, 10, 31, 0)
	require.Equal(t, domain.Critical, healthOf(e, 2, 31))
	feed(e, 10, 46, 100)
	feed(e, 10, 61, 100)
	assert.Equal(t, domain.Critical, healthOf(e, 2, 61), "it was down before the way was lost")
}

func TestNoDataIsUnknown(t *testing.T) {
	e := pair(t)
	// 5 × 15 s + 30 s = 105 s
	assert.Empty(t, e.Tick(t0.Add(105*time.Second)).Health)
	out := e.Tick(t0.Add(106 * time.Second))
	require.Len(t, out.Health, 2)
	assert.Equal(t, domain.Unknown, out.Health[0].To)
}

func TestChangedRuleActsWithoutANewValue(t *testing.T) {
	e := pair(t)
	feed(e, 21, 15, 70)
	stricter := rule.Rule{ID: 2, Name: "full", Kit: "h", Reading: "used", Enabled: true, Condition: &limit.Condition{
		Side: limit.Above, For: rule.Hold{Values: 1}, Recover: rule.Hold{Values: 1}, Limits: map[domain.Level]limit.Limit{
			domain.LevelCritical: {Raise: 60, Recover: 60},
		}}}
	e.SetRules([]rule.Rule{stricter})
	out := e.Recheck(t0.Add(16 * time.Second))
	require.Len(t, out.Judged, 1)
	assert.Equal(t, domain.LevelCritical, out.Judged[0].To)
	e.SetRules(nil)
	out = e.Recheck(t0.Add(17 * time.Second))
	require.Len(t, out.Judged, 1, "switching a rule off ends its trouble")
	assert.Equal(t, domain.LevelNone, out.Judged[0].To)
	assert.Equal(t, domain.Fine, healthOf(e, 2, 17))
}

func TestPausedAndRestored(t *testing.T) {
	e := pair(t)
	e.Set(Device{ID: 1, Name: "edge", Paused: true}, []Series{loss(10)}, domain.Fine, t0)
	feed(e, 10, 15, 100)
	assert.Empty(t, feed(e, 10, 30, 100).Judged)
	assert.Equal(t, domain.Paused, healthOf(e, 1, 30))

	e = pair(t)
	e.Restore(21, rule.Rule{ID: 2, Title: "{part} full"}, domain.LevelWarning, false, why.Trace{})
	e.Remember(21, domain.Sample{At: t0.Add(time.Second), Value: 88})
	assert.Empty(t, e.Recheck(t0.Add(2*time.Second)).Judged, "88 is not yet good again")
	assert.Equal(t, domain.Warning, healthOf(e, 2, 2))
	e.RemoveDevice(2)
	assert.Empty(t, feed(e, 21, 30, 99).Judged)
}

func TestLateSamplesAreIgnored(t *testing.T) {
	e := pair(t)
	feed(e, 21, 30, 10)
	assert.Empty(t, feed(e, 21, 20, 99).Judged)
	assert.Empty(t, e.Sample(999, domain.Sample{At: t0, Value: 1}).Judged)
}

func TestAPauseOfOursIsNotHeldAgainstDevices(t *testing.T) {
	e := New()
	e.Set(Device{ID: 1, Name: "edge"}, []Series{{ID: 10, Every: every}}, domain.Fine, t0)
	e.Grace(t0.Add(time.Minute))
	assert.Empty(t, e.Recheck(t0).Health)
	out := e.Tick(t0.Add(time.Minute))
	require.Len(t, out.Health, 1, "after the grace it counts")
	assert.Equal(t, domain.Unknown, out.Health[0].To)
}

// A part that vanishes takes its trouble with it: what is no longer collected
// can never recover by itself.
func TestVanishedSeriesEndTheirTrouble(t *testing.T) {
	e := pair(t)
	feed(e, 21, 15, 95)
	require.Equal(t, domain.Warning, healthOf(e, 2, 15))
	out := e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20)}, domain.Fine, t0.Add(20*time.Second))
	require.Len(t, out.Judged, 1)
	j := out.Judged[0]
	assert.Equal(t, domain.LevelWarning, j.From)
	assert.Equal(t, domain.LevelNone, j.To)
	assert.Equal(t, "/data used is over: it is no longer collected", j.Reason())
	assert.Contains(t, j.Why.Facts[0].Text, "its part has vanished")
	require.Len(t, out.Health, 1)
	assert.Equal(t, domain.Fine, out.Health[0].To)
	assert.Empty(t, feed(e, 21, 30, 99).Judged, "it is forgotten")
	_, ok := e.Series(21)
	assert.False(t, ok)
	assert.Empty(t, e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20)}, domain.Fine, t0.Add(40*time.Second)).Judged, "once")
	// It comes back: a fresh beginning.
	e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20), volume(21)}, domain.Fine, t0.Add(50*time.Second))
	assert.Len(t, feed(e, 21, 60, 95).Judged, 1)
}

// A hop that is paused is not asked, so that nothing can be concluded from it.
func TestPausedHopsAreLeftOut(t *testing.T) {
	e := pair(t)
	feed(e, 10, 14, 100) // silent, and then paused
	e.Set(Device{ID: 1, Name: "edge", Paused: true}, []Series{loss(10)}, domain.Fine, t0.Add(14*time.Second))
	feed(e, 20, 15, 100)
	out := feed(e, 20, 30, 100)
	require.Len(t, out.Judged, 1)
	assert.False(t, out.Judged[0].Held, "nothing on the way is known to be silent")
	assert.Equal(t, domain.Critical, healthOf(e, 2, 30))
}

func TestResumingIsNoSilence(t *testing.T) {
	e := pair(t)
	e.Set(Device{ID: 1, Name: "edge", Paused: true}, []Series{loss(10)}, domain.Fine, t0.Add(20*time.Second))
	assert.Equal(t, domain.Paused, healthOf(e, 1, 3600))
	out := e.Set(Device{ID: 1, Name: "edge"}, []Series{loss(10)}, domain.Fine, t0.Add(time.Hour))
	require.Len(t, out.Health, 1)
	assert.Equal(t, domain.Fine, out.Health[0].To, "it was not asked for an hour; that is not its silence")
}

// No data comes before trouble: what was bad an hour ago is not known to be so now.
func TestNoDataComesBeforeTrouble(t *testing.T) {
	e := pair(t)
	feed(e, 21, 15, 95)
	require.Equal(t, domain.Warning, healthOf(e, 2, 15))
	e.Tick(t0.Add(time.Hour))
	assert.Equal(t, domain.Unknown, healthOf(e, 2, 3600))
	_, reason, trace, _ := e.Health(2, t0.Add(time.Hour))
	assert.Equal(t, "no value for 59\u00a0min", reason)
	assert.NotEmpty(t, trace.Facts)
}

func TestWaysChange(t *testing.T) {
	e := pair(t)
	assert.Equal(t, []domain.ID{2}, e.Behind(1))
	assert.Equal(t, domain.ID(1), e.Via(2))
	e.SetVia(2, 0)
	assert.Empty(t, e.Behind(1))
	e.SetVia(1, 2)
	assert.Equal(t, []domain.ID{1}, e.Behind(2))
	e.SetVia(2, 1) // a loop ends nowhere and does no harm
	assert.Equal(t, []domain.ID{1}, e.Behind(2))
	e.RemoveDevice(1)
	assert.Empty(t, e.Behind(2))
	e.SetVia(99, 1)
	assert.Zero(t, e.Via(99))
}

func TestStatesAreJudgedToo(t *testing.T) {
	e := New()
	e.SetRules(
		[]rule.Rule{
			{
				ID:      5,
				Name:    "port down",
				Title:   "{part} of {device} is down",
				Kit:     "i",
				Reading: "state",
				Enabled: true,
				Condition: &state.Condition{
					Codes: map[int]string{1: "up", 2: "down"}, Levels: map[domain.Level][]string{domain.LevelWarning: {"down"}},
					For: rule.Hold{Time: time.Minute}, Recover: rule.Hold{Values: 1}},
			},
		},
	)
	e.Set(
		Device{ID: 1, Name: "switch"},
		[]Series{{ID: 10, Part: "port3", Name: "State", Kit: "i", Reading: "state", Every: every}},
		domain.Unknown,
		t0,
	)
	for s := 0; s < 60; s += 15 {
		assert.Empty(t, feed(e, 10, s, 2).Judged)
	}
	require.Len(t, feed(e, 10, 60, 2).Judged, 1)
	assert.Equal(t, domain.Warning, healthOf(e, 1, 60), "down since 0, a minute later it counts")
	out := feed(e, 10, 75, 1)
	require.Len(t, out.Judged, 1)
	assert.Equal(t, "port3 state is up again", out.Judged[0].Reason())
}

// A window by time keeps what the rule needs and is cut now and then.
func TestWindowsAreBounded(t *testing.T) {
	e := pair(t)
	for s := 1; s < 2000; s++ {
		feed(e, 21, 15*s, 10)
	}
	assert.Less(t, len(e.series[21].window), 40)
	assert.Equal(t, rule.Window{Count: 1}, e.Window(21))
	assert.Equal(t, rule.Window{}, e.Window(999))
}

// A device that is set with another way is reached through that from then on.
func TestSettingADeviceChangesItsWay(t *testing.T) {
	e := pair(t)
	require.Equal(t, []domain.ID{2}, e.Behind(1))
	e.Set(Device{ID: 2, Name: "kiosk"}, []Series{loss(20), volume(21)}, domain.Fine, t0)
	assert.Empty(t, e.Behind(1))
	e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20), volume(21)}, domain.Fine, t0)
	assert.Equal(t, []domain.ID{2}, e.Behind(1))
	e.Set(Device{ID: 3, Name: "screen", ViaID: 2}, []Series{loss(30)}, domain.Fine, t0)
	assert.Equal(t, []domain.ID{2, 3}, e.Behind(1), "a new device counts, too")
}

// Silence is measured by what is collected most often, whatever its order:
// 5 × 15 s + 30 s.
func TestSilenceFollowsTheShortestInterval(t *testing.T) {
	hourly := volume(21)
	hourly.Every = time.Hour
	for _, all := range [][]Series{{loss(20), hourly}, {hourly, loss(20)}} {
		e := pair(t)
		e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, all, domain.Fine, t0)
		assert.Equal(t, domain.Fine, healthOf(e, 2, 105))
		assert.Equal(t, domain.Unknown, healthOf(e, 2, 106))
	}
}

// What is restored twice counts as it was restored last.
func TestTheLastRestoredLevelCounts(t *testing.T) {
	e := pair(t)
	full := e.rules["h/used"].rules[0]
	assert.True(t, e.Restore(21, full, domain.LevelWarning, false, why.Trace{}))
	require.Equal(t, domain.Warning, healthOf(e, 2, 1))
	assert.True(t, e.Restore(21, full, domain.LevelNone, false, why.Trace{}))
	assert.Equal(t, domain.Fine, healthOf(e, 2, 1))
	assert.False(t, e.Restore(999, full, domain.LevelWarning, false, why.Trace{}))
}

// Windows are cut seldom, and never below what rules look at.
func TestWindowsAreCutToWhatIsNeeded(t *testing.T) {
	e := pair(t)
	longest := 0
	for s := 1; s < 200; s++ {
		feed(e, 10, 15*s, 0)
		longest = max(longest, len(e.series[10].window))
		assert.GreaterOrEqual(t, len(e.series[10].window), min(s+1, 3), "two values and the one before")
	}
	assert.Equal(t, 19, longest, "3 that are needed and 16 to spare")
}

// A hop that was never asked says nothing: the device's own silence counts.
func TestAHopThatWasNeverAskedSaysNothing(t *testing.T) {
	e := pair(t)
	e.Set(Device{ID: 3, Name: "new router"}, []Series{loss(30)}, domain.Unknown, t0)
	e.SetVia(2, 3)
	feed(e, 20, 15, 100)
	out := feed(e, 20, 30, 100)
	require.Len(t, out.Judged, 1)
	assert.Empty(t, out.Ask)
	assert.False(t, out.Judged[0].Held)
	assert.Equal(t, "Nothing is known of new router", out.Judged[0].Why.Facts[2].Facts[0].Text)
}

// The wait for a word from the way is bounded: 4 × 15 s + 10 s after it began.
func TestTheWaitForTheWayIsBounded(t *testing.T) {
	for seconds, judged := range map[int]int{84: 0, 85: 1} {
		e := pair(t)
		feed(e, 20, 15, 100)
		require.Empty(t, feed(e, 20, 30, 100).Judged)
		assert.Len(t, feed(e, 20, seconds, 100).Judged, judged, seconds)
	}
}

// Of several troubles out of reach the worst is told; of several in reach,
// the worst, and of equals always the same.
func TestTheWorstOfSeveralIsTold(t *testing.T) {
	rules := map[string]rule.Rule{}
	for i, name := range []string{"b", "a", "c"} {
		rules[name] = rule.Rule{
			ID:        domain.ID(11 + i),
			Name:      name,
			Title:     name,
			Kit:       "h",
			Reading:   "used",
			Enabled:   true,
			Condition: &limit.Condition{},
		}
	}
	for _, held := range []bool{false, true} {
		for _, order := range [][]string{{"b", "a", "c"}, {"c", "a", "b"}, {"a", "c", "b"}} {
			e := pair(t)
			for _, name := range order {
				level := domain.LevelNotice
				if name == "c" {
					level = domain.LevelWarning
				}
				e.Restore(21, rules[name], level, held, why.Trace{})
			}
			worst, out := e.devices[2].troubles()
			if held {
				assert.Nil(t, worst)
				worst = out
			}
			assert.Equal(t, "c", worst.title)
			e.Restore(21, rules["c"], domain.LevelNone, held, why.Trace{})
			worst, out = e.devices[2].troubles()
			if held {
				worst = out
			} else {
				assert.Equal(t, "a", worst.title, "of equals the first by name")
			}
			assert.Equal(t, domain.LevelNotice, worst.level)
		}
	}
}

// What is told of lasting trouble is what the newest value says.
func TestLastingTroubleIsExplainedByTheNewestValue(t *testing.T) {
	e := pair(t)
	feed(e, 21, 15, 95)
	feed(e, 21, 30, 97)
	_, _, trace, _ := e.Health(2, t0.Add(30*time.Second))
	assert.Contains(t, trace.Facts[0].Text, "97")
}

// Trouble that ends is held no more: the next one is judged by itself.
func TestEndedTroubleIsNotHeld(t *testing.T) {
	e := pair(t)
	feed(e, 10, 14, 100)
	feed(e, 20, 15, 100)
	require.True(t, feed(e, 20, 30, 100).Judged[0].Held)
	feed(e, 10, 44, 0)
	feed(e, 20, 45, 0)
	st := e.series[20].states[1]
	assert.Equal(t, domain.LevelNone, st.level)
	assert.False(t, st.held)
	out := feed(e, 21, 50, 95)
	require.Len(t, out.Judged, 1)
	assert.Equal(t, 95.0, out.Judged[0].Value, "the newest value")
	e.Set(Device{ID: 2, Name: "kiosk", ViaID: 1}, []Series{loss(20), volume(21), volume(22)}, domain.Fine, t0)
	e.Restore(22, e.rules["h/used"].rules[0], domain.LevelWarning, false, why.Trace{})
	e.SetRules(nil)
	out = e.Recheck(t0.Add(time.Minute))
	for _, j := range out.Judged {
		if j.Series.ID == 22 {
			assert.Zero(t, j.Value, "there is no value")
		}
	}
	assert.Len(t, out.Judged, 2)
}

// What cannot be read is not fine: it ranks between fine and notice.
func TestWhatIsNotToldIsNotKnown(t *testing.T) {
	e := pair(t)
	alone := func(id domain.ID, after time.Duration, v float64) Result {
		e.Sample(20, domain.Sample{At: t0.Add(after), Value: 0})
		return e.Sample(id, domain.Sample{At: t0.Add(after), Value: v})
	}
	alone(21, time.Second, 10)
	fault := []Fault{{"Interfaces", "the table has more than 20000 rows: given up", t0}, {"Volumes", "no answer", t0.Add(time.Minute)}}
	r := e.SetFaults(2, fault, t0.Add(time.Minute))
	require.Len(t, r.Health, 1)
	assert.Equal(t, domain.Unknown, r.Health[0].To)
	assert.Equal(t, "Interfaces cannot be read: the table has more than 20000 rows: given up", r.Health[0].Reason)
	assert.Len(t, r.Health[0].Why.Facts, 3)
	assert.Empty(t, e.SetFaults(2, fault, t0.Add(time.Minute)).Health, "nothing new")
	bad := alone(21, 2*time.Minute, 99)
	require.Len(t, bad.Health, 1)
	assert.NotEqual(t, domain.Unknown, bad.Health[0].To, "trouble that is known counts more")
	good := alone(21, 3*time.Minute, 10)
	require.Len(t, good.Health, 1)
	assert.Equal(t, domain.Unknown, good.Health[0].To)
	well := e.SetFaults(2, nil, t0.Add(3*time.Minute))
	require.Len(t, well.Health, 1)
	assert.Equal(t, domain.Fine, well.Health[0].To)
	assert.True(t, e.SetFaults(99, fault, t0).Empty(), "a device that is not there")
}

// The clock is set by an hour while something is wrong: all goes on by the time
// that passed.
func TestAClockThatIsSetMovesEverything(t *testing.T) {
	for _, by := range []time.Duration{-time.Hour, time.Hour} {
		e := pair(t)
		e.SetFaults(2, []Fault{{Source: "Volumes", Reason: "refused", Since: t0}}, t0)
		feed(e, 10, 15, 100)
		e.Shift(by)
		at := func(seconds int) time.Time { return t0.Add(by + time.Duration(seconds)*time.Second) }
		found := e.Sample(10, domain.Sample{At: at(30), Value: 100})
		require.Len(t, found.Judged, 1, "the second value in a row")
		assert.Equal(t, at(15), found.Judged[0].FirstBadAt, "and the first was 15 s before")
		_, reason, trace, _ := e.Health(2, at(30))
		assert.Contains(t, reason+trace.Answer, "Volumes")
		assert.Equal(t, at(0), e.devices[2].faults[0].Since)
		h, _, _, _ := e.Health(1, at(40))
		assert.Equal(t, domain.Critical, h)
	}
}

// A rule for the kiosk alone joins the one for all there; elsewhere it judges nothing.
func TestARuleForOneDeviceJudgesThatAlone(t *testing.T) {
	e := pair(t)
	e.Set(Device{ID: 1, Name: "edge"}, []Series{loss(10), volume(11)}, domain.Unknown, t0)
	all := e.rules["h/used"].rules
	alone := all[0]
	alone.ID, alone.DeviceID, alone.Name = 3, 2, "kiosk fills"
	alone.Condition = &limit.Condition{
		Side: limit.Above, For: rule.Hold{Values: 3}, Recover: rule.Hold{Values: 1},
		Limits: map[domain.Level]limit.Limit{domain.LevelNotice: {Raise: 50, Recover: 40}}}
	e.SetRules(append(slices.Clone(all), alone))
	assert.Equal(t, 1, e.Window(11).Count)
	assert.Equal(t, 3, e.Window(21).Count, "both rules are given what they need")
	for i := range 3 {
		assert.Empty(t, feed(e, 11, 15+i, 60).Judged)
	}
	feed(e, 21, 15, 60)
	feed(e, 21, 16, 60)
	out := feed(e, 21, 17, 60)
	require.Len(t, out.Judged, 1)
	assert.Equal(t, "kiosk fills", out.Judged[0].Rule.Name)
	assert.Len(t, feed(e, 21, 18, 95).Judged, 1, "the one for all acts, too")

	e.SetRules(all)
	over := e.Recheck(t0.Add(20 * time.Second))
	require.Len(t, over.Judged, 1, "what it saw ends with it")
	assert.Equal(t, domain.LevelNone, over.Judged[0].To)
}

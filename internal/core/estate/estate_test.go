package estate

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
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
		{ID: 1, Name: "reach", Title: "{device} does not answer", Kit: "r", Reading: "loss", Unit: "%", Side: rule.Above, InARow: 2, RecoverInARow: 1, Enabled: true,
			Limits: map[domain.Level]rule.Limit{domain.LevelCritical: {Raise: 99, Recover: 50}}},
		{ID: 2, Name: "full", Title: "{part} of {device} is full", Kit: "h", Reading: "used", Unit: "%", Side: rule.Above, InARow: 1, RecoverInARow: 1, Enabled: true,
			Limits: map[domain.Level]rule.Limit{domain.LevelWarning: {Raise: 90, Recover: 85}}},
	})
	e.SetDevice(Device{ID: 1, Name: "edge"}, domain.Unknown)
	e.SetDevice(Device{ID: 2, Name: "kiosk", ViaID: 1}, domain.Unknown)
	e.SetSeries(Series{ID: 10, DeviceID: 1, Kit: "r", Reading: "loss", Name: "Loss", Unit: "%", Every: every, Reach: true})
	e.SetSeries(Series{ID: 20, DeviceID: 2, Kit: "r", Reading: "loss", Name: "Loss", Unit: "%", Every: every, Reach: true})
	e.SetSeries(Series{ID: 21, DeviceID: 2, Part: "/data", Kit: "h", Reading: "used", Name: "Used", Unit: "%", Every: every})
	for _, id := range []domain.ID{10, 20} {
		e.Sample(id, domain.Sample{At: t0, Value: 0})
	}
	return e
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
	slow := rule.Rule{ID: 3, Name: "loses", Kit: "r", Reading: "loss", Unit: "%", Side: rule.Above, InARow: 2, RecoverInARow: 4, Enabled: true,
		Limits: map[domain.Level]rule.Limit{domain.LevelNotice: {Raise: 30, Recover: 10}}}
	e.SetRules(append(e.rules["r/loss"], slow))
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
	stricter := rule.Rule{ID: 2, Name: "full", Kit: "h", Reading: "used", Side: rule.Above, InARow: 1, RecoverInARow: 1, Enabled: true,
		Limits: map[domain.Level]rule.Limit{domain.LevelCritical: {Raise: 60, Recover: 60}}}
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
	e.SetDevice(Device{ID: 1, Name: "edge", Paused: true}, domain.Fine)
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
	e.SetDevice(Device{ID: 1, Name: "edge"}, domain.Fine)
	e.SetSeries(Series{ID: 10, DeviceID: 1, Every: every})
	e.Grace(t0.Add(time.Minute))
	assert.Empty(t, e.Recheck(t0).Health)
	out := e.Tick(t0.Add(time.Minute))
	require.Len(t, out.Health, 1, "after the grace it counts")
	assert.Equal(t, domain.Unknown, out.Health[0].To)
}

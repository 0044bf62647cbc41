package judge_test

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func setup(t *testing.T) (*judge.Service, *store.Store, rule.Rule, *[]rule.Rule) {
	t.Helper()
	s := testkit.Store(t)
	r, err := s.Rules.Save(
		t.Context(),
		rule.Rule{Name: "full", Kit: "h", Reading: "used", Unit: "%", Cause: "full", Enabled: true, Condition: &limit.Condition{
			Side: limit.Above, For: rule.Hold{Values: 2}, Recover: rule.Hold{Values: 1},
			Limits: map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 90, Recover: 85}}}},
	)
	require.NoError(t, err)
	svc, _, inForce := service(t, s)
	return svc, s, r, inForce
}

// service is the service with the kits that it judges, and the rules that it put in force last.
func service(t *testing.T, s *store.Store) (*judge.Service, *collect.Service, *[]rule.Rule) {
	t.Helper()
	kits := testkit.Kits(t, s)
	var inForce []rule.Rule
	svc := judge.New(s, testkit.Desk(s), kits, kinds.All, func(_ context.Context, rules []rule.Rule) { inForce = rules })
	kits.Judged = svc.InForce
	return svc, kits, &inForce
}

func device(t *testing.T, s *store.Store, name string) domain.Device {
	t.Helper()
	p, err := s.Places.Save(t.Context(), domain.Place{Name: "at " + name, Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(t.Context(), domain.Device{PlaceID: p.ID, Name: name, Address: netip.MustParseAddr("192.0.2.1"),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	return d
}

func TestSaveActsAtOnceAndKeepsWhatItWatches(t *testing.T) {
	svc, _, r, inForce := setup(t)
	changed := r
	changed.Kit, changed.Reading, changed.Unit, changed.Cause = "x", "y", "z", "w"
	changed.Condition = &limit.Condition{Side: limit.Above, For: rule.Hold{Values: 1}, Recover: rule.Hold{Values: 1},
		Limits: map[domain.Level]limit.Limit{domain.LevelCritical: {Raise: 95, Recover: 95}}}
	saved, err := svc.Save(t.Context(), testkit.Anyone, changed)
	require.NoError(t, err)
	assert.Equal(t, []string{"h", "used", "%", "full"}, []string{saved.Kit, saved.Reading, saved.Unit, saved.Cause})
	require.Len(t, *inForce, 1)
	assert.Equal(t, changed.Condition, (*inForce)[0].Condition)
}

func TestWrongRulesAreRefused(t *testing.T) {
	svc, s, r, inForce := setup(t)
	bad := r
	bad.Condition = &limit.Condition{
		Side:    limit.Above,
		For:     rule.Hold{},
		Recover: rule.Hold{Values: 1},
		Limits:  map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 1}},
	}
	_, err := svc.Save(t.Context(), testkit.Anyone, bad)
	var fields domain.FieldErrors
	require.ErrorAs(t, err, &fields)
	assert.Contains(t, fields, "for")
	bad.ID = 999
	_, err = svc.Save(t.Context(), testkit.Anyone, bad)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	other := r
	other.ID, other.Name = 0, "other"
	other, err = s.Rules.Save(t.Context(), other)
	require.NoError(t, err)
	other.Name = "full"
	_, err = svc.Save(t.Context(), testkit.Anyone, other)
	require.ErrorAs(t, err, &fields)
	assert.Contains(t, fields, "name")
	assert.Nil(t, *inForce, "nothing wrong comes into force")
}

func TestRehearseCountsOnThePast(t *testing.T) {
	svc, s, r, _ := setup(t)
	ctx, now := t.Context(), time.Now().UTC().Truncate(time.Minute)
	d := device(t, s, "log-1")
	series, err := s.Series.Add(
		ctx,
		[]domain.Series{{DeviceID: d.ID, Kit: "h", Reading: "used", Name: "Used", Unit: "%", Interval: time.Minute}},
	)
	require.NoError(t, err)
	// Two stretches above 90 for two values: minutes 2–4 and 7–8; the single
	// 99 at minute 5 is not two in a row.
	var batch []domain.SeriesSample
	for i, v := range []float64{80, 91, 92, 97, 84, 99, 80, 95, 96} {
		batch = append(
			batch,
			domain.SeriesSample{SeriesID: series[0].ID, Sample: domain.Sample{At: now.Add(time.Duration(i-60) * time.Minute), Value: v}},
		)
	}
	require.NoError(t, s.Samples.Append(ctx, batch))
	got, err := svc.Rehearse(ctx, testkit.Anyone, r, 24*time.Hour)
	require.NoError(t, err)
	assert.Equal(t, 1, got.Series)
	assert.Equal(t, 2, got.Alerts)
	assert.Equal(t, 2, got.ByLevel[domain.LevelWarning])
	require.Len(t, got.Worst, 1)
	assert.Equal(t, "log-1", got.Worst[0].Device)
	assert.Equal(t, 97.0, got.Worst[0].Peak)
	assert.Contains(t, got.Why.Answer, "2 alerts")
	r.Condition = &limit.Condition{}
	_, err = svc.Rehearse(ctx, testkit.Anyone, r, time.Hour)
	assert.Error(t, err)
}

// The noisiest come first, levels from the worst down, and one that still lasts
// counts up to now.
func TestRehearsalsTellOfTheNoisiest(t *testing.T) {
	svc, s, r, _ := setup(t)
	ctx, now := t.Context(), time.Now().UTC().Truncate(time.Minute)
	p, err := s.Places.Save(ctx, domain.Place{Name: "p", Kind: domain.Site})
	require.NoError(t, err)
	r.Condition = &limit.Condition{Side: limit.Above, For: rule.Hold{Values: 1}, Recover: rule.Hold{Values: 1},
		Limits: map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: 90, Recover: 85}, domain.LevelCritical: {Raise: 98, Recover: 95}}}
	for name, values := range map[string][]float64{
		"quiet":   {10, 20, 30, 40, 50, 60},
		"noisy":   {95, 10, 96, 10, 94, 10}, // thrice warning
		"lasting": {10, 10, 91, 99, 99, 99}, // once, critical, from minute 2 to now
	} {
		d, err := s.Devices.Add(
			ctx,
			domain.Device{PlaceID: p.ID, Name: name, Address: netip.AddrFrom4([4]byte{192, 0, 2, name[0]}), CreatedAt: now},
			"",
			nil,
		)
		require.NoError(t, err)
		series, err := s.Series.Add(
			ctx,
			[]domain.Series{{DeviceID: d.ID, Kit: "h", Reading: "used", Name: "Used", Unit: "%", Interval: time.Minute}},
		)
		require.NoError(t, err)
		var batch []domain.SeriesSample
		for i, v := range values {
			batch = append(
				batch,
				domain.SeriesSample{
					SeriesID: series[0].ID,
					Sample:   domain.Sample{At: now.Add(time.Duration(i-60) * time.Minute), Value: v},
				},
			)
		}
		require.NoError(t, s.Samples.Append(ctx, batch))
	}
	got, err := svc.Rehearse(ctx, testkit.Anyone, r, 24*time.Hour)
	require.NoError(t, err)
	assert.Equal(t, 3, got.Series)
	assert.Equal(t, 4, got.Alerts)
	assert.Equal(t, map[domain.Level]int{domain.LevelWarning: 3, domain.LevelCritical: 1}, got.ByLevel)
	assert.Equal(t, now.Add(-time.Hour), got.From, "what was really tried")
	assert.InDelta(t, 58, got.Longest.Minutes(), 1, "from minute 2 of the hour to now")
	require.Len(t, got.Worst, 2, "the quiet one is not among them")
	assert.Equal(t, []string{"noisy", "lasting"}, []string{got.Worst[0].Device, got.Worst[1].Device})
	var facts []string
	for _, f := range got.Why.Facts[1:] {
		facts = append(facts, f.Text)
	}
	assert.Equal(t, []string{"1 reached critical", "3 reached warning", "noisy: 3, up to 96\u00a0%", "lasting: 1, up to 99\u00a0%"}, facts)
	assert.Contains(t, got.Why.Answer, "4 alerts in 1\u00a0h")
}

// Whoever saves a rule and leaves must not leave it half in force.
func TestSavingOutlivesWhoeverAsked(t *testing.T) {
	_, s, r, _ := setup(t)
	r.Name = "fuller"
	ctx, cancel := context.WithCancel(t.Context())
	inForce := false
	svc := judge.New(s, testkit.Desk(s), testkit.Kits(t, s), kinds.All, func(now context.Context, _ []rule.Rule) {
		cancel()
		inForce = now.Err() == nil
	})
	_, err := svc.Save(ctx, testkit.Anyone, r)
	require.NoError(t, err)
	assert.True(t, inForce)
}

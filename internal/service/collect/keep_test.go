package collect_test

import (
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

var loss = domain.ReadingKey{Kit: "reachability", Reading: "loss"}

func TestTimesToKeepHaveBounds(t *testing.T) {
	svc, s, _ := setup(t)
	ctx := t.Context()
	for field, days := range map[string]domain.KeepDays{
		"points":       {Points: domain.MostPointDays + 1},
		"five_minutes": {FiveMinutes: -1},
		"hours":        {Hours: domain.MostRollupDays + 1},
		"days":         {Days: domain.MostRollupDays + 1},
	} {
		var fields domain.FieldErrors
		require.ErrorAs(t, svc.SetKeep(ctx, testkit.Anyone, loss, days), &fields, field)
		assert.Len(t, fields, 1)
		assert.Contains(t, fields, field)
		_, err := svc.RehearseKeep(ctx, testkit.Anyone, loss, days, store.UsualKeep(90))
		assert.ErrorAs(t, err, &fields, "a rehearsal refuses the same")
	}
	assert.ErrorIs(
		t,
		svc.SetKeep(ctx, testkit.Anyone, domain.ReadingKey{Kit: "none", Reading: "loss"}, domain.KeepDays{}),
		domain.ErrNotFound,
	)
	assert.ErrorIs(
		t,
		svc.SetKeep(ctx, testkit.Anyone, domain.ReadingKey{Kit: "reachability", Reading: "none"}, domain.KeepDays{}),
		domain.ErrNotFound,
	)
	most := domain.KeepDays{
		Points:      domain.MostPointDays,
		FiveMinutes: domain.MostRollupDays,
		Hours:       domain.MostRollupDays,
		Days:        domain.MostRollupDays,
	}
	require.NoError(t, svc.SetKeep(ctx, testkit.Anyone, loss, most))
	kept, err := s.Keeps.All(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[domain.ReadingKey]domain.KeepDays{loss: most}, kept)
}

// Setting again what is set must not make the store look at all its samples.
func TestTheSameTimeToKeepIsNoChange(t *testing.T) {
	svc, s, _ := setup(t)
	ctx := t.Context()
	require.NoError(t, svc.SetKeep(ctx, testkit.Anyone, loss, domain.KeepDays{}))
	unsettled, err := s.Keeps.Unsettled(ctx)
	require.NoError(t, err)
	assert.Empty(t, unsettled)
	require.NoError(t, svc.SetKeep(ctx, testkit.Anyone, loss, domain.KeepDays{Points: 30}))
	unsettled, err = s.Keeps.Unsettled(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[domain.ReadingKey]bool{loss: true}, unsettled)
}

// Thirty series, of which not every one is looked at, bring a value each minute
// for ten days; keeping single ones for three days lets seven days of them go.
func TestARehearsalTellsWhatGoes(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	series := make([]domain.Series, 30)
	for i := range series {
		p, err := s.Parts.Add(
			ctx,
			[]domain.Part{{DeviceID: d.ID, Kit: "reachability", Kind: "path", Key: string(rune('a' + i)), Name: "path"}},
		)
		require.NoError(t, err)
		series[i] = domain.Series{
			DeviceID: d.ID,
			PartID:   p[0].ID,
			Kit:      loss.Kit,
			Reading:  loss.Reading,
			Name:     "Loss",
			Unit:     "%",
			Interval: time.Minute,
		}
	}
	series, err := s.Series.Add(ctx, series)
	require.NoError(t, err)
	none, err := svc.RehearseKeep(ctx, testkit.Anyone, loss, domain.KeepDays{Points: 3}, store.UsualKeep(90))
	require.NoError(t, err)
	assert.Equal(t, 30, none.Series)
	assert.Empty(t, none.Losses, "nothing is stored yet")

	begin := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, -10)
	var pasts []samples.History
	for i, x := range series {
		past := samples.History{Series: x.ID}
		for m := range 10 * 1440 {
			past.Points = append(past.Points, codec.Point{T: begin.UnixMilli() + int64(m)*60_000, V: float64((m * (i + 7)) % 97)})
		}
		pasts = append(pasts, past)
	}
	require.NoError(t, s.Samples.Import(ctx, pasts))
	got, err := svc.RehearseKeep(ctx, testkit.Anyone, loss, domain.KeepDays{Points: 3}, store.UsualKeep(90))
	require.NoError(t, err)
	require.NotEmpty(t, got.Losses)
	assert.Equal(t, retention.Points, got.Losses[0].Form)
	assert.Equal(t, int(begin.Unix()/86_400), got.Losses[0].First)
	assert.Positive(t, got.Lost)
	short, err := svc.RehearseKeep(
		ctx,
		testkit.Anyone,
		loss,
		domain.KeepDays{Points: 3, FiveMinutes: 3, Hours: 3, Days: 3},
		store.UsualKeep(90),
	)
	require.NoError(t, err)
	assert.Less(t, short.Full, got.Full, "rollups that tell of the time before take room, too")
	assert.Equal(t, got.FullNow, short.FullNow)
	points := got.Next[0]
	require.Equal(t, retention.Points, points.Form)
	// 30 × 1,440 values a day; each takes a byte or a little more (two digits at most).
	assert.InDelta(t, 30*1440*1.2, points.PerDay, 30*1440*0.6, "the few that are looked at stand for all")
}

func TestWhatASampleTakesIsMeasured(t *testing.T) {
	svc, _, _ := setup(t)
	assert.Equal(t, kit.BytesPerSample, svc.BytesPerSample(t.Context()), "a guess while nothing is stored")
}

package samples_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/retention"
	"tirelessowl/internal/store/samples"
)

// held tells which days lie at rest of each form, and what they take.
func held(t *testing.T, s *samples.Store, ids ...int64) (all []retention.Held, days map[retention.Form]map[int]bool) {
	t.Helper()
	all, share, err := s.Held(t.Context(), ids)
	require.NoError(t, err)
	assert.Equal(t, 1.0, share, "small tables are looked at whole")
	days = map[retention.Form]map[int]bool{}
	for _, h := range all {
		if days[h.Form] == nil {
			days[h.Form] = map[int]bool{}
		}
		days[h.Form][h.First] = true
	}
	return all, days
}

// What a rehearsal says goes, goes when it is done, and nothing else does.
func TestWhatIsRehearsedHappens(t *testing.T) {
	usual := samples.Keep{Points: 110 * oneDay, FiveMinutes: 365 * oneDay, Hours: 5 * 365 * oneDay, Days: 20 * 365 * oneDay}
	today := samples.DayOf(noon.UnixMilli())
	for name, c := range map[string]struct {
		every int // seconds between points
		own   samples.Keep
		forms []retention.Form
		inFor retention.Form
	}{
		"as usual, of a sample a minute": {
			60, samples.Keep{}, []retention.Form{retention.Points, retention.Hours, retention.Days}, retention.FiveMinutes,
		},
		"as usual, of two an hour": {1800, samples.Keep{}, []retention.Form{retention.Points, retention.Days}, retention.Hours},
		"as usual, of a sample in 5 s": {
			5, samples.Keep{}, []retention.Form{retention.Points, retention.FiveMinutes, retention.Hours, retention.Days}, "",
		},
		"points go early": {
			60, samples.Keep{Points: 20 * oneDay},
			[]retention.Form{retention.Points, retention.FiveMinutes, retention.Hours, retention.Days}, "",
		},
		"points stand for shorter rollups": {
			60, samples.Keep{FiveMinutes: 40 * oneDay}, []retention.Form{retention.Points, retention.Hours, retention.Days},
			retention.FiveMinutes,
		},
		"all but the days go": {
			5, samples.Keep{Points: 9 * oneDay, FiveMinutes: 10 * oneDay, Hours: 50 * oneDay},
			[]retention.Form{retention.Points, retention.FiveMinutes, retention.Hours, retention.Days}, "",
		},
		"everything goes after a single week": {
			60, samples.Keep{Points: 7 * oneDay, FiveMinutes: 7 * oneDay, Hours: 7 * oneDay, Days: 7 * oneDay},
			[]retention.Form{retention.Points, retention.FiveMinutes, retention.Hours, retention.Days}, "",
		},
	} {
		t.Run(name, func(t *testing.T) {
			s, plans := planned(t)
			ctx := t.Context()
			require.NoError(t, s.Import(ctx, []samples.History{past(1, 100, c.every), past(2, 100, c.every)}))
			before, daysBefore := held(t, s, 1)
			next, err := s.Try(ctx, []int64{1}, today-1, c.own, usual)
			require.NoError(t, err)
			var forms []retention.Form
			for _, k := range next {
				forms = append(forms, k.Form)
			}
			assert.Equal(t, c.forms, forms)
			assert.Equal(t, c.inFor, next[0].InFor)
			r := retention.Rehearse(today, nil, next, before)

			plans[1] = samples.Plan{Keep: c.own}
			require.NoError(t, s.Refile(ctx, []int64{1, 2}))
			_, err = s.Retain(ctx, noon, usual)
			require.NoError(t, err)
			_, daysAfter := held(t, s, 1)
			gone := map[retention.Form]retention.Loss{}
			for _, l := range r.Losses {
				gone[l.Form] = l
			}
			for form, days := range daysBefore {
				for day := range days {
					l, lost := gone[form]
					assert.Equal(t, !lost || day > l.Last, daysAfter[form][day], "%s of day %d", form, day-today)
				}
			}
			for _, k := range next { // newly made rollups are there for what is kept
				assert.NotEmpty(t, daysAfter[k.Form], k.Form)
			}
			_, untouched := held(t, s, 2)
			assert.Len(t, untouched[retention.Points], 100, "another series is kept as before")
		})
	}
}

// What a day brings is what a day is seen to bring.
func TestTriedSizesAreTrue(t *testing.T) {
	s, _ := planned(t)
	require.NoError(t, s.Import(t.Context(), []samples.History{past(1, 30, 5), past(2, 30, 5)}))
	all, _ := held(t, s, 1, 2)
	bytes := map[retention.Form]float64{}
	for _, h := range all {
		bytes[h.Form] += h.Bytes
	}
	kept, err := s.Try(t.Context(), []int64{1, 2}, samples.DayOf(noon.UnixMilli())-1, samples.Keep{}, samples.KeepFor(oneDay))
	require.NoError(t, err)
	require.Len(t, kept, 4)
	for _, k := range kept[:3] {
		assert.InEpsilon(t, bytes[k.Form]/60, k.PerDay, 0.1, k.Form) // 30 days of 2 series
	}
	assert.Zero(t, kept[3].PerDay, "a row holds many days")
}

// Texts have no rollups; states have rollups and runs. Without points of the day
// all that may be made is told, with its time.
func TestTryWithoutPoints(t *testing.T) {
	s, plans := planned(t)
	plans[1] = samples.Plan{NoRollups: true, Runs: 3 * oneDay}
	usual := samples.KeepFor(90 * oneDay)
	kept, err := s.Try(t.Context(), []int64{1}, 20_000, samples.Keep{Hours: 12 * oneDay}, usual)
	require.NoError(t, err)
	assert.Equal(t, []retention.Kept{{Form: retention.Points, Days: 90}, {Form: retention.Runs, Days: 12, Own: true}}, kept)
	plans[1] = samples.Plan{Runs: oneDay}
	kept, err = s.Try(t.Context(), []int64{1}, 20_000, samples.Keep{}, usual)
	require.NoError(t, err)
	assert.Len(t, kept, 5)
}

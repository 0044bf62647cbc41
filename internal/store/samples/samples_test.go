package samples_test

import (
	"context"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) {
	if os.Getenv("OWL_CRASH_URL") != "" {
		os.Exit(m.Run()) // the writer of the crash test has its database
	}
	testkit.Main(m)
}

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// often seals everything within a quarter of a second.
var often = samples.Options{SealEvery: 256 * time.Millisecond}

func open(t *testing.T, db *store.Store, opt samples.Options) *samples.Store {
	t.Helper()
	s := samples.New(db.Pool(), nil)
	require.NoError(t, s.Start(t.Context(), opt))
	t.Cleanup(s.Stop)
	return s
}

func at(minutes float64, series int64, value float64) domain.SeriesSample {
	return domain.SeriesSample{
		SeriesID: series,
		Sample:   domain.Sample{At: noon.Add(time.Duration(minutes * float64(time.Minute))), Value: value},
	}
}

func points(t *testing.T, s *samples.Store, series ...int64) map[int64][]codec.Point {
	t.Helper()
	out := map[int64][]codec.Point{}
	require.NoError(t, s.Points(t.Context(), series, noon.AddDate(0, 0, -40), noon.AddDate(0, 0, 2), func(id int64, p []codec.Point) error {
		out[id] = slices.Clone(p)
		return nil
	}))
	return out
}

func values(p []codec.Point) (out []float64) {
	for _, x := range p {
		out = append(out, x.V)
	}
	return out
}

func TestWhatIsAcceptedIsThere(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	ctx := t.Context()
	require.NoError(t, s.Append(ctx, nil))
	require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(0, 1, 5), at(0, 2, 7.25), at(1, 1, 6)}))
	got := points(t, s, 1, 2, 3)
	assert.Equal(t, []float64{5, 6}, values(got[1]))
	assert.Equal(t, []float64{7.25}, values(got[2]))
	assert.NotContains(t, got, int64(3))
	assert.Equal(t, []float64{5, 6}, values(s.Latest(1)))
	assert.Equal(t, noon.Add(time.Minute), s.Newest())
	assert.ErrorIs(t, s.Append(ctx, []domain.SeriesSample{at(2, 1, 1), at(2, 2, math.NaN())}), samples.ErrNotFinite)
	assert.ErrorIs(t, s.Append(ctx, []domain.SeriesSample{at(2, 1, math.Inf(-1))}), samples.ErrNotFinite)
	assert.Len(t, points(t, s, 1)[1], 2, "nothing of a refused batch is taken")
	s.Stop()
	assert.ErrorIs(t, s.Append(ctx, []domain.SeriesSample{at(3, 1, 1)}), samples.ErrStopped)
	s.Stop()
}

// Late, repeated and corrected samples, before and after they were sealed.
func TestOrderDoesNotMatterAndTheLaterArrivalWins(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	for name, opt := range map[string]samples.Options{"in memory": {}, "sealed": often} {
		t.Run(name, func(t *testing.T) {
			s := open(t, db, opt)
			defer s.Stop()
			id := int64(len(name))
			for _, batch := range [][]domain.SeriesSample{
				{at(10, id, 10), at(11, id, 11)}, {at(5, id, 5)}, {at(11, id, -11)}, {at(12, id, 12), at(12, id, -12)}, {at(5, id, -5)},
				{at(-3000, id, 1)}, {at(13, id, 13)},
			} {
				require.NoError(t, s.Append(t.Context(), batch))
				if opt.SealEvery > 0 {
					require.NoError(t, s.Seal(t.Context()))
				}
				assert.NotEmpty(t, s.Latest(id))
			}
			assert.Equal(t, []float64{1, -5, 10, -11, -12, 13}, values(points(t, s, id)[id]))
			assert.Equal(t, 13.0, s.Latest(id)[len(s.Latest(id))-1].V)
		})
	}
}

func TestRestartGoesOnBehindTheJournal(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	for m := range 100 {
		require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(float64(m), 1, float64(m)), at(float64(m), 300, -float64(m))}))
	}
	want := points(t, s, 1, 300)
	reader := samples.New(db.Pool(), nil)
	require.NoError(t, reader.Load(t.Context()))
	assert.Equal(t, want, points(t, reader, 1, 300), "another process reads the journal")
	other := samples.New(db.Pool(), nil)
	assert.ErrorIs(t, other.Start(t.Context(), samples.Options{}), samples.ErrOtherWriter)
	s.Stop()
	again := open(t, db, samples.Options{})
	assert.Equal(t, want, points(t, again, 1, 300))
	assert.Equal(
		t,
		[]float64{92, 93, 94, 95, 96, 97, 98, 99},
		values(again.Latest(1)),
		"newest points come back without a look at the chunks",
	)
	assert.Equal(t, noon.Add(99*time.Minute), again.Newest())
	require.NoError(t, again.Append(t.Context(), []domain.SeriesSample{at(100, 1, 100)}))
	assert.Len(t, points(t, again, 1)[1], 101)
	var rows int
	require.NoError(
		t,
		db.Pool().QueryRow(t.Context(), "SELECT (SELECT count(*) FROM journal_0) + (SELECT count(*) FROM journal_1)").Scan(&rows),
	)
	assert.Equal(t, 1, rows, "a clean end empties the journal")
}

// world is some series of different kinds over three days.
func world() (map[int64][]codec.Point, []domain.SeriesSample) {
	r := rand.New(rand.NewPCG(1, 2))
	all := map[int64][]codec.Point{}
	var in []domain.SeriesSample
	for m := -3 * 1440; m < 300; m++ {
		for id := int64(1); id <= 4; id++ {
			if id == 3 && m > -2000 && m < -1900 || id == 4 && m%30 != 0 {
				continue // a gap, and a slow series
			}
			v := []float64{0, float64(r.IntN(1000)) / 10, 42, r.NormFloat64(), float64(m)}[id]
			x := at(float64(m), id, v)
			in = append(in, x)
			all[id] = append(all[id], codec.Point{T: x.At.UnixMilli(), V: v})
		}
	}
	return all, in
}

// The rollups of every width must be what folding all points gives, whether
// days are folded or not, and wherever the points are.
func TestRangeEqualsFoldingThePoints(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, often)
	all, in := world()
	for batch := range slices.Chunk(in, 700) {
		require.NoError(t, s.Append(t.Context(), batch))
	}
	ids := []int64{1, 2, 3, 4}
	check := func(when string) {
		for _, width := range []time.Duration{
			7 * time.Second, time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 6 * time.Hour, 24 * time.Hour,
			48 * time.Hour,
		} {
			for _, from := range []time.Duration{-80 * time.Hour, -50*time.Hour - 7*time.Minute, -3 * time.Hour} {
				a, b := noon.Add(from), noon.Add(4*time.Hour+time.Second)
				wide := width.Milliseconds()
				got := map[int64][]codec.Rollup{}
				_, err := s.Range(
					t.Context(),
					ids,
					a,
					b,
					width,
					func(id int64, rollups []codec.Rollup) error { got[id] = rollups; return nil },
				)
				require.NoError(t, err)
				begin, end := codec.Begin(a.UnixMilli(), wide), codec.Begin(b.UnixMilli()-1, wide)+wide
				for _, id := range ids {
					kept := slices.DeleteFunc(slices.Clone(all[id]), func(p codec.Point) bool { return p.T < begin || p.T >= end })
					want := codec.Fold(nil, kept, wide)
					require.Len(t, got[id], len(want), "%s: series %d, width %s from %s", when, id, width, from)
					for i := range want {
						assert.InDelta(t, want[i].Sum, got[id][i].Sum, 1e-6)
						want[i].Sum, got[id][i].Sum = 0, 0
					}
					require.Equal(t, want, got[id], "%s: series %d, width %s from %s", when, id, width, from)
				}
			}
		}
	}
	check("before folding")
	require.NoError(t, s.Seal(t.Context()))
	check("sealed")
	done, err := s.FoldDue(t.Context(), noon.Add(2*time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 3, done, "the three days that ended")
	check("folded")
	resolution, err := s.Range(
		t.Context(),
		[]int64{1},
		noon.AddDate(0, 0, -2),
		noon.AddDate(0, 0, -1).Add(-13*time.Hour),
		time.Hour,
		func(int64, []codec.Rollup) error { return nil },
	)
	require.NoError(t, err)
	assert.Equal(t, time.Hour, resolution)

	// An outpost that was cut off brings two days of late samples.
	late := at(-2000.5, 3, 1e6)
	all[3] = append(all[3], codec.Point{T: late.At.UnixMilli(), V: 1e6})
	slices.SortFunc(all[3], func(a, b codec.Point) int { return int(a.T - b.T) })
	require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{late}))
	check("with a late one")
	require.NoError(t, s.Seal(t.Context()))
	check("with a late one, sealed")
	done, err = s.FoldDue(t.Context(), noon.Add(2*time.Hour))
	require.NoError(t, err)
	assert.Equal(t, 1, done, "its day is folded anew")
	check("with a late one, folded")
	s.Stop()
	s = open(t, db, samples.Options{})
	check("after a restart")
}

func TestImportJoinsWhatIsThere(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	all, _ := world()
	yesterday := slices.DeleteFunc(slices.Clone(all[1]), func(p codec.Point) bool { return p.T >= noon.Add(-12*time.Hour).UnixMilli() })
	half := len(yesterday) / 2
	ctx := t.Context()
	require.NoError(t, s.Import(ctx, []samples.History{{Series: 1, Points: yesterday[:half+10]}}))
	require.NoError(
		t,
		s.Import(ctx, []samples.History{{Series: 1, Points: yesterday[half:]}, {Series: 2, Points: all[2][:5]}, {Series: 9}}),
	)
	require.NoError(t, s.Import(ctx, []samples.History{{Series: 1, Points: yesterday[half:]}}), "again")
	assert.Equal(t, yesterday, points(t, s, 1)[1])
	assert.Equal(t, yesterday[len(yesterday)-1], s.Latest(1)[len(s.Latest(1))-1])
	var rollups []codec.Rollup
	_, err := s.Range(
		ctx,
		[]int64{1},
		noon.AddDate(0, 0, -4),
		noon.Add(-12*time.Hour),
		24*time.Hour,
		func(_ int64, x []codec.Rollup) error { rollups = slices.Clone(x); return nil },
	)
	require.NoError(t, err)
	assert.Len(t, rollups, 3)
	assert.Equal(t, len(yesterday), rollups[0].Count+rollups[1].Count+rollups[2].Count)
	require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(0, 1, 1)}))
	s.Stop()
	s = open(t, db, samples.Options{})
	assert.Equal(t, all[2][:5], s.Latest(2), "the newest of an import are known after a restart")
}

// Imports of the same days of the same series at once wait for each other.
func TestImportsAtOnce(t *testing.T) {
	s := open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{})
	const workers, each = 4, 30
	var running sync.WaitGroup
	for w := range workers {
		running.Go(func() {
			for n := range each {
				minute := int64(n*workers + w)
				p := []codec.Point{{T: noon.UnixMilli() - minute*60_000, V: float64(minute)}}
				assert.NoError(t, s.Import(t.Context(), []samples.History{{Series: 1, Points: p}, {Series: int64(2 + w), Points: p}}))
			}
		})
	}
	running.Wait()
	got := points(t, s, 1, 2, 3, 4, 5)
	assert.Len(t, got[1], workers*each)
	for w := range workers {
		assert.Len(t, got[int64(2+w)], each)
	}
}

// An import that comes after samples corrects them, folded or not; what comes
// after the import corrects it in turn.
func TestImportCorrectsWhatCameBefore(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	ctx := t.Context()
	require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(0, 1, 5), at(1, 1, 6)}))
	require.NoError(t, s.Import(ctx, []samples.History{{Series: 1, Points: []codec.Point{{T: noon.UnixMilli(), V: 50}}}}))
	assert.Equal(t, []float64{50, 6}, values(points(t, s, 1)[1]))
	assert.Equal(t, []float64{50, 6}, values(s.Latest(1)))
	require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(1, 1, 60)}))
	require.NoError(t, s.Seal(ctx))
	assert.Equal(t, []float64{50, 60}, values(points(t, s, 1)[1]))
	_, err := s.FoldDue(ctx, noon.AddDate(0, 0, 3))
	require.NoError(t, err)
	assert.Equal(t, []float64{50, 60}, values(points(t, s, 1)[1]))
}

func TestForget(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(0, 1, 5), at(0, 2, 5)}))
	s.Forget([]int64{1})
	assert.Empty(t, s.Latest(1))
	assert.NotEmpty(t, s.Latest(2))
}

// While the database is away samples go to a file, and from there into the
// journal: none is lost, none is doubled.
func TestSpillWhileTheDatabaseIsAway(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	file := filepath.Join(t.TempDir(), "spill")
	s := open(t, db, samples.Options{SpillFile: file})
	ctx := t.Context()
	require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(0, 1, 0)}))
	_, err := db.Pool().Exec(ctx, "ALTER TABLE journal_0 RENAME TO journal_gone")
	require.NoError(t, err)
	for m := 1; m < 5; m++ {
		require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(float64(m), 1, float64(m))}), "accepted all the same")
	}
	assert.True(t, s.Stats().Away)
	assert.Equal(t, int64(4), s.Stats().Spilled)
	assert.Equal(t, 4, s.Stats().Waiting)
	assert.Equal(t, []float64{0, 1, 2, 3, 4}, values(s.Latest(1)))
	_, err = db.Pool().Exec(ctx, "ALTER TABLE journal_gone RENAME TO journal_0")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(9, 1, 9)}))
		return !s.Stats().Away
	}, 10*time.Second, 100*time.Millisecond)
	assert.Zero(t, s.Stats().Waiting)
	assert.Zero(t, s.Stats().WaitingBytes)
	reader := samples.New(db.Pool(), nil)
	require.NoError(t, reader.Load(ctx))
	assert.Equal(t, []float64{0, 1, 2, 3, 4, 9}, values(points(t, reader, 1)[1]))
}

func TestAFullSpillFileSlowsDownAndLosesNothing(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{SpillFile: filepath.Join(t.TempDir(), "spill"), SpillBytes: 10})
	_, err := db.Pool().Exec(t.Context(), "ALTER TABLE journal_0 RENAME TO journal_gone")
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	assert.ErrorIs(t, s.Append(ctx, []domain.SeriesSample{at(1, 1, 1)}), context.DeadlineExceeded, "it waits")
	_, err = db.Pool().Exec(t.Context(), "ALTER TABLE journal_gone RENAME TO journal_0")
	require.NoError(t, err)
	require.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(2, 1, 2)}))
	assert.Equal(t, []float64{1, 2}, values(points(t, s, 1)[1]))
}

// The clock was set back by five minutes: what comes now is the newest, and what was
// stamped before stays where it is in time.
func TestRewind(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	ctx := t.Context()
	for m := range 30 {
		require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(float64(m), 1, float64(m)), at(3, 2, 7)}))
	}
	assert.Equal(t, 1, s.Rewind(noon.Add(24*time.Minute)), "the other series has nothing later")
	assert.Zero(t, s.Rewind(noon.Add(24*time.Minute)))
	assert.Equal(t, noon.Add(24*time.Minute), s.Newest())
	for m := 24.5; m < 27; m++ {
		require.NoError(t, s.Append(ctx, []domain.SeriesSample{at(m, 1, -m)}))
		latest := s.Latest(1)
		assert.Equal(t, -m, latest[len(latest)-1].V)
	}
	want := []float64{23, 24, -24.5, 25, -25.5, 26, -26.5, 27, 28, 29}
	check := func() {
		got := values(points(t, s, 1)[1])
		assert.Equal(t, want, got[len(got)-10:])
		assert.Len(t, got, 33)
	}
	check()
	require.NoError(t, s.Seal(ctx))
	check()
	reader := samples.New(db.Pool(), nil)
	require.NoError(t, reader.Load(ctx))
	assert.Equal(t, 33, len(points(t, reader, 1)[1]))
}

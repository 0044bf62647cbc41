package samples_test

import (
	"context"
	"encoding/binary"
	"errors"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

// Connections are cut at random while samples come in, are sealed and folded:
// commits whose answer was lost are repeated, and stored once.
func TestConnectionsAreCutUnderLoad(t *testing.T) {
	url := testkit.URL(t)
	db := testkit.OpenStore(t, url)
	s := open(t, db, samples.Options{SealEvery: 256 * time.Millisecond, SpillFile: filepath.Join(t.TempDir(), "spill")})
	killer, err := pgx.Connect(t.Context(), url)
	require.NoError(t, err)
	defer killer.Close(context.Background())
	ctx, cancel := context.WithCancel(t.Context())
	var others sync.WaitGroup
	cuts := 0
	others.Go(func() {
		r := rand.New(rand.NewPCG(1, 1))
		for ctx.Err() == nil {
			_, _ = killer.Exec(
				context.Background(),
				"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()",
			)
			cuts++
			time.Sleep(time.Duration(5+r.IntN(40)) * time.Millisecond)
		}
	})
	others.Go(func() {
		for ctx.Err() == nil {
			_, _ = s.FoldDue(ctx, s.Newest())
			time.Sleep(30 * time.Millisecond)
		}
	})
	a := account{accepted: -1, doubtful: map[int]bool{}}
	n := 0
	for began := time.Now(); time.Since(began) < 3*time.Second || n < 50; n++ {
		require.NoError(t, s.Append(t.Context(), crashBatch(n)))
	}
	cancel()
	others.Wait()
	require.Greater(t, cuts, 20)
	a.check(t, s, n)
	require.Eventually(t, func() bool { return s.Seal(t.Context()) == nil }, 2*time.Minute, 50*time.Millisecond)
	a.check(t, s, n)
	_, err = s.FoldDue(t.Context(), s.Newest().AddDate(0, 0, 9))
	require.NoError(t, err)
	a.check(t, s, n)
	t.Logf("%d batches, %d cuts, %d blocks spilled", n, cuts, s.Stats().Spilled)
}

func TestAFullDiskDelaysAndLosesNothing(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{SealEvery: 256 * time.Millisecond, SpillFile: filepath.Join(t.TempDir(), "spill")})
	a := account{doubtful: map[int]bool{}}
	n := 0
	load := func(batches int) {
		for range batches {
			require.NoError(t, s.Append(t.Context(), crashBatch(n)))
			n++
		}
	}
	// Each statement waits for its own locks only, and is repeated where the
	// store at work and it waited for each other.
	exec := func(sql string) {
		_, err := db.Pool().Exec(t.Context(), sql)
		var failed *pgconn.PgError
		for errors.As(err, &failed) && failed.Code == "40P01" { // deadlock_detected
			_, err = db.Pool().Exec(t.Context(), sql)
		}
		require.NoError(t, err)
	}
	load(20)
	exec(
		"CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'could not extend file: No " +
			"space left on device' USING ERRCODE = '53100'; END $$",
	)
	exec("CREATE TRIGGER full_disk BEFORE INSERT ON chunks FOR EACH ROW EXECUTE FUNCTION full_disk()")
	load(20)
	assert.ErrorContains(t, s.Seal(t.Context()), "No space left")
	a.check(t, s, n)
	_, err := s.FoldDue(t.Context(), s.Newest().AddDate(0, 0, 9))
	require.NoError(t, err)
	exec("CREATE TRIGGER full_disk BEFORE INSERT ON journal_0 FOR EACH ROW EXECUTE FUNCTION full_disk()")
	load(3)
	assert.Positive(t, s.Stats().Spilled, "accepted in the file")
	a.check(t, s, n)
	exec("DROP TRIGGER full_disk ON chunks")
	exec("DROP TRIGGER full_disk ON journal_0")
	require.Eventually(t, func() bool { load(1); return !s.Stats().Away }, 10*time.Second, 100*time.Millisecond)
	require.NoError(t, s.Seal(t.Context()))
	a.check(t, s, n)
	reader := samples.New(db.Pool(), nil)
	require.NoError(t, reader.Load(t.Context()))
	a.check(t, reader, n)
}

// A machine that loses power may leave half a record at the end of the file:
// it was never accepted. Whole ones before it are.
func TestTornSpillFile(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	file := filepath.Join(t.TempDir(), "spill")
	s := open(t, db, samples.Options{SpillFile: file, SpillReserve: 1})
	exec := func(sql string) {
		_, err := db.Pool().Exec(t.Context(), sql)
		require.NoError(t, err)
	}
	exec("ALTER TABLE journal_0 RENAME TO journal_gone")
	a := account{doubtful: map[int]bool{}}
	for n := range 3 {
		require.NoError(t, s.Append(t.Context(), crashBatch(n)))
	}
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	first := 16 + 16 + int(binary.LittleEndian.Uint32(whole[16:])) // behind the head of the file and the first record
	exec("ALTER TABLE journal_gone RENAME TO journal_0")
	for name, c := range map[string]struct {
		data []byte
		want int // batches
	}{
		"whole":         {whole, 3},
		"torn data":     {whole[:len(whole)-3], 2},
		"torn head":     {whole[:first+7], 1},
		"spoilt data":   {append(append([]byte(nil), whole[:first+20]...), make([]byte, len(whole)-first-20)...), 1},
		"endless claim": {append(append([]byte(nil), whole[:first]...), 0xff, 0xff, 0xff, 0xff, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0), 1},
		"head alone":    {whole[:16], 0},
		"empty":         {nil, 0},
	} {
		t.Run(name, func(t *testing.T) {
			db := testkit.OpenStore(t, testkit.URL(t))
			require.NoError(t, os.WriteFile(file+name, c.data, 0o600))
			s := open(t, db, samples.Options{SpillFile: file + name})
			a.check(t, s, c.want)
			require.NoError(t, s.Append(t.Context(), crashBatch(c.want)))
			a.check(t, s, c.want+1)
		})
	}
}

// A block that is on its way to the database is in the file meanwhile, before the
// database is known to be slow: a process that is killed then finds it there.
func TestABlockOnItsWayOutlivesAKill(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	file := filepath.Join(t.TempDir(), "spill")
	s := open(t, db, samples.Options{SpillFile: file, SpillReserve: 1 << 10})
	a := account{doubtful: map[int]bool{}}
	var kept []byte
	for n := 0; kept == nil; n++ {
		require.Less(t, n, 20, "the database was known to be slow each time before anything could be looked at")
		tx, err := db.Pool().Begin(t.Context())
		require.NoError(t, err)
		_, err = tx.Exec(t.Context(), "LOCK TABLE journal_0")
		require.NoError(t, err)
		before, accepted := s.Stats().Spilled, make(chan error, 1)
		go func() { accepted <- s.Append(context.Background(), crashBatch(0)) }()
		for s.Stats().Spilled == before && kept == nil {
			text, err := os.ReadFile(file)
			require.NoError(t, err)
			if s.Stats().Spilled == before && binary.LittleEndian.Uint32(text[16:]) > 0 {
				kept = text
			}
		}
		require.NoError(t, tx.Rollback(t.Context()))
		require.NoError(t, <-accepted)
		require.Eventually(t, func() bool { return s.Stats().Waiting == 0 }, 10*time.Second, 10*time.Millisecond)
	}
	require.NoError(t, os.WriteFile(file+"-killed", kept, 0o600))
	a.check(t, open(t, testkit.OpenStore(t, testkit.URL(t)), samples.Options{SpillFile: file + "-killed"}), 1)
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Zero(t, binary.LittleEndian.Uint32(text[16:]), "and it is struck when the database has it")
}

func TestRetainDropsWholePartitions(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	ctx := t.Context()
	h := samples.History{Series: 7}
	for d := range 800 {
		for m := range 100 { // ten minutes long, so that rollups take less than points
			h.Points = append(h.Points, codec.Point{T: noon.AddDate(0, 0, -d).UnixMilli() + int64(m)*6_000, V: math.Sqrt(float64(d + m))})
		}
	}
	require.NoError(t, s.Import(ctx, []samples.History{h}))
	count := func(width time.Duration) (n int) {
		_, err := s.Range(
			ctx,
			[]int64{7},
			noon.AddDate(-3, 0, 0),
			noon.AddDate(0, 0, 1),
			width,
			func(_ int64, rollups []codec.Rollup) error {
				for _, x := range rollups {
					n += x.Count
				}
				return nil
			},
		)
		require.NoError(t, err)
		return n
	}
	assert.Equal(t, 80_000, count(24*time.Hour))
	dropped, err := s.Retain(ctx, noon, samples.KeepFor(30*24*time.Hour))
	require.NoError(t, err)
	assert.NotEmpty(t, dropped)
	singles := count(time.Minute)
	assert.GreaterOrEqual(t, singles, 3000)
	assert.LessOrEqual(t, singles, 3700, "at most a week more than asked for")
	five := count(5 * time.Minute)
	assert.GreaterOrEqual(t, five, 36_500)
	assert.LessOrEqual(t, five, 36_500+2800)
	assert.Equal(t, 80_000, count(24*time.Hour), "days stay for twenty years")
	again, err := s.Retain(ctx, noon, samples.KeepFor(30*24*time.Hour))
	require.NoError(t, err)
	assert.Empty(t, again)
	size, err := s.BytesPerSample(ctx)
	require.NoError(t, err)
	assert.Positive(t, size)
}

func TestDaysBefore1970(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, samples.Options{})
	h := samples.History{Series: 1, Points: []codec.Point{{T: -100 * 86_400_000, V: 1}, {T: -1, V: 2}, {T: 0, V: 3}}}
	require.NoError(t, s.Import(t.Context(), []samples.History{h}))
	var got []codec.Point
	require.NoError(
		t,
		s.Points(
			t.Context(),
			[]int64{1},
			time.UnixMilli(-1e10),
			time.UnixMilli(10),
			func(_ int64, p []codec.Point) error { got = append(got, p...); return nil },
		),
	)
	assert.Equal(t, h.Points, got)
	assert.Equal(t, []int{-1, 0, 0, 1}, []int{samples.DayOf(-1), samples.DayOf(0), samples.DayOf(86_399_999), samples.DayOf(86_400_000)})
}

func TestManyWritersAtOnce(t *testing.T) {
	db := testkit.OpenStore(t, testkit.URL(t))
	s := open(t, db, often)
	var writers sync.WaitGroup
	for w := range 8 {
		writers.Go(func() {
			for m := range 100 {
				assert.NoError(t, s.Append(t.Context(), []domain.SeriesSample{at(float64(m), int64(w), float64(m))}))
			}
		})
	}
	writers.Wait()
	for w := range int64(8) {
		assert.Len(t, points(t, s, w)[w], 100)
	}
	assert.LessOrEqual(t, s.Stats().Blocks, int64(800), "those who wait share a commit")
	assert.Equal(t, int64(800), s.Stats().Accepted)
}

// A writer whose lock was taken by another accepts nothing more.
func TestASecondWriterFencesTheFirst(t *testing.T) {
	url := testkit.URL(t)
	first := open(t, testkit.OpenStore(t, url), samples.Options{SealEvery: 256 * 2 * time.Second}) // it looks at its lock every 2 s
	require.NoError(t, first.Append(t.Context(), []domain.SeriesSample{at(0, 1, 1)}))
	other := testkit.OpenStore(t, url)
	second := samples.New(other.Pool(), nil)
	_, err := other.Pool().Exec(t.Context(), "SELECT pg_terminate_backend(pid) FROM pg_locks WHERE locktype = 'advisory'")
	require.NoError(t, err)
	require.NoError(t, second.Start(t.Context(), samples.Options{}), "it waits for the lock for a while")
	defer second.Stop()
	require.NoError(t, second.Append(t.Context(), []domain.SeriesSample{at(1, 1, 2)}))
	require.Eventually(
		t,
		func() bool { return first.Append(t.Context(), []domain.SeriesSample{at(2, 1, 3)}) != nil },
		10*time.Second,
		10*time.Millisecond,
	)
}

package samples_test

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/testkit"
)

// The crash test runs a writer in a process of its own, kills it at random
// moments while it journals, seals, folds and drops what is old, and keeps an account of what was
// accepted: all of that must be read back, exactly once.
//
// OWL_CRASHES sets how often; 20 by default.

const crashSeries = 600 // more than there are shards

// crashBatch is the content of a batch, which follows from its number: every
// one moves on by ten minutes, and some repeat times of the one before with
// other values or bring late samples.
func crashBatch(n int) []domain.SeriesSample {
	r := rand.New(rand.NewPCG(uint64(n), 77))
	var out []domain.SeriesSample
	for range 1 + r.IntN(300) {
		minutes := n*10 + r.IntN(15)
		if r.IntN(20) == 0 {
			minutes -= r.IntN(3000)
		}
		out = append(out, at(float64(minutes)-40_000, r.Int64N(crashSeries), float64(n)+float64(r.IntN(1000))/1000))
	}
	return out
}

// crashPlans keeps some series as runs too, and some for a time of their own.
func crashPlans(_ context.Context, series []int64) (map[int64]samples.Plan, error) {
	out := map[int64]samples.Plan{}
	for _, id := range series {
		p := samples.Plan{}
		if id%7 == 0 {
			p.Runs, p.NoRollups = time.Hour, id%2 == 0
		}
		if id%5 == 0 {
			p.Keep.Points = oldAfter
		}
		out[id] = p
	}
	return out, nil
}

// TestCrashWriter is the process that is killed; it does nothing by itself.
func TestCrashWriter(t *testing.T) {
	url := os.Getenv("OWL_CRASH_URL")
	if url == "" {
		t.Skip("the other half of TestKillAtRandomMoments")
	}
	n, _ := strconv.Atoi(os.Getenv("OWL_CRASH_FROM"))
	pool, err := pgxpool.New(t.Context(), url)
	require.NoError(t, err)
	s := samples.New(pool, crashPlans)
	for deadline := time.Now().Add(20 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		// The server may need a moment to see that the killed one is gone.
		if err = s.Start(t.Context(), samples.Options{
			SealEvery: 300 * time.Millisecond, SpillFile: os.Getenv("OWL_CRASH_SPILL"),
		}); err != samples.ErrOtherWriter ||
			time.Now().After(deadline) {
			break
		}
	}
	require.NoError(t, err)
	go func() {
		for range time.Tick(40 * time.Millisecond) {
			_, _ = s.FoldDue(context.Background(), s.Newest())
			_, _ = s.Retain(
				context.Background(),
				s.Newest(),
				samples.Keep{Points: oldAfter, FiveMinutes: oldAfter, Hours: oldAfter, Days: oldAfter},
			)
		}
	}()
	fmt.Println("up")
	for ; ; n++ {
		fmt.Println("begun", n)
		// One of a series that nobody asks for is too old to be kept.
		old := at(float64(n)*10-40_000, crashSeries+1, 1)
		old.At = old.At.Add(-2 * oldAfter)
		if err := s.Append(context.Background(), append(crashBatch(n), old)); err != nil {
			fmt.Println("failed", err)
			os.Exit(3)
		}
		fmt.Println("accepted", n)
	}
}

// account is what the checker knows to be accepted.
type account struct {
	accepted, begun int // highest batches; those between may be there or not
	doubtful        map[int]bool
}

func (a *account) read(out io.Reader, up chan<- struct{}) {
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		word, rest, _ := strings.Cut(lines.Text(), " ")
		n, _ := strconv.Atoi(rest)
		switch word {
		case "up":
			close(up)
		case "begun":
			a.begun = n
		case "accepted":
			a.accepted = n
		}
	}
}

func TestKillAtRandomMoments(t *testing.T) {
	crashes := 20
	if n, err := strconv.Atoi(os.Getenv("OWL_CRASHES")); err == nil {
		crashes = n
	}
	url, spill := testkit.URL(t), t.TempDir()+"/spill"
	db := testkit.OpenStore(t, url)
	a := account{accepted: -1, begun: -1, doubtful: map[int]bool{}}
	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1))
	next := 0
	for range crashes {
		cmd := exec.Command(os.Args[0], "-test.run=^TestCrashWriter$")
		cmd.Env = append(os.Environ(), "OWL_CRASH_URL="+url, "OWL_CRASH_FROM="+strconv.Itoa(next), "OWL_CRASH_SPILL="+spill)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		up, read := make(chan struct{}), make(chan struct{})
		go func() { a.read(out, up); close(read) }()
		select {
		case <-up:
		case <-time.After(30 * time.Second):
			t.Fatal("the writer does not start")
		}
		time.Sleep(time.Duration(r.IntN(400)) * time.Millisecond) // the random moment itself, not a wait
		require.NoError(t, cmd.Process.Kill())
		<-read
		_ = cmd.Wait()
		for n := a.accepted + 1; n <= a.begun; n++ {
			a.doubtful[n] = true
		}
		next = a.begun + 1
		a.accepted = a.begun
	}
	require.Greater(t, next, crashes, "something was written")
	var s *samples.Store
	require.Eventually(t, func() bool {
		s = samples.New(db.Pool(), crashPlans)
		return s.Start(t.Context(), samples.Options{SpillFile: spill}) == nil
	}, 20*time.Second, 50*time.Millisecond)
	defer s.Stop()
	a.check(t, s, next)
	_, err := s.FoldDue(t.Context(), s.Newest().AddDate(0, 0, 9))
	require.NoError(t, err)
	a.check(t, s, next)
	t.Logf("%d crashes, %d batches, %d in doubt", crashes, next, len(a.doubtful))
}

type place struct{ series, t int64 }

// check compares everything that is stored with the account.
func (a *account) check(t *testing.T, s *samples.Store, batches int) {
	t.Helper()
	want := map[place][]float64{} // values that may stand there; the last accepted, or doubtful ones after it
	for n := range batches {
		for _, x := range crashBatch(n) {
			p := place{x.SeriesID, x.At.UnixMilli()}
			if a.doubtful[n] {
				want[p] = append(want[p], x.Value)
				if len(want[p]) == 1 {
					want[p] = append([]float64{absent}, want[p]...)
				}
				continue
			}
			want[p] = []float64{x.Value}
		}
	}
	found, missing := 0, map[place]bool{}
	for p, values := range want {
		if values[0] != absent {
			missing[p] = true
		}
	}
	ids := make([]int64, crashSeries)
	for i := range ids {
		ids[i] = int64(i)
	}
	require.NoError(
		t,
		s.Points(t.Context(), ids, noon.AddDate(-1, 0, 0), noon.AddDate(5, 0, 0), func(id int64, points []codec.Point) error {
			for i, p := range points {
				require.True(t, i == 0 || p.T > points[i-1].T, "each time once, in order")
				require.Contains(t, want[place{id, p.T}], p.V, "series %d at %d", id, p.T)
				delete(missing, place{id, p.T})
				found++
			}
			return nil
		}),
	)
	assert.Empty(t, missing, "accepted, and not there")
	a.checkRuns(t, s, ids)
	assert.LessOrEqual(t, found, len(want))
}

// checkRuns holds that every point stands in one run.
func (a *account) checkRuns(t *testing.T, s *samples.Store, ids []int64) {
	t.Helper()
	ids = slices.DeleteFunc(ids, func(id int64) bool { return id%7 != 0 })
	from, to := noon.AddDate(-1, 0, 0), noon.AddDate(5, 0, 0)
	points := map[int64]int{}
	require.NoError(t, s.Points(t.Context(), ids, from, to, func(id int64, p []codec.Point) error { points[id] = len(p); return nil }))
	require.NoError(t, s.Runs(t.Context(), ids, from, to, func(id int64, runs []codec.Run) error {
		for _, r := range runs {
			points[id] -= r.Count
		}
		assert.Zero(t, points[id], "series %d", id)
		return nil
	}))
}

const absent = -1.0

// oldAfter is what the writer's retention keeps: more than the test writes.
const oldAfter = 600 * 24 * time.Hour

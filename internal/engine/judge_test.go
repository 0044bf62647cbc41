package engine

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/spill"
	"tirelessowl/internal/testkit"
)

var silent = slog.New(slog.NewTextHandler(io.Discard, nil))

// memory keeps what judging found, unless refuse has an error for it.
type memory struct {
	mu      sync.Mutex
	got     []estate.Result
	numbers []int64
	tries   int
	refuse  func(found estate.Result, try int) error
}

func (m *memory) Record(_ context.Context, number int64, found estate.Result) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.tries++
	if m.refuse != nil {
		if err := m.refuse(found, m.tries); err != nil {
			return err
		}
	}
	m.got, m.numbers = append(m.got, found), append(m.numbers, number)
	return nil
}

// told are all changes of health, in their order.
func (m *memory) told() (out []domain.Health) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, r := range m.got {
		for _, h := range r.Health {
			out = append(out, h.To)
		}
	}
	return out
}

// watching begins to judge one device that was fine when we stopped.
func watching(t *testing.T, s *store.Store, m *memory) (*Judge, time.Time) {
	t.Helper()
	j := NewJudge(s, m, NewHub(), silent)
	loss := estate.Series{ID: 1, DeviceID: 7, Kit: "reachability", Reading: "loss", Every: 15 * time.Second, Reach: true}
	device := domain.Device{ID: 7, Name: "np-edge-1", Health: domain.Fine}
	require.NoError(t, j.begin(t.Context(), []known{{device: device, series: []estate.Series{loss}}}, nil))
	return j, time.Now().UTC()
}

// A start, and a pause of ours, must not be held against devices; their
// silence afterwards must.
func TestOurOwnPausesAreNoSilenceOfDevices(t *testing.T) {
	m := &memory{}
	j, now := watching(t, testkit.Store(t), m)
	let := func(span time.Duration) {
		for end := now.Add(span); now.Before(end); {
			now = now.Add(10 * time.Second)
			j.tick(now)
		}
		require.True(t, j.call(t.Context(), func() {}))
	}
	let(restGrace - 20*time.Second)
	now = now.Add(time.Hour) // the machine slept
	let(restGrace - 20*time.Second)
	now = now.Add(-30 * time.Minute) // and its clock was set back
	let(restGrace - 20*time.Second)
	assert.Zero(t, j.recorder.waiting.Load())
	assert.Empty(t, m.told())
	let(5 * time.Minute)
	j.end()
	assert.Equal(t, []domain.Health{domain.Unknown}, m.told())
}

// Whoever asks for something after the end gets an answer, and none waits.
func TestAnEndedJudgeTakesNothing(t *testing.T) {
	m := &memory{}
	j, now := watching(t, testkit.Store(t), m)
	j.end()
	j.end()
	j.tick(now)
	j.SetRules(t.Context(), nil)
	assert.False(t, j.call(t.Context(), func() { t.Error("it ran") }))
	_, _, _, ok := j.Explain(t.Context(), 7)
	assert.False(t, ok)
	via, behind := j.Way(t.Context(), 7)
	assert.Zero(t, via)
	assert.Empty(t, behind)
}

// recording is a recorder that does nothing before begin.
func recording(m Recorder, file *spill.File) *shelf[estate.Result] {
	r := recorderOf(m, NewHub(), silent)
	r.open(file, silent)
	return r
}

func change(id domain.ID, to domain.Health) estate.Result {
	return estate.Result{Health: []estate.HealthChange{{Device: estate.Device{ID: id}, To: to}}}
}

var (
	errAway = errors.New("connection refused")
	refused = &pgconn.PgError{Code: "23503"} // foreign_key_violation
)

// The database is away for a while: everything is kept in its order, and a
// record that may have been made is repeated with its number.
func TestRecorderKeepsTheOrderAcrossTrouble(t *testing.T) {
	m := &memory{refuse: func(_ estate.Result, try int) error {
		if try <= 3 {
			return errAway
		}
		return nil
	}}
	r := recording(m, nil)
	for i := range 450 {
		r.add(change(domain.ID(i+1), domain.Warning))
	}
	r.begin()
	r.end(time.Minute)
	assert.Equal(
		t,
		[]int64{200 * numbers, 400 * numbers, 450 * numbers},
		m.numbers,
		"200, 200 and 50 at once, each with the number of its last",
	)
	n := domain.ID(0)
	for _, x := range m.got {
		for _, h := range x.Health {
			n++
			require.Equal(t, n, h.Device.ID)
		}
	}
	assert.Equal(t, domain.ID(450), n)
	assert.Equal(t, 6, m.tries)
	assert.Zero(t, r.waiting.Load())
}

// What the database refuses for its own reason does not hold up the rest.
func TestRecorderSetsAsideWhatCannotBeKept(t *testing.T) {
	m := &memory{refuse: func(found estate.Result, _ int) error {
		for _, h := range found.Health {
			if h.Device.ID == 3 {
				return refused
			}
		}
		return nil
	}}
	r := recording(m, nil)
	both := change(2, domain.Warning)
	both.Add(change(3, domain.Warning))
	for _, x := range []estate.Result{change(1, domain.Notice), both, change(4, domain.Critical)} {
		r.add(x)
	}
	r.begin()
	r.end(time.Minute)
	assert.Equal(t, []domain.Health{domain.Notice, domain.Warning, domain.Critical}, m.told())
	assert.Equal(t, int64(1), r.setAside.Load())
	assert.Zero(t, r.waiting.Load())
	seen := map[int64]bool{}
	for _, n := range m.numbers {
		assert.False(t, seen[n], "a number is used once")
		seen[n] = true
	}
}

package engine_test

import (
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

func (w world) source(t *testing.T, name string) domain.Source {
	t.Helper()
	for began := time.Now(); w.collector.Stats().Aside > 0 && time.Since(began) < mode; {
		time.Sleep(time.Millisecond) // what was collected is on its way
	}
	all, err := w.store.Sources.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	for _, x := range all {
		if x.Kit+"/"+x.Source == name {
			return x
		}
	}
	return domain.Source{}
}

const mode = 10 * time.Second

// A table that cannot be read is not silent, though the device answers: it has a
// state with its error, and after a second try the device is not known to be
// fine. When it is read again all is well, also over a restart in between.
func TestAFailingTableIsNotSilent(t *testing.T) {
	w := setup(t, "reachability", "interfaces")
	var broken atomic.Bool
	answer := func(q way.Question, _ int) derive.Fetched {
		if q.Ask["form"] == "hello" {
			return answering(q, 0)
		}
		if broken.Load() {
			return derive.Fetched{Error: "the table has more than 20000 rows: given up"}
		}
		return derive.Fetched{Rows: []derive.Row{port("1", "eth1", 6, 1)}}
	}
	w.start(t, answer)
	collect := func() { w.collector.CollectNow(w.device.ID, "") }
	require.Eventually(t, func() bool {
		return w.health(t) == domain.Fine && w.source(t, "interfaces/table").State == domain.SourceOK
	}, mode, 20*time.Millisecond)
	broken.Store(true)
	collect()
	require.Eventually(t, func() bool { return w.source(t, "interfaces/table").State == domain.SourceFailing }, mode, 20*time.Millisecond)
	first := w.source(t, "interfaces/table")
	assert.Contains(t, first.Error, "more than 20000 rows")
	assert.False(t, first.Faulty, "once may be an accident")
	assert.Equal(t, domain.Fine, w.health(t))
	collect()
	require.Eventually(t, func() bool { return w.health(t) == domain.Unknown }, mode, 20*time.Millisecond)
	second := w.source(t, "interfaces/table")
	assert.True(t, second.Faulty)
	assert.Equal(t, first.Since, second.Since, "it is the same failure")
	d, err := w.store.Devices.One(t.Context(), w.device.ID)
	require.NoError(t, err)
	assert.Equal(t, "Interfaces cannot be read: the table has more than 20000 rows: given up", d.HealthNote)

	w.again(t)
	w.fetcher.answer = answer
	require.NoError(t, w.collector.Start(t.Context()))
	t.Cleanup(w.collector.Stop)
	collect()
	require.Eventually(t, func() bool { return w.source(t, "reachability/probe").State == domain.SourceOK }, mode, 20*time.Millisecond)
	assert.Equal(t, domain.Unknown, w.health(t), "it is still so after a restart")
	broken.Store(false)
	require.Eventually(t, func() bool { collect(); return w.health(t) == domain.Fine }, mode, 20*time.Millisecond)
	assert.Equal(t, domain.SourceOK, w.source(t, "interfaces/table").State)
	assert.Empty(t, w.source(t, "interfaces/table").Error)
}

// A device that answers and has nothing of what it is asked for says so.
func TestNothingThereIsAFailure(t *testing.T) {
	w := setup(t, "interfaces")
	w.start(t, func(way.Question, int) derive.Fetched { return derive.Fetched{} })
	require.Eventually(t, func() bool {
		w.collector.CollectNow(w.device.ID, "")
		return w.source(t, "interfaces/table").Faulty
	}, mode, 20*time.Millisecond)
	assert.Contains(t, w.source(t, "interfaces/table").Error, "has nothing of what is asked for")
}

// While a device does not answer at all, its sources fail and are no faults of
// their own: it is known what is wrong, and when it answers again it is fine.
func TestSilenceIsOneTroubleAndNotMany(t *testing.T) {
	w := setup(t, "reachability", "interfaces")
	var silent atomic.Bool
	w.start(t, func(q way.Question, _ int) derive.Fetched {
		hello := q.Ask["form"] == "hello"
		switch {
		case silent.Load() && hello:
			return derive.Fetched{Error: "no answer", NoAnswer: true, Rows: []derive.Row{{Values: []derive.Value{{}, num(100)}}}}
		case silent.Load():
			return derive.Fetched{Error: "no answer", NoAnswer: true}
		case hello:
			return answering(q, 0)
		}
		return derive.Fetched{Rows: []derive.Row{port("1", "eth1", 6, 1)}}
	})
	collect := func() { w.collector.CollectNow(w.device.ID, "") }
	require.Eventually(t, func() bool {
		return w.health(t) == domain.Fine && w.source(t, "interfaces/table").State == domain.SourceOK
	}, mode, 20*time.Millisecond)
	silent.Store(true)
	require.Eventually(t, func() bool {
		collect()
		return w.health(t) == domain.Critical && w.source(t, "interfaces/table").State == domain.SourceFailing
	}, mode, 20*time.Millisecond)
	for range 4 {
		collect()
	}
	silent.Store(false)
	require.Eventually(t, func() bool { collect(); return w.health(t) == domain.Fine }, mode, 20*time.Millisecond)
	changes, err := w.store.Pool().
		Query(t.Context(), "SELECT count(*) FROM transitions WHERE to_health = 'unknown' AND at > (SELECT min(at) FROM "+
			"transitions WHERE to_health = 'critical')")
	require.NoError(t, err)
	defer changes.Close()
	require.True(t, changes.Next())
	var unknown int
	require.NoError(t, changes.Scan(&unknown))
	assert.Zero(t, unknown)
}

// What a device need not have is absent, and no fault; a kit that is taken off
// takes its sources along.
func TestOptionalSourcesMayBeAbsent(t *testing.T) {
	w := setup(t, "system")
	w.start(t, func(q way.Question, n int) derive.Fetched {
		if q.Key == "system/since" {
			return derive.Fetched{Error: "the agent answers with the error NoSuchName (2)"}
		}
		return system(q, n, "switch")
	})
	require.Eventually(t, func() bool {
		w.collector.CollectNow(w.device.ID, "")
		return w.source(t, "system/since").State == domain.SourceAbsent
	}, mode, 20*time.Millisecond)
	assert.False(t, w.source(t, "system/since").Faulty)
	_, err := w.store.Pool().Exec(t.Context(), "DELETE FROM fittings")
	require.NoError(t, err)
	require.NoError(t, w.collector.Reload(t.Context(), w.device.ID))
	assert.Empty(t, w.source(t, "system/since").State)
}

// Agents say nothing where a credential is wrong: what answers by another way and
// not here may be refused.
func TestWhoAnswersOtherwiseMayRefuseTheCredential(t *testing.T) {
	w := setup(t, "interfaces")
	require.NoError(
		t,
		w.store.Fittings.Fit(
			t.Context(),
			domain.Fitting{DeviceID: w.device.ID, Kit: "reachability", Parameters: map[string]string{"method": "tcp"}},
		),
	)
	var dead atomic.Bool
	w.start(t, func(q way.Question, _ int) derive.Fetched {
		if q.Way == "tcp" && !dead.Load() {
			return derive.Fetched{Rows: []derive.Row{{Values: []derive.Value{num(0.01), num(0)}}}}
		}
		return derive.Fetched{Error: "no answer", NoAnswer: true, Rows: []derive.Row{{Values: []derive.Value{{}, num(100)}}}}
	})
	look := func(until func(domain.Source) bool) domain.Source {
		var x domain.Source
		require.Eventually(t, func() bool {
			w.collector.CollectNow(w.device.ID, "")
			x = w.source(t, "interfaces/table")
			return until(x)
		}, mode, 20*time.Millisecond)
		return x
	}
	x := look(func(x domain.Source) bool { return x.Failure == string(derive.Denied) })
	assert.Equal(t, "no answer here, while it answers by tcp: its credential may be refused", x.Error)
	assert.Contains(t, derive.Denied.Advice(), "credential")
	dead.Store(true)
	look(func(x domain.Source) bool { return x.Failure == string(derive.Silent) })
}

package engine

import (
	"context"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

// run runs a scheduler within a bubble of fake time for a while.
func run(t *testing.T, s *Scheduler, f func()) {
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan struct{})
	go func() { s.Run(ctx); close(done) }()
	f()
	cancel()
	<-done
}

func counting(device domain.ID, key string, every time.Duration, n *atomic.Int64, takes time.Duration, answers bool) Task {
	return Task{Device: device, Key: key, Every: every, Run: func(context.Context) bool {
		n.Add(1)
		time.Sleep(takes)
		return answers
	}}
}

func TestTasksRunOncePerInterval(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, n := NewScheduler(), new(atomic.Int64)
		s.Set(1, []Task{counting(1, "a", time.Minute, n, time.Second, true)}, atOnce)
		run(t, s, func() { time.Sleep(10*time.Minute - time.Second) })
		assert.Equal(t, int64(10), n.Load())
		assert.Equal(t, int64(0), s.Stats().Skipped)
	})
}

func TestOneRequestAtATimePerDevice(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := NewScheduler()
		var busy, most, ran atomic.Int64
		task := func(key string) Task {
			return Task{Device: 1, Key: key, Every: time.Minute, Run: func(context.Context) bool {
				most.Store(max(most.Load(), busy.Add(1)))
				time.Sleep(5 * time.Second)
				busy.Add(-1)
				ran.Add(1)
				return true
			}}
		}
		s.Set(1, []Task{task("a"), task("b"), task("c")}, atOnce)
		run(t, s, func() { time.Sleep(59 * time.Second) })
		assert.Equal(t, int64(1), most.Load())
		assert.Equal(t, int64(3), ran.Load())
	})
}

// 2,000 dead devices that take 6 s each must not delay one that lives.
func TestTheDeadDoNotDelayTheLiving(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, dead, alive := NewScheduler(), new(atomic.Int64), new(atomic.Int64)
		for id := range domain.ID(2000) {
			s.Set(id+10, []Task{counting(id+10, "x", 30*time.Second, dead, 6*time.Second, false)}, inPlace)
		}
		s.Set(1, []Task{counting(1, "x", 30*time.Second, alive, time.Millisecond, true)}, inPlace)
		run(t, s, func() {
			time.Sleep(2 * time.Minute) // all dead ones are known as such now
			s.Stats()
			before := alive.Load()
			time.Sleep(10 * time.Minute)
			assert.Equal(t, int64(20), alive.Load()-before)
		})
	})
}

// 2,000 checks of one way that hang, and end only with the program, delay nothing that is asked by another.
func TestAWayThatHangsStopsNoOther(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, alive := NewScheduler(), new(atomic.Int64)
		for id := range domain.ID(2000) {
			s.Set(id+10, []Task{{Device: id + 10, Key: "x", Way: "sign-in", Every: 30 * time.Second, Run: func(ctx context.Context) bool {
				<-ctx.Done()
				return true
			}}}, inPlace)
		}
		lives := counting(1, "x", 30*time.Second, alive, time.Millisecond, true)
		lives.Way = "snmp"
		s.Set(1, []Task{lives}, inPlace)
		run(t, s, func() { time.Sleep(10 * time.Minute) })
		assert.GreaterOrEqual(t, alive.Load(), int64(20))
	})
}

func TestMissedRoundsAreSkippedNotQueued(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, n := NewScheduler(), new(atomic.Int64)
		s.Set(1, []Task{counting(1, "slow", 10*time.Second, n, 25*time.Second, true)}, atOnce)
		run(t, s, func() { time.Sleep(89 * time.Second) })
		// Starts at 0, 30 and 60 s: 25 s each, then the next multiple of 10 s.
		assert.Equal(t, int64(3), n.Load())
		assert.Equal(t, int64(6), s.Stats().Skipped)
	})
}

func TestSetKeepsRhythmAndDropsTheRest(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, a, b := NewScheduler(), new(atomic.Int64), new(atomic.Int64)
		s.Set(1, []Task{counting(1, "a", time.Minute, a, 0, true), counting(1, "b", time.Minute, b, 0, true)}, atOnce)
		run(t, s, func() {
			time.Sleep(30 * time.Second)
			s.Set(1, []Task{counting(1, "a", time.Minute, a, 0, true)}, atOnce)
			time.Sleep(time.Minute)
			assert.Equal(t, int64(2), a.Load(), "set again did not start it anew")
			assert.Equal(t, int64(1), b.Load())
			assert.Equal(t, 1, s.Now(1, ""))
			synctest.Wait()
			assert.Equal(t, int64(3), a.Load())
			assert.Equal(t, 0, s.Now(7, ""))
			s.Set(1, nil, inPlace)
			assert.Equal(t, 0, s.Stats().Tasks)
		})
	})
}

func TestRunWaitsForTheLastTask(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s := NewScheduler()
		var ended atomic.Bool
		s.Set(1, []Task{{Device: 1, Key: "a", Every: time.Minute, Run: func(context.Context) bool {
			time.Sleep(3 * time.Second)
			ended.Store(true)
			return true
		}}}, atOnce)
		run(t, s, func() { time.Sleep(time.Second) })
		assert.True(t, ended.Load())
	})
}

func TestStartsAreSpread(t *testing.T) {
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	var buckets [6]int
	for id := range domain.ID(600) {
		at := now.Add(Task{Device: id, Key: "k", Every: time.Minute}.resume(time.Time{}, now))
		assert.False(t, at.Before(now))
		buckets[int(at.Sub(now)/(10*time.Second))%6]++
	}
	for _, n := range buckets {
		assert.InDelta(t, 100, n, 50, "%v", buckets)
	}
}

// A walk of 37 s must not keep anybody from learning that the device is away: the
// probe of the same device runs beside it, in time. Two walks over one endpoint
// still wait for each other, those over two do not.
func TestProbesDoNotWaitBehindWalks(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, probes := NewScheduler(), new(atomic.Int64)
		var busy, most, both atomic.Int64
		walk := func(key, line string) Task {
			return Task{Device: 1, Key: key, Line: line, Every: time.Minute, Run: func(context.Context) bool {
				both.Store(max(both.Load(), busy.Add(1)))
				if line == "snmp" {
					most.Add(1)
				}
				time.Sleep(20 * time.Second)
				busy.Add(-1)
				return true
			}}
		}
		probe := counting(1, "probe", 15*time.Second, probes, time.Millisecond, true)
		probe.Line, probe.Probe = "probe", true
		s.Set(1, []Task{walk("a", "snmp"), walk("b", "snmp"), walk("c", "tcp"), probe}, atOnce)
		run(t, s, func() { time.Sleep(59 * time.Second) })
		assert.Equal(t, int64(4), probes.Load(), "at 0, 15, 30 and 45 s, whatever else runs")
		assert.Equal(t, int64(2), most.Load())
		assert.Equal(t, int64(2), both.Load(), "one over each endpoint")
	})
}

// Whoever asks while a task runs may know something newer than its answer will
// tell: it is run once more at once, however often it was asked for.
func TestWhatIsAskedForWhileItRunsRunsOnceMore(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, n := NewScheduler(), new(atomic.Int64)
		s.Set(1, []Task{counting(1, "a", time.Hour, n, 10*time.Second, true)}, atOnce)
		run(t, s, func() {
			time.Sleep(time.Second)
			assert.Equal(t, 1, s.Now(1, "a"))
			s.Now(1, "a")
			time.Sleep(29 * time.Second)
			assert.Equal(t, int64(2), n.Load())
		})
	})
}

// The round after a first lost one comes a third of the interval early; after it, and
// after an answer, the rhythm is what it was.
func TestALostProbeIsFollowedByASecondLook(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		s, began := NewScheduler(), time.Now()
		var rounds, walks []int // in seconds
		lost := map[int]bool{15: true, 25: true, 45: true, 75: true}
		probe := Task{Device: 1, Key: "probe", Line: "p", Probe: true, Every: 15 * time.Second, Run: func(context.Context) bool {
			at := int(time.Since(began) / time.Second)
			rounds = append(rounds, at)
			time.Sleep(4500 * time.Millisecond)
			return !lost[at]
		}}
		walk := Task{Device: 1, Key: "walk", Line: "w", Every: 15 * time.Second, Run: func(context.Context) bool {
			walks = append(walks, int(time.Since(began)/time.Second))
			return false
		}}
		s.Set(1, []Task{probe, walk}, atOnce)
		run(t, s, func() { time.Sleep(119 * time.Second) })
		assert.Equal(t, []int{0, 15, 25, 45, 60, 75, 85, 105}, rounds)
		assert.Equal(t, []int{0, 15, 30, 45, 60, 75, 90, 105}, walks, "what is no probe keeps its times")
		assert.Zero(t, s.Stats().Skipped)
	})
}

func atOnce(Task) time.Duration { return 0 }

func inPlace(t Task) time.Duration { return t.resume(time.Time{}, time.Now()) }

// A start keeps the rhythm of the run before, and makes up what it missed.
func TestTasksGoOnAfterARestart(t *testing.T) {
	now := time.Date(2026, 11, 26, 3, 40, 0, 0, time.UTC)
	for id := range domain.ID(50) {
		task := Task{Device: id, Key: "a", Every: 5 * time.Minute}
		assert.Equal(t, 4*time.Minute, task.resume(now.Add(-time.Minute), now))
		missed := task.resume(now.Add(-6*time.Minute), now)
		assert.True(t, missed >= 0 && missed < makeUp, missed)
		for name, last := range map[string]time.Time{"never": {}, "from the future": now.Add(time.Hour)} {
			wait := task.resume(last, now)
			assert.True(t, wait >= 0 && wait < 5*time.Minute, name)
			assert.Equal(t, task.place(), now.Add(wait).Sub(now.Add(wait).Truncate(5*time.Minute)), name)
		}
	}
}

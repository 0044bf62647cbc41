// Package engine is the long-running part: it collects, judges, responds and
// keeps house.
package engine

import (
	"container/heap"
	"context"
	"hash/fnv"
	"sync"
	"time"

	"tirelessowl/internal/domain"
)

// Task is something to do for a device again and again.
type Task struct {
	Device domain.ID
	Key    string // unique within the device
	// Line is what can do one thing at a time, such as an endpoint of the device:
	// tasks on one line wait for each other, those on several do not.
	Line string
	// Way is what it is done by: each has lanes of its own, so that one that hangs keeps no other from its time.
	Way   string
	Probe bool // it only asks whether the device answers
	Every time.Duration
	// Run does it once. It returns false when the device did not answer, so
	// that it waits its turn apart from those that do.
	Run func(ctx context.Context) (answered bool)
}

// Lanes bound how many tasks of a way run at once. What did not answer the last time runs
// in a lane of its own, so that waiting for the dead never delays the living;
// probes have one, too, so that no walk delays them.
const (
	promptLane  = 256
	probeLane   = 256
	patientLane = 512
)

// Scheduler runs tasks in time: spread over their interval, at most one at a
// time on each line. Zero value is not usable; see NewScheduler.
type Scheduler struct {
	mu      sync.Mutex
	queue   taskHeap
	devices map[domain.ID]*lineup
	wake    chan struct{}
	lanes   map[string]*lanes // by way
	running sync.WaitGroup
	stats   domain.SchedulerStats
	// intervals has how many tasks there are of each, since when there are any.
	intervals map[time.Duration]int
	since     time.Time
}

// lineup is what is known of one device.
type lineup struct {
	tasks map[string]*entry
	lines map[string]*line
}

// line is what can do one thing at a time.
type line struct {
	busy   bool
	silent bool
	ready  []*entry // due, while another task of the line runs
}

func (l *lineup) line(name string) *line {
	x := l.lines[name]
	if x == nil {
		x = &line{}
		l.lines[name] = x
	}
	return x
}

// idle tells whether nothing runs; lines without tasks are forgotten.
func (l *lineup) idle() bool {
	used := map[string]bool{}
	for _, e := range l.tasks {
		used[e.Line] = true
	}
	for name, x := range l.lines {
		if x.busy {
			return false
		}
		if !used[name] {
			delete(l.lines, name)
		}
	}
	return true
}

type entry struct {
	Task
	due     time.Time // by the monotonic clock
	back    time.Time // when it would be due, had it not been moved forward
	place   int       // in the heap; -1 when not there
	running bool
	again   bool // it was asked for while it ran
	gone    bool
}

// lanes are those of one way.
type lanes struct{ prompt, probe, patient lane }

func (s *Scheduler) lanesOf(way string) *lanes {
	l := s.lanes[way]
	if l == nil {
		l = &lanes{prompt: lane{free: promptLane}, probe: lane{free: probeLane}, patient: lane{free: patientLane}}
		s.lanes[way] = l
	}
	return l
}

type lane struct {
	free    int
	waiting []waiting
}

type waiting struct {
	on *line
	*entry
}

// NewScheduler returns a scheduler without tasks.
func NewScheduler() *Scheduler {
	return &Scheduler{devices: map[domain.ID]*lineup{}, intervals: map[time.Duration]int{}, wake: make(chan struct{}, 1),
		lanes: map[string]*lanes{}}
}

// Set replaces all tasks of a device. Tasks whose key and interval stay the
// same keep their rhythm; first tells how long new ones wait until they begin.
func (s *Scheduler) Set(device domain.ID, tasks []Task, first func(Task) time.Duration) {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.devices[device]
	if l == nil {
		l = &lineup{tasks: map[string]*entry{}, lines: map[string]*line{}}
		s.devices[device] = l
	}
	kept := map[string]*entry{}
	for _, t := range tasks {
		if old := l.tasks[t.Key]; old != nil && old.Every == t.Every {
			old.Task = t
			kept[t.Key] = old
			delete(l.tasks, t.Key)
			continue
		}
		e := &entry{Task: t, due: time.Now().Add(first(t)), place: -1}
		kept[t.Key] = e
		heap.Push(&s.queue, e)
		s.count(t.Every, 1)
	}
	for _, old := range l.tasks {
		s.drop(old)
	}
	l.tasks = kept
	if idle := l.idle(); idle && len(kept) == 0 {
		delete(s.devices, device)
	}
	s.nudge()
}

// Now runs tasks of a device as soon as it is free: the one with the given
// key, or all for "". One that runs is run once more, since its answer may be
// older than the question. It returns how many that are.
func (s *Scheduler) Now(device domain.ID, key string) int {
	s.mu.Lock()
	defer s.mu.Unlock()
	l := s.devices[device]
	if l == nil {
		return 0
	}
	n := 0
	for k, e := range l.tasks {
		if key != "" && k != key {
			continue
		}
		n++
		if e.place >= 0 {
			e.due = time.Now()
			heap.Fix(&s.queue, e.place)
		}
		e.again = e.running
	}
	s.nudge()
	return n
}

// Due tells when the tasks of a device run next, by their keys.
func (s *Scheduler) Due(device domain.ID) map[string]time.Time {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := map[string]time.Time{}
	if l := s.devices[device]; l != nil {
		for key, e := range l.tasks {
			out[key] = e.due
		}
	}
	return out
}

func (s *Scheduler) drop(e *entry) {
	e.gone = true
	s.count(e.Every, -1)
	if e.place >= 0 {
		heap.Remove(&s.queue, e.place)
	}
}

// place is where in its interval a task has its time: by a hash of its name, so
// that the load is even and stays so over restarts.
func (t Task) place() time.Duration {
	h := fnv.New64a()
	var id [8]byte
	for i := range id {
		id[i] = byte(t.Device >> (8 * i))
	}
	h.Write(id[:])
	h.Write([]byte(t.Key))
	return time.Duration(h.Sum64() % uint64(t.Every))
}

// makeUp is within which time rounds that were missed are made up.
const makeUp = 5 * time.Second

// resume is how long a task waits that began last at a time, zero for never: it
// keeps its rhythm, and a round that was missed meanwhile is made up soon.
func (t Task) resume(last, now time.Time) time.Duration {
	if since := now.Sub(last); last.IsZero() || since < 0 {
		wait := t.place() - now.Sub(now.Truncate(t.Every))
		if wait < 0 {
			wait += t.Every
		}
		return wait
	} else if since < t.Every {
		return t.Every - since
	}
	return t.place() % min(makeUp, t.Every)
}

// Run works until the context ends, and returns when the last task has ended.
func (s *Scheduler) Run(ctx context.Context) {
	timer := time.NewTimer(time.Hour)
	defer timer.Stop()
	for {
		wait := s.dispatch(ctx)
		timer.Reset(wait)
		select {
		case <-ctx.Done():
			s.running.Wait()
			return
		case <-s.wake:
		case <-timer.C:
		}
	}
}

// dispatch starts all that is due and returns how long to sleep.
func (s *Scheduler) dispatch(ctx context.Context) time.Duration {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now()
	for len(s.queue) > 0 && !s.queue[0].due.After(now) && ctx.Err() == nil {
		e := heap.Pop(&s.queue).(*entry)
		on := s.devices[e.Device].line(e.Line)
		if on.busy {
			on.ready = append(on.ready, e)
			continue
		}
		s.admit(ctx, on, e)
	}
	if len(s.queue) == 0 {
		return time.Hour
	}
	return max(0, time.Until(s.queue[0].due))
}

// admit starts a task, or puts it at the end of its lane.
func (s *Scheduler) admit(ctx context.Context, on *line, e *entry) {
	on.busy = true
	of := s.lanesOf(e.Way)
	in := &of.prompt
	switch {
	case on.silent:
		in = &of.patient
	case e.Probe:
		in = &of.probe
	}
	if in.free == 0 {
		in.waiting = append(in.waiting, waiting{on, e})
		return
	}
	in.free--
	s.start(ctx, in, on, e)
}

func (s *Scheduler) start(ctx context.Context, in *lane, on *line, e *entry) {
	s.stats.Late = max(s.stats.Late, time.Since(e.due))
	s.stats.Running++
	e.running = true
	run := e.Run
	s.running.Go(func() {
		answered := run(ctx)
		s.finish(ctx, in, on, e, answered)
	})
}

// finish plans the next round, and starts what waited for the line or lane.
func (s *Scheduler) finish(ctx context.Context, in *lane, on *line, e *entry, answered bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.stats.Running--
	s.stats.Done++
	in.free++
	e.running = false
	s.replan(e, time.Now(), e.Probe && !answered && !on.silent)
	on.busy, on.silent = false, !answered
	for len(on.ready) > 0 && !on.busy {
		next := on.ready[0]
		on.ready = on.ready[1:]
		if !next.gone && ctx.Err() == nil {
			s.admit(ctx, on, next)
		}
	}
	if l := s.devices[e.Device]; l != nil && l.idle() && len(l.tasks) == 0 {
		delete(s.devices, e.Device)
	}
	for in.free > 0 && len(in.waiting) > 0 && ctx.Err() == nil {
		next := in.waiting[0]
		in.waiting = in.waiting[1:]
		in.free--
		s.start(ctx, in, next.on, next.entry)
	}
	s.nudge()
}

// secondLook is by which part of the interval the round after a first lost one comes
// early: two lost rounds of 15 s, each of which takes up to 4.5 s to be lost, are
// known 30 s after the device fell silent.
const secondLook = 3

// replan sets the next time; rounds that should have begun meanwhile are left out.
// doubtful moves the next round forward; the rhythm stays.
func (s *Scheduler) replan(e *entry, now time.Time, doubtful bool) {
	if e.gone {
		return
	}
	if !e.back.IsZero() {
		e.due, e.back = e.back, time.Time{}
	}
	e.due = e.due.Add(e.Every)
	if behind := now.Sub(e.due); behind > 0 {
		missed := behind/e.Every + 1
		s.stats.Skipped += int64(missed)
		e.due = e.due.Add(missed * e.Every)
	}
	if doubtful {
		e.due, e.back = e.due.Add(-e.Every/secondLook), e.due
	}
	if e.again {
		e.again, e.due = false, now
	}
	heap.Push(&s.queue, e)
}

func (s *Scheduler) nudge() {
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// Stats returns the figures and forgets the largest delay.
func (s *Scheduler) Stats() domain.SchedulerStats {
	s.mu.Lock()
	defer s.mu.Unlock()
	out := s.stats
	s.stats.Late = 0
	return out
}

// shortest returns the shortest interval of all tasks, 0 without any, and since
// when there is something to do.
func (s *Scheduler) shortest() (every time.Duration, since time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for x := range s.intervals {
		if every == 0 || x < every {
			every = x
		}
	}
	return every, s.since
}

// count notes that there are n more tasks of an interval.
func (s *Scheduler) count(every time.Duration, n int) {
	if s.stats.Tasks == 0 && n > 0 {
		s.since = time.Now()
	}
	s.stats.Tasks += n
	if s.intervals[every] += n; s.intervals[every] == 0 {
		delete(s.intervals, every)
	}
}

// taskHeap orders entries by when they are due.
type taskHeap []*entry

func (h taskHeap) Len() int           { return len(h) }
func (h taskHeap) Less(i, j int) bool { return h[i].due.Before(h[j].due) }
func (h taskHeap) Swap(i, j int)      { h[i], h[j] = h[j], h[i]; h[i].place, h[j].place = i, j }

// Push implements heap.Interface.
func (h *taskHeap) Push(x any) { e := x.(*entry); e.place = len(*h); *h = append(*h, e) }

// Pop implements heap.Interface.
func (h *taskHeap) Pop() any {
	old := *h
	e := old[len(old)-1]
	*h = old[:len(old)-1]
	e.place = -1
	return e
}

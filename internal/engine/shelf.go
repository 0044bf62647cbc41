package engine

import (
	"context"
	"encoding/json"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/store"
	"tirelessowl/internal/store/spill"
)

// How long things wait in memory for the database before they are spilled, how
// often that is looked at, and how long one try to store them may take.
const (
	shelfPatience = 600 * time.Millisecond
	shelfLook     = 100 * time.Millisecond
	shelfTry      = 10 * time.Second
	mostAtOnce    = 200
)

// numbers leaves room between those of two things, for what they fall apart into.
const numbers = 1024

// shelf has things stored in their order, in the background, so that nobody
// waits for the database. What the database does not take within a second is
// kept in a file, and comes back from there in order, also after a crash. What
// it refuses for its own reason is set aside, so that it does not hold up what
// follows.
type shelf[T any] struct {
	what string
	// keep stores things together. number is that of the last of them; what has
	// a number that was stored already must not be stored again.
	keep func(ctx context.Context, number int64, some []T) error
	// apart takes a thing to pieces that can be stored each by itself; nil where
	// it has none.
	apart func(T) []T
	kept  func([]T)
	// refused is told what is set aside.
	refused func(T, error)
	// durable things are in the file before add returns.
	durable bool
	file    *spill.File
	log     *slog.Logger

	mu       sync.Mutex
	queue    []shelved[T]
	moved    int   // of those being stored, how many went to the file meanwhile
	number   int64 // of what came last
	wake     chan struct{}
	ctx      context.Context
	stop     context.CancelFunc
	running  sync.WaitGroup
	waiting  atomic.Int64
	setAside atomic.Int64
	trouble  atomic.Pointer[trouble] // nil while the database takes things
}

// trouble is that the database does not take things.
type trouble struct {
	since time.Time
	cause error
}

type shelved[T any] struct {
	number int64
	thing  T
	since  time.Time
}

// open makes the shelf ready; what waits in its file is counted.
func (s *shelf[T]) open(file *spill.File, log *slog.Logger) {
	s.file, s.log, s.wake = file, log, make(chan struct{}, 1)
	s.ctx, s.stop = context.WithCancel(context.Background())
	s.waiting.Store(int64(file.Len()))
}

// goOn lets numbers go on behind last, and those in the file.
func (s *shelf[T]) goOn(last int64) {
	_ = s.file.Each(func(r spill.Record) error { last = max(last, r.Number); return nil })
	s.number = (last/numbers + 1) * numbers
}

// begin works in the background.
func (s *shelf[T]) begin() {
	s.running.Go(s.work)
	s.running.Go(s.guard)
	s.nudge()
}

// add puts a thing at the end. It does not wait for the database.
func (s *shelf[T]) add(x T) {
	s.mu.Lock()
	s.number += numbers
	s.queue = append(s.queue, shelved[T]{s.number, x, time.Now()})
	s.waiting.Add(1)
	if s.durable {
		s.toFile()
	}
	s.mu.Unlock()
	s.nudge()
}

// inMemory is how many things wait in memory.
func (s *shelf[T]) inMemory() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.queue)
}

func (s *shelf[T]) nudge() {
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

func (s *shelf[T]) work() {
	for {
		stored, err := s.round(s.ctx)
		switch {
		case s.ctx.Err() != nil:
			return
		case err != nil:
			s.pause(shelfPause)
		case !stored:
			select {
			case <-s.wake:
			case <-s.ctx.Done():
				return
			}
		}
	}
}

// shelfPause is how long to wait before the database is tried again.
const shelfPause = 300 * time.Millisecond

func (s *shelf[T]) pause(d time.Duration) {
	select {
	case <-time.After(d):
	case <-s.ctx.Done():
	}
}

// round stores what waits, up to a bound: first what is in the file. stored is
// false when nothing waits.
func (s *shelf[T]) round(ctx context.Context) (stored bool, err error) {
	if some, err := s.fromFile(ctx); some || err != nil {
		return some, s.told(err)
	}
	s.mu.Lock()
	some := s.queue[:min(len(s.queue), mostAtOnce)]
	s.moved = 0
	s.mu.Unlock()
	if len(some) == 0 {
		return false, nil
	}
	things := make([]T, len(some))
	for i, x := range some {
		things[i] = x.thing
	}
	if err := s.put(ctx, some[len(some)-1].number, things); store.Trouble(err) || ctx.Err() != nil {
		return false, s.told(err)
	} else if err != nil { // one of them is refused: each by itself
		for i, x := range things {
			if err := s.single(ctx, some[i].number, x); err != nil {
				s.drop(i)
				return false, s.told(err)
			}
		}
	}
	s.drop(len(some))
	return true, s.told(nil)
}

// put stores things within the time of one try.
func (s *shelf[T]) put(ctx context.Context, number int64, things []T) error {
	ctx, cancel := context.WithTimeout(ctx, shelfTry)
	defer cancel()
	err := s.keep(ctx, number, things)
	if err == nil && s.kept != nil {
		s.kept(things)
	}
	return err
}

// single stores one thing, or what of it the database takes. An error is one
// that another try may mend.
func (s *shelf[T]) single(ctx context.Context, number int64, x T) error {
	err := s.put(ctx, number, []T{x})
	if err == nil || store.Trouble(err) {
		return err
	}
	var pieces []T
	if s.apart != nil {
		pieces = s.apart(x)
	}
	if len(pieces) < 2 || len(pieces) >= numbers {
		s.setAside.Add(1)
		s.refused(x, err)
		return nil
	}
	for i, piece := range pieces {
		err := s.put(ctx, number-numbers+1+int64(i), []T{piece})
		if store.Trouble(err) {
			return err
		}
		if err != nil {
			s.setAside.Add(1)
			s.refused(piece, err)
		}
	}
	return nil
}

// drop forgets the oldest n things, wherever they are by now.
func (s *shelf[T]) drop(n int) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.waiting.Add(-int64(n))
	for ; n > 0 && s.moved > 0; n-- {
		if err := s.file.Done(); err != nil {
			s.log.Error("what is stored could not be taken from the file; it is not stored twice", "what", s.what, "error", err)
		}
		s.moved--
	}
	s.queue = s.queue[n:]
}

// fromFile stores the oldest thing of the file; some is false when there is none.
func (s *shelf[T]) fromFile(ctx context.Context) (some bool, err error) {
	r, ok, err := s.file.Oldest()
	if err != nil || !ok {
		return false, err
	}
	var x T
	if err := json.Unmarshal(r.Data, &x); err != nil {
		s.setAside.Add(1)
		s.log.Error("a record of the spill file cannot be read and is set aside", "what", s.what, "error", err)
	} else if err := s.single(ctx, r.Number, x); err != nil {
		return false, err
	}
	s.waiting.Add(-1)
	return true, s.file.Done()
}

// told notes whether the database takes things.
func (s *shelf[T]) told(err error) error {
	if err == nil {
		s.trouble.Store(nil)
	} else if s.ctx.Err() == nil && s.trouble.CompareAndSwap(nil, &trouble{time.Now().UTC(), err}) {
		s.log.Error("the database does not take "+s.what+", trying again", "error", err)
	}
	return err
}

// guard moves to the file what waits too long.
func (s *shelf[T]) guard() {
	tick := time.NewTicker(shelfLook)
	defer tick.Stop()
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-tick.C:
		}
		s.mu.Lock()
		if len(s.queue) > 0 && (s.file.Len() > 0 || time.Since(s.queue[0].since) > shelfPatience) {
			s.toFile()
		}
		s.mu.Unlock()
	}
}

// toFile moves the queue to the file; the shelf is locked. What does not fit
// stays in memory.
func (s *shelf[T]) toFile() {
	for len(s.queue) > 0 {
		x := s.queue[0]
		data, err := json.Marshal(x.thing)
		if err == nil {
			err = s.file.Add(x.number, data)
		}
		if err != nil {
			s.log.Debug("no room in the spill file", "what", s.what, "error", err)
			return
		}
		s.queue = s.queue[1:]
		s.moved++
		s.nudge()
	}
}

// end stores what is left as far as the database takes it in time, and puts
// the rest into the file. It may be called twice.
func (s *shelf[T]) end(patience time.Duration) {
	for began := time.Now(); s.waiting.Load() > 0 && s.ctx.Err() == nil && time.Since(began) < patience; time.Sleep(time.Millisecond) {
		if s.file != nil && s.trouble.Load() != nil {
			break // the file has it
		}
		s.nudge()
	}
	s.stop()
	s.running.Wait()
	s.mu.Lock()
	defer s.mu.Unlock()
	s.toFile()
	if len(s.queue) > 0 {
		s.log.Error(
			"the database did not take everything before the end, and there is no room for it",
			"what",
			s.what,
			"left",
			len(s.queue),
		)
	}
}

// drain stores what an earlier run left in the file, before anything is read
// that follows from it.
func (s *shelf[T]) drain(ctx context.Context) error {
	left := s.file.Len()
	for {
		some, err := s.fromFile(ctx)
		if err != nil {
			return err
		}
		if !some {
			break
		}
	}
	if left > 0 {
		s.log.Info("what an earlier run left in its file is in the database", "what", s.what, "records", left)
	}
	return nil
}

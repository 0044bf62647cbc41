package samples

import (
	"context"
	"sync"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
)

// maxPending bounds the points that wait for the journal; beyond it Append
// waits, so that a slow database slows down those who collect.
const maxPending = 500_000

// inbox gathers what many callers append into one commit.
type inbox struct {
	mu      sync.Mutex
	room    *sync.Cond // signalled when a batch was taken
	pending *batch
	waiting chan struct{} // holds one token while something is pending
	closed  bool
}

// batch is what one commit takes.
type batch struct {
	points []codec.Tagged
	done   chan struct{}
	err    error
}

func (b *inbox) init() {
	b.room = sync.NewCond(&b.mu)
	b.pending = &batch{done: make(chan struct{})}
	b.waiting = make(chan struct{}, 1)
	b.closed = true
}

func (b *inbox) open() {
	b.mu.Lock()
	b.closed = false
	b.mu.Unlock()
}

func (b *inbox) isOpen() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return !b.closed
}

// close refuses further points; what is pending is still taken.
func (b *inbox) close() {
	b.mu.Lock()
	b.closed = true
	b.room.Broadcast()
	b.mu.Unlock()
}

func (b *inbox) put(ctx context.Context, samples []domain.SeriesSample) error {
	b.mu.Lock()
	for !b.closed && len(b.pending.points) > 0 && len(b.pending.points)+len(samples) > maxPending {
		b.room.Wait()
	}
	if b.closed {
		b.mu.Unlock()
		return ErrStopped
	}
	mine := b.pending
	for _, x := range samples {
		// Adding 0 makes −0 into 0.
		mine.points = append(mine.points, codec.Tagged{Series: x.SeriesID, Point: codec.Point{T: x.At.UnixMilli(), V: x.Value + 0}})
	}
	b.mu.Unlock()
	select {
	case b.waiting <- struct{}{}:
	default:
	}
	select {
	case <-mine.done:
		return mine.err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// take returns what is pending; nil when nothing is.
func (b *inbox) take() *batch {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.pending.points) == 0 {
		return nil
	}
	taken := b.pending
	b.pending = &batch{points: make([]codec.Tagged, 0, len(taken.points)), done: make(chan struct{})}
	b.room.Broadcast()
	return taken
}

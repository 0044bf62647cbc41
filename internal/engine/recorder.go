package engine

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/store"
)

// Recorder keeps what judging found: transitions, alerts, incidents and the
// deliveries that follow, in one transaction. What has the same number as
// something that was recorded already is not recorded again.
type Recorder interface {
	Record(ctx context.Context, number int64, found estate.Result) error
}

// recorder has what judging found kept, in its order, trying again while the
// database is in trouble. What cannot be kept for its own reason is set aside,
// so that it does not hold up what follows.
type recorder struct {
	keep     Recorder
	hub      *Hub
	log      *slog.Logger
	mu       sync.Mutex
	queue    []estate.Result
	wake     chan struct{}
	stop     context.CancelFunc
	ctx      context.Context
	running  sync.WaitGroup
	number   int64        // of what was recorded last
	waiting  atomic.Int64 // results that are not kept yet
	setAside atomic.Int64
}

func newRecorder(keep Recorder, hub *Hub, log *slog.Logger) *recorder {
	r := &recorder{keep: keep, hub: hub, log: log, wake: make(chan struct{}, 1)}
	r.ctx, r.stop = context.WithCancel(context.Background())
	return r
}

// add puts a result at the end; it never waits.
func (r *recorder) add(found estate.Result) {
	if found.Empty() {
		return
	}
	r.mu.Lock()
	r.queue = append(r.queue, found)
	r.mu.Unlock()
	r.waiting.Add(1)
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// begin works in the background.
func (r *recorder) begin() {
	r.running.Go(func() {
		for {
			for r.round() {
				// there may be more
			}
			select {
			case <-r.wake:
			case <-r.ctx.Done():
				return
			}
		}
	})
}

// endPatience is how long the end may wait for the database to take what was
// found. What it does not take is found again at the next start.
const endPatience = 20 * time.Second

// end keeps what is left, and ends. It may be called twice.
func (r *recorder) end() {
	late := time.AfterFunc(endPatience, r.stop)
	defer late.Stop()
	for r.waiting.Load() > 0 && r.ctx.Err() == nil {
		select {
		case r.wake <- struct{}{}:
		default:
		}
		time.Sleep(time.Millisecond)
	}
	r.stop()
	r.running.Wait()
	if n := r.waiting.Load(); n > 0 {
		r.log.Error("the database did not take what judging found; it will be judged again at the next start", "results", n)
	}
}

// mostAtOnce is how many results are kept in one transaction.
const mostAtOnce = 200

// round keeps what waits, up to a bound, and tells whether there was any.
func (r *recorder) round() bool {
	r.mu.Lock()
	some := r.queue[:min(len(r.queue), mostAtOnce)]
	r.mu.Unlock()
	if len(some) == 0 {
		return false
	}
	if !r.record(some) {
		return false // ended
	}
	r.mu.Lock()
	r.queue = r.queue[len(some):]
	r.mu.Unlock()
	r.waiting.Add(-int64(len(some)))
	return true
}

// record keeps results together; where one of them cannot be kept, each by
// itself. It is false when the time is up.
func (r *recorder) record(some []estate.Result) bool {
	var all estate.Result
	for _, x := range some {
		all.Add(x)
	}
	r.number++
	err := insist(r.ctx, func() error { return r.keep.Record(r.ctx, r.number, all) }, r.told)
	switch {
	case err == nil:
		r.publish(all)
	case r.ctx.Err() != nil:
		return false
	case len(some) > 1:
		for _, x := range some {
			if !r.record([]estate.Result{x}) {
				return false
			}
		}
	case len(all.Judged)+len(all.Health) > 1:
		return r.record(apart(all))
	default:
		r.setAside.Add(1)
		r.log.Error("what judging found cannot be recorded and is set aside", "found", all.Judged, "health", all.Health, "error", err)
	}
	return true
}

// apart makes a result of each change.
func apart(all estate.Result) (out []estate.Result) {
	for _, j := range all.Judged {
		out = append(out, estate.Result{Judged: []estate.Judged{j}})
	}
	for _, h := range all.Health {
		out = append(out, estate.Result{Health: []estate.HealthChange{h}})
	}
	return out
}

func (r *recorder) told(err error, pause time.Duration) {
	if store.Trouble(err) {
		r.log.Error("changes of health could not be recorded, trying again", "error", err, "pause", pause)
	}
}

func (r *recorder) publish(found estate.Result) {
	for _, h := range found.Health {
		r.hub.Publish(Event{Kind: "health", ID: h.Device.ID})
	}
	if len(found.Judged) > 0 {
		r.hub.Publish(Event{Kind: "incidents"})
	}
}

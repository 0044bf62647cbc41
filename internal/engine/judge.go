package engine

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Judge owns the estate: one loop, to which all that happens is handed. It
// never waits for the database; what it finds goes to the recorder.
type Judge struct {
	estate   *estate.Estate
	store    *store.Store
	hub      *Hub
	recorder *shelf[estate.Result]
	log      *slog.Logger
	clock    *Clock
	ask      func(domain.ID)
	inbox    chan func()
	done     chan struct{} // closed when the loop has ended
	started  atomic.Bool
	ending   sync.Once
	lastTick time.Time
}

// inboxSize is how much may wait for the judge; whoever hands over more waits.
const inboxSize = 256

// NewJudge returns a judge of an empty estate, which does nothing before it is
// started by the collector.
func NewJudge(s *store.Store, r Recorder, hub *Hub, log *slog.Logger) *Judge {
	j := &Judge{
		estate:   estate.New(),
		store:    s,
		hub:      hub,
		recorder: recorderOf(r, hub, log),
		log:      log,
		clock:    NewClock(nil),
		ask:      func(domain.ID) {},
		inbox:    make(chan func(), inboxSize),
		done:     make(chan struct{}),
	}
	j.recorder.open(nil, log)
	return j
}

// By makes a judge, and the collector that it is given to, go by another clock
// than that of the machine; to be called before.
func (j *Judge) By(clock *Clock) { j.clock = clock }

// run judges until end is called, and all that was handed over is judged.
func (j *Judge) run() {
	defer close(j.done)
	for f := range j.inbox {
		if f == nil { // the end
			return
		}
		f()
	}
}

// end lets the loop come to its end and waits for it, then for the recorder.
// Nobody may hand over anything afterwards but by tell.
func (j *Judge) end() {
	if !j.started.Load() { // the start failed
		return
	}
	j.ending.Do(func() { j.inbox <- nil })
	<-j.done
	j.recorder.end(recorderPatience)
}

// tell hands something to the loop; false tells that the loop does not run, or
// that the context has ended.
func (j *Judge) tell(ctx context.Context, f func()) bool {
	if !j.started.Load() {
		return false
	}
	select {
	case <-j.done:
		return false
	default:
	}
	select {
	case j.inbox <- f:
		return true
	case <-j.done:
	case <-ctx.Done():
	}
	return false
}

// call hands something to the loop and waits until it was done.
func (j *Judge) call(ctx context.Context, f func()) bool {
	finished := make(chan struct{})
	if !j.tell(ctx, func() { f(); close(finished) }) {
		return false
	}
	select {
	case <-finished:
		return true
	case <-j.done:
	case <-ctx.Done():
	}
	return false
}

// found passes on what judging found.
func (j *Judge) found(r estate.Result) {
	for _, id := range r.Ask {
		j.ask(id)
	}
	if !r.Empty() {
		j.recorder.add(lean(r))
	}
}

// set makes a device known with exactly these series.
func (j *Judge) set(d domain.Device, via domain.ID, series []estate.Series) {
	j.tell(context.Background(), func() { j.found(j.estate.Set(watched(d, via), series, d.Health, j.clock.Now())) })
}

func watched(d domain.Device, via domain.ID) estate.Device {
	return estate.Device{ID: d.ID, Name: d.Name, PlaceID: d.PlaceID, ViaID: via, Paused: d.Paused, Resting: d.Resting}
}

// reroute changes what devices are reached through.
func (j *Judge) reroute(ways map[domain.ID]domain.ID) {
	j.tell(context.Background(), func() {
		for id, via := range ways {
			j.estate.SetVia(id, via)
		}
	})
}

func (j *Judge) remove(id domain.ID) {
	j.tell(context.Background(), func() { j.estate.RemoveDevice(id) })
}

// samples judges values in the order of their time. The slice is the judge's
// from then on.
func (j *Judge) samples(in []domain.SeriesSample) {
	if len(in) == 0 {
		return
	}
	slices.SortStableFunc(in, func(a, b domain.SeriesSample) int { return a.At.Compare(b.At) })
	j.tell(context.Background(), func() {
		var r estate.Result
		devices := map[domain.ID]domain.ID{} // with their places
		for _, s := range in {
			r.Add(j.estate.Sample(s.SeriesID, s.Sample))
			if x, ok := j.estate.Series(s.SeriesID); ok {
				devices[x.DeviceID] = j.estate.Place(x.DeviceID)
			}
		}
		j.found(r)
		for id, place := range devices {
			j.hub.Publish(domain.News{Kind: "values", ID: id, At: domain.Spot{Place: place, Device: id}, Area: domain.AreaWatch})
		}
	})
}

const (
	// tickEvery is how often the passing of time alone is judged.
	tickEvery = 5 * time.Second
	// stood is the pause between ticks from which on it was us who stood still,
	// or the clock that jumped: nothing is held against devices then.
	stood = 30 * time.Second
)

// tick lets time pass. It is called again and again while values that came in
// are judged without delay.
func (j *Judge) tick(now time.Time) {
	j.tell(context.Background(), func() {
		since := now.Sub(j.lastTick)
		if since >= 0 && since < tickEvery {
			return
		}
		if !j.lastTick.IsZero() && (since < 0 || since > stood) {
			j.estate.Grace(now.Add(restGrace))
		}
		j.lastTick = now
		j.found(j.estate.Tick(now))
	})
}

// SetRules puts changed rules in force; what they change is recorded even
// when nobody waits for it any more.
func (j *Judge) SetRules(ctx context.Context, rules []rule.Rule) {
	j.call(ctx, func() {
		j.estate.SetRules(rules)
		j.found(j.estate.Recheck(j.clock.Now()))
	})
}

// Explain tells why a device has the health that it has now; ok is false for
// a device that is not judged.
func (j *Judge) Explain(ctx context.Context, id domain.ID) (h domain.Health, reason string, t why.Trace, ok bool) {
	type answer struct {
		health domain.Health
		reason string
		trace  why.Trace
		known  bool
	}
	got := make(chan answer, 1) // whoever does not wait any longer must not be written to
	asked := j.call(ctx, func() {
		h, reason, t, ok := j.estate.Health(id, j.clock.Now())
		got <- answer{h, reason, t, ok}
	})
	if !asked {
		return domain.Unknown, "", why.Trace{}, false
	}
	a := <-got
	return a.health, a.reason, a.trace, a.known
}

// Way returns what a device is reached through, zero for none, and all that
// are reached through it.
func (j *Judge) Way(ctx context.Context, id domain.ID) (via domain.ID, behind []domain.ID) {
	type answer struct {
		via    domain.ID
		behind []domain.ID
	}
	got := make(chan answer, 1)
	if !j.call(ctx, func() { got <- answer{j.estate.Via(id), slices.Clone(j.estate.Behind(id))} }) {
		return 0, nil
	}
	a := <-got
	return a.via, a.behind
}

package engine

import (
	"context"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/spill"
)

// Deliverer carries one delivery to its channel. permanent tells that trying
// again is useless. It must be safe to repeat: the key of a message is the same
// at each attempt.
type Deliverer interface {
	Deliver(ctx context.Context, d domain.Delivery) (r channel.Receipt, permanent bool, err error)
}

// The outbox tries with growing pauses for about a day.
const (
	outboxEvery  = 2 * time.Second
	outboxLease  = 90 * time.Second
	renewEvery   = outboxLease / 3
	outboxLimit  = 10 // at once for each channel
	firstPause   = 5 * time.Second
	largestPause = 10 * time.Minute
	maxAttempts  = 150
	// attemptLimit leaves a mail server the ten minutes that it may think.
	attemptLimit = 15 * time.Minute
	// attemptGrace is how long an attempt may go on when we stop. What was
	// handed over by then without an answer is sent again at the next start.
	attemptGrace   = 3 * time.Second
	outboxPatience = 1500 * time.Millisecond
)

// Outbox delivers what the database holds for delivery, each channel in a lane
// of its own, so that a slow one delays no other. Nothing is lost when the
// process ends at any moment; what became of an attempt is in a file before
// anything else is done.
type Outbox struct {
	store    *store.Store
	carry    Deliverer
	hub      *Hub
	log      *slog.Logger
	decided  *shelf[decision]
	clock    *Clock
	wake     chan struct{}
	stop     context.CancelFunc
	running  sync.WaitGroup
	mu       sync.Mutex
	lanes    map[domain.ID]bool // channels that something is being delivered to
	underWay map[domain.ID]bool // deliveries that are tried, or whose outcome is not stored yet
}

// decision is what became of an attempt.
type decision struct {
	Delivery domain.Delivery `json:"delivery"`
	Receipt  channel.Receipt `json:"receipt"`
}

// NewOutbox returns an outbox that does nothing before Start. What became of
// attempts goes through the file, which may be nil.
func NewOutbox(s *store.Store, d Deliverer, hub *Hub, clock *Clock, file *spill.File, log *slog.Logger) *Outbox {
	o := &Outbox{
		store:    s,
		carry:    d,
		hub:      hub,
		log:      log,
		clock:    clock,
		wake:     make(chan struct{}, 1),
		lanes:    map[domain.ID]bool{},
		underWay: map[domain.ID]bool{},
	}
	o.decided = &shelf[decision]{
		what:    "outcomes of deliveries",
		durable: true,
		keep:    o.finish,
		apart:   nil,
		kept:    o.kept,
		refused: o.refused,
	}
	o.decided.open(file, log)
	return o
}

// Wake makes the outbox look at once; it never blocks.
func (o *Outbox) Wake() {
	select {
	case o.wake <- struct{}{}:
	default:
	}
}

// Start begins to deliver: first it takes up what an earlier run decided, and
// frees what that run had begun, since whoever ran then is gone.
func (o *Outbox) Start(ctx context.Context) {
	ctx, o.stop = context.WithCancel(context.WithoutCancel(ctx))
	o.running.Go(func() {
		err := insist(ctx, func() error {
			if err := o.decided.drain(ctx); err != nil {
				return err
			}
			return o.store.Deliveries.Free(ctx)
		}, func(err error, _ time.Duration) { o.log.Error("the outbox cannot be taken up yet", "error", err) })
		if err != nil && ctx.Err() != nil {
			return
		}
		o.decided.goOn(0)
		o.decided.begin()
		o.running.Go(func() { o.renew(ctx) })
		o.run(ctx)
	})
}

// Stop ends delivering; attempts under way get a moment. It may be called twice.
func (o *Outbox) Stop() {
	if o.stop != nil {
		o.stop()
	}
	o.running.Wait()
	o.decided.end(outboxPatience)
}

func (o *Outbox) run(ctx context.Context) {
	tick := time.NewTicker(outboxEvery)
	defer tick.Stop()
	for {
		o.round(ctx)
		select {
		case <-ctx.Done():
			return
		case <-o.wake:
		case <-tick.C:
		}
	}
}

// round opens a lane for each channel that something is due for.
func (o *Outbox) round(ctx context.Context) {
	due, err := o.store.Deliveries.Due(ctx, o.clock.Now(), o.tried())
	if err != nil {
		if ctx.Err() == nil {
			o.log.Error("the outbox cannot be read", "error", err)
		}
		return
	}
	for _, ch := range due {
		if o.enter(ch) {
			o.running.Go(func() { o.lane(ctx, ch) })
		}
	}
}

func (o *Outbox) enter(ch domain.ID) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	if o.lanes[ch] {
		return false
	}
	o.lanes[ch] = true
	return true
}

// lane delivers what is due for a channel, some at once, until nothing is.
func (o *Outbox) lane(ctx context.Context, ch domain.ID) {
	defer func() {
		o.mu.Lock()
		delete(o.lanes, ch)
		o.mu.Unlock()
		o.Wake()
	}()
	for ctx.Err() == nil {
		due, err := o.store.Deliveries.Claim(ctx, ch, o.clock.Now(), outboxLease, outboxLimit, o.tried())
		if err != nil || len(due) == 0 {
			return
		}
		var all sync.WaitGroup
		for _, d := range due {
			o.mark(d.ID, true)
			all.Go(func() { o.deliver(ctx, d) })
		}
		all.Wait()
	}
}

func (o *Outbox) mark(id domain.ID, underWay bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if underWay {
		o.underWay[id] = true
	} else {
		delete(o.underWay, id)
	}
}

// tried are the deliveries that nobody may begin now.
func (o *Outbox) tried() []domain.ID {
	o.mu.Lock()
	defer o.mu.Unlock()
	return slices.Collect(maps.Keys(o.underWay))
}

// renew keeps what is under way from being taken for abandoned.
func (o *Outbox) renew(ctx context.Context) {
	tick := time.NewTicker(renewEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := o.store.Deliveries.Renew(ctx, o.tried(), o.clock.Now().Add(outboxLease)); err != nil && ctx.Err() == nil {
			o.log.Warn("the leases of deliveries could not be renewed", "error", err)
		}
	}
}

func (o *Outbox) deliver(ctx context.Context, d domain.Delivery) {
	attempt, cancel := context.WithTimeout(context.WithoutCancel(ctx), attemptLimit)
	defer cancel()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(attemptGrace, cancel) })()
	receipt, permanent, err := o.carry.Deliver(attempt, d)
	now := o.clock.Now()
	if err != nil {
		d.Error = err.Error()
		if permanent || d.Attempts >= maxAttempts {
			d.State, d.DoneAt = domain.DeliveryFailed, now
		} else {
			d.NextTryAt = now.Add(Pause(d.Attempts))
		}
		o.log.Warn(
			"delivery failed",
			"delivery",
			d.ID,
			"kind",
			d.Kind,
			"attempt",
			d.Attempts,
			"final",
			d.State == domain.DeliveryFailed,
			"error",
			err,
		)
	} else {
		d.State, d.DoneAt, d.Error, d.Outcome = domain.DeliverySent, now, "", receipt.Outcome
	}
	o.decided.add(decision{d, receipt})
}

// finish stores outcomes. One that is stored already is left as it is.
func (o *Outbox) finish(ctx context.Context, _ int64, some []decision) error {
	return o.store.InTx(ctx, func(tx *store.Areas) error {
		for _, x := range some {
			if err := finish(ctx, tx, x.Delivery, x.Receipt); err != nil {
				return err
			}
		}
		return nil
	})
}

func finish(ctx context.Context, tx *store.Areas, d domain.Delivery, r channel.Receipt) error {
	stored, err := tx.Deliveries.Lock(ctx, d.ID)
	if err != nil {
		return err
	}
	if stored.State != domain.DeliveryWaiting || stored.Attempts != d.Attempts {
		return nil
	}
	if r.Ticket != nil {
		t := domain.Ticket{
			IncidentID: d.IncidentID,
			ChannelID:  d.ChannelID,
			Number:     r.Ticket.Number,
			URL:        r.Ticket.URL,
			State:      r.Ticket.State,
			CreatedAt:  d.DoneAt,
		}
		if err := tx.Tickets.Save(ctx, t); err != nil {
			return err
		}
	}
	return tx.Deliveries.Finish(ctx, d)
}

// placeLimit bounds how long it is looked for whom an outcome concerns.
const placeLimit = 2 * time.Second

func (o *Outbox) kept(some []decision) {
	ids := make([]domain.ID, len(some))
	for i, x := range some {
		o.mark(x.Delivery.ID, false)
		ids[i] = x.Delivery.IncidentID
	}
	ctx, cancel := context.WithTimeout(context.Background(), placeLimit)
	defer cancel()
	at, err := o.store.Incidents.Spots(ctx, ids)
	if err != nil {
		o.log.Warn("it is not known whom outcomes of deliveries concern", "error", err)
	}
	for _, id := range ids {
		o.hub.Publish(domain.News{Kind: "incidents", ID: id, At: at[id], Area: domain.AreaRespond})
	}
	o.Wake() // a note may have waited for its ticket
}

func (o *Outbox) refused(x decision, err error) {
	o.mark(x.Delivery.ID, false)
	o.log.Error(
		"the outcome of a delivery cannot be stored and is set aside",
		"delivery",
		x.Delivery.ID,
		"state",
		x.Delivery.State,
		"error",
		err,
	)
}

// Pause returns how long to wait after the given attempt, 1 being the first:
// 5 s, doubled each time, at most 10 min.
func Pause(attempt int) time.Duration {
	pause := firstPause
	for i := 1; i < attempt && pause < largestPause; i++ {
		pause *= 2
	}
	return min(pause, largestPause)
}

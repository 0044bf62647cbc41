package engine

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"tirelessowl/internal/core/channel"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
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
	outboxLimit  = 20
	firstPause   = 5 * time.Second
	largestPause = 10 * time.Minute
	maxAttempts  = 150
	attemptLimit = 60 * time.Second
)

// Outbox delivers what the database holds for delivery. Nothing is lost when
// the process ends at any moment: a delivery is done when that is stored.
type Outbox struct {
	store   *store.Store
	carry   Deliverer
	hub     *Hub
	log     *slog.Logger
	wake    chan struct{}
	stop    context.CancelFunc
	running sync.WaitGroup
}

// NewOutbox returns an outbox that does nothing before Start.
func NewOutbox(s *store.Store, d Deliverer, hub *Hub, log *slog.Logger) *Outbox {
	return &Outbox{store: s, carry: d, hub: hub, log: log, wake: make(chan struct{}, 1)}
}

// Wake makes the outbox look at once; it never blocks.
func (o *Outbox) Wake() {
	select {
	case o.wake <- struct{}{}:
	default:
	}
}

// Start begins to deliver.
func (o *Outbox) Start(ctx context.Context) {
	ctx, o.stop = context.WithCancel(context.WithoutCancel(ctx))
	o.running.Go(func() { o.run(ctx) })
}

// Stop ends delivering and waits for attempts under way; it may be called twice.
func (o *Outbox) Stop() {
	if o.stop != nil {
		o.stop()
	}
	o.running.Wait()
}

func (o *Outbox) run(ctx context.Context) {
	tick := time.NewTicker(outboxEvery)
	defer tick.Stop()
	for {
		for o.round(ctx) == outboxLimit {
			// more is due
		}
		select {
		case <-ctx.Done():
			return
		case <-o.wake:
		case <-tick.C:
		}
	}
}

// round delivers what is due, all at once, and returns how many that were.
func (o *Outbox) round(ctx context.Context) int {
	due, err := o.store.Deliveries.Claim(ctx, time.Now().UTC(), outboxLease, outboxLimit)
	if err != nil {
		if ctx.Err() == nil {
			o.log.Error("the outbox cannot be read", "error", err)
		}
		return 0
	}
	var all sync.WaitGroup
	for _, d := range due {
		all.Go(func() { o.deliver(ctx, d) })
	}
	all.Wait()
	return len(due)
}

func (o *Outbox) deliver(ctx context.Context, d domain.Delivery) {
	// An attempt that began is carried to its end when we stop.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), attemptLimit)
	defer cancel()
	receipt, permanent, err := o.carry.Deliver(ctx, d)
	now := time.Now().UTC()
	if err != nil {
		d.Error = err.Error()
		if permanent || d.Attempts >= maxAttempts {
			d.State, d.DoneAt = domain.DeliveryFailed, now
		} else {
			d.NextTryAt = now.Add(Pause(d.Attempts))
		}
		o.log.Warn("delivery failed", "delivery", d.ID, "kind", d.Kind, "attempt", d.Attempts, "final", d.State == domain.DeliveryFailed, "error", err)
	} else {
		d.State, d.DoneAt, d.Error, d.Outcome = domain.DeliverySent, now, "", receipt.Outcome
	}
	if err := o.finish(context.WithoutCancel(ctx), d, receipt); err != nil {
		o.log.Error("the outcome of a delivery could not be stored; it will be tried again", "delivery", d.ID, "error", err)
	}
	o.hub.Publish(Event{Kind: "incidents", ID: d.IncidentID})
}

func (o *Outbox) finish(ctx context.Context, d domain.Delivery, r channel.Receipt) error {
	return o.store.InTx(ctx, func(tx *store.Areas) error {
		if r.Ticket != nil {
			t := domain.Ticket{IncidentID: d.IncidentID, ChannelID: d.ChannelID, Number: r.Ticket.Number, URL: r.Ticket.URL, State: r.Ticket.State, CreatedAt: d.DoneAt}
			if err := tx.Tickets.Save(ctx, t); err != nil {
				return err
			}
		}
		return tx.Deliveries.Finish(ctx, d)
	})
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

package find

import (
	"net/netip"
	"sync"
	"time"

	"tirelessowl/internal/domain"
)

// How long a credential rests at an address that refused it: twice as long after each refusal.
// Whoever counts wrong attempts, and locks a user out after some, is not brought to that.
const (
	firstRest = time.Minute
	longRest  = 30 * time.Minute
)

// mostRefusals bounds what is remembered.
const mostRefusals = 100_000

// tried is a credential, as it was then, at an address.
type tried struct {
	at         netip.AddrPort
	credential domain.ID
	version    int
}

type refusal struct {
	rest  time.Duration
	until time.Time
}

// refusals remembers which credentials were refused where. Its zero value is ready.
type refusals struct {
	mu  sync.Mutex
	all map[tried]refusal
}

// note notes a refusal.
func (r *refusals) note(x tried, now time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.all == nil || len(r.all) >= mostRefusals {
		r.all = map[tried]refusal{}
	}
	rest := firstRest
	if before, ok := r.all[x]; ok {
		rest = min(2*before.rest, longRest)
	}
	r.all[x] = refusal{rest, now.Add(rest)}
}

// forget forgets the refusals of what is accepted now.
func (r *refusals) forget(x tried) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.all, x)
}

// rests tells until when something is not tried.
func (r *refusals) rests(x tried, now time.Time) (until time.Time, yes bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	until = r.all[x].until
	return until, now.Before(until)
}

package find

import (
	"cmp"
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// An address is tried twice; the second time with more patience, for links
// over satellites.
var patience = []time.Duration{900 * time.Millisecond, 1600 * time.Millisecond}

// targets are the addresses that a sweep tries.
func targets(w domain.Sweep, spared ranges.Set) ranges.Set {
	set, _ := ranges.Parse(w.Ranges)
	except, _ := ranges.Read(w.Exclude)
	return set.Without(except).Without(spared)
}

// search tries all addresses at the sweep's pace.
func (w *sweep) search(ctx context.Context) {
	pace := rate.NewLimiter(rate.Limit(w.Pace), max(1, w.Pace/50))
	slots, learning := make(chan struct{}, maxWaiting), make(chan struct{}, learners)
	var all sync.WaitGroup
	from := w.Reached
	targets(w.Sweep, w.spared).Each(func(a netip.Addr) bool {
		if from.IsValid() && a.Compare(from) <= 0 {
			w.tried.Add(1) // before the program ended
			return true
		}
		select {
		case slots <- struct{}{}:
		case <-ctx.Done():
			return false
		}
		if pace.Wait(ctx) != nil { // for its first request: so those that were begun come to their end soon
			<-slots
			return false
		}
		known := w.front.begin(a)
		all.Go(func() {
			defer func() { <-slots }()
			if w.try(ctx, a, pace, learning); ctx.Err() == nil {
				known()
			}
		})
		return ctx.Err() == nil
	})
	all.Wait()
}

// survived tells of an answer that could not be read: none takes the sweep, or more, down.
func survived(r any) string {
	if r == nil {
		return ""
	}
	return fmt.Sprintf("it answers, and reading that failed on our side: %v", r)
}

// hello asks an address with a credential whether it answers.
func (w *sweep) hello(ctx context.Context, at netip.AddrPort, id domain.ID, patience time.Duration) (heard identity.Heard) {
	defer func() {
		if failed := survived(recover()); failed != "" {
			heard = identity.Heard{Said: failed}
		}
	}()
	return w.prober.Hello(ctx, at, w.secrets[id].Ready(), patience)
}

// present says what answers where no credential did.
func (w *sweep) present(ctx context.Context, at netip.AddrPort) (said string) {
	defer func() { said = cmp.Or(survived(recover()), said) }()
	return w.prober.Present(ctx, at, patience[0])
}

// try asks one address with every credential; the first that is answered counts. The pace was
// kept for the first request already.
func (w *sweep) try(ctx context.Context, a netip.Addr, pace *rate.Limiter, learning chan struct{}) {
	defer func() {
		if ctx.Err() == nil {
			w.tried.Add(1)
		}
	}()
	at, left := netip.AddrPortFrom(a, uint16(w.Port)), slices.Clone(w.CredentialIDs)
	var said []string
	defer func() { w.sight(a, strings.Join(said, "; ")) }()
	paid := true
	for _, timeout := range patience {
		for _, id := range left {
			if until, rests := w.refused.rests(w.named(at, id), time.Now()); rests {
				left, said = without(left, id), append(said, w.resting(id, until))
				continue
			}
			if !paid && pace.Wait(ctx) != nil {
				return
			}
			paid = false
			heard := w.hello(ctx, at, id, timeout)
			if heard.Answers {
				w.refused.forget(w.named(at, id))
				w.learn(ctx, at, id, learning, pace)
				return
			}
			if heard.Denied {
				w.refused.note(w.named(at, id), time.Now())
				left = without(left, id)
			}
			if heard.Said != "" && !slices.Contains(said, heard.Said) {
				said = append(said, heard.Said)
			}
		}
	}
	if len(said) == 0 && len(w.CredentialIDs) > 0 && pace.Wait(ctx) == nil {
		if engine := w.present(ctx, at); engine != "" {
			said = append(said, engine)
		}
	}
	said = append(said, w.look(ctx, a, pace)...)
}

// resting says that a credential is not tried again yet.
func (w *sweep) resting(id domain.ID, until time.Time) string {
	return fmt.Sprintf("“%s” was refused here, and is not tried again for %s", w.secrets[id].Name, units.Span(time.Until(until)))
}

// named is a credential, as it is in this run, at an address.
func (w *sweep) named(at netip.AddrPort, id domain.ID) tried {
	return tried{at, id, w.secrets[id].Version}
}

func without(ids []domain.ID, id domain.ID) []domain.ID {
	return slices.DeleteFunc(slices.Clone(ids), func(x domain.ID) bool { return x == id })
}

// mostSaid is the longest of what is kept of an answer that is not understood.
const mostSaid = 300

// mostSightings bounds how many addresses are noted that answer otherwise.
const mostSightings = 10_000

// sight notes that an address answered otherwise.
func (w *sweep) sight(a netip.Addr, said string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if said != "" && len(w.sighted) < mostSightings {
		w.sighted[a] = text.Brief(said, mostSaid)
	}
}

// sightings are those so far of addresses at which no device was found.
func (w *sweep) sightings() (out []domain.Sighting) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for a, said := range w.virtual {
		out = append(out, domain.Sighting{Address: a.String(), Said: said})
	}
	for a, said := range w.sighted {
		if _, found := w.answers[a]; !found {
			out = append(out, domain.Sighting{Address: a.String(), Said: said})
		}
	}
	return out
}

func (w *sweep) learn(
	ctx context.Context,
	at netip.AddrPort,
	credential domain.ID,
	learning chan struct{},
	pace *rate.Limiter,
) {
	learning <- struct{}{}
	defer func() { <-learning }()
	defer func() { w.sight(at.Addr(), survived(recover())) }()
	answer, err := w.prober.Learn(ctx, at, w.secrets[credential].Ready())
	if err != nil {
		if ctx.Err() != nil {
			return
		}
		answer = identity.Answer{
			Responder:   identity.Responder{Address: at.Addr()},
			Description: "answers, but not to questions about itself: " + err.Error(),
			Facts:       []string{"answers:snmp"},
		}
	}
	for _, x := range w.open(ctx, at.Addr(), pace) {
		answer.Facts = append(answer.Facts, fit.Port+strconv.Itoa(x.port))
	}
	if w.Echo && pace.Wait(ctx) == nil {
		if _, err := w.looker.Echo(ctx, at.Addr(), lookTime); err == nil {
			answer.Facts = append(answer.Facts, "answers:icmp")
		}
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.answers[at.Addr()] = answered{answer.Cleaned(), credential}
}

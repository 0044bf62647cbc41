package people

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"time"

	"golang.org/x/crypto/bcrypt"

	"tirelessowl/internal/domain"
)

// attempt is somebody who wants to show who he is.
type attempt struct {
	name string // of the person, or what is guessed at, such as a code
	from string // the address
	// browser is the trusted browser of that person that it comes from, zero for none: such
	// a browser waits for its own failures only, so that nobody can lock its owner out.
	browser domain.ID
	// strict is for what only one who knows the password can try: it waits soon wherever it
	// comes from.
	strict bool
}

// gate slows guessing down. An attempt counts as a failure from its begin, so that many at
// once are as many as one after the other.
type gate struct {
	mu      sync.Mutex
	known   map[counter]failures
	hashing chan struct{} // bounds how many passwords are compared at once
}

// counter names what is counted; it is as small for the longest name.
type counter [sha256.Size]byte

type failures struct {
	count int
	last  time.Time
	bound bound
}

// bound is after how many failures each further one doubles the wait, from a second up to
// the longest.
type bound struct {
	free    int
	longest time.Duration
}

// One who guesses at one name from one address waits soon and long. A name that is guessed
// at from everywhere, and an address from which many names are guessed at, wait later and
// never long: behind an address may be a whole office, and names are no secret.
var (
	ofPair = bound{4, 15 * time.Minute}
	ofMany = bound{50, 30 * time.Second}
)

const (
	forgetAfter = time.Hour
	maxKnown    = 10_000
	hashWait    = 5 * time.Second
)

// hashers is how many passwords are compared at once: half of the processors are left to
// those who are in.
func hashers() int { return max(1, runtime.NumCPU()/2) }

func newGate() *gate {
	return &gate{known: map[counter]failures{}, hashing: make(chan struct{}, hashers())}
}

func counterOf(what, name, from string) counter {
	return sha256.Sum256(fmt.Appendf(nil, "%s\x00%s\x00%s", what, name, from))
}

// network is the address that attempts are counted by: of IPv6 the network that one
// customer has.
func network(from string) string {
	a, err := netip.ParseAddr(from)
	if err != nil || a.Unmap().Is4() {
		return from
	}
	p, _ := a.Prefix(64) // it is an IPv6 address
	return p.String()
}

func (a attempt) counters() map[counter]bound {
	if a.browser != 0 {
		return map[counter]bound{counterOf("browser", a.name, fmt.Sprint(a.browser)): ofPair}
	}
	from := network(a.from)
	if a.strict {
		return map[counter]bound{counterOf("name", a.name, ""): ofPair, counterOf("from", "", from): ofMany}
	}
	return map[counter]bound{
		counterOf("pair", a.name, from): ofPair,
		counterOf("name", a.name, ""):   ofMany,
		counterOf("from", "", from):     ofMany,
	}
}

// begin counts an attempt, or returns how long it has to wait.
func (g *gate) begin(a attempt, now time.Time) time.Duration {
	g.mu.Lock()
	defer g.mu.Unlock()
	counters := a.counters()
	var longest time.Duration
	for c, b := range counters {
		longest = max(longest, g.known[c].wait(b, now))
	}
	if longest > 0 {
		return longest
	}
	g.shrink(now)
	for c, b := range counters {
		f := g.known[c]
		if now.Sub(f.last) > forgetAfter {
			f.count = 0
		}
		g.known[c] = failures{f.count + 1, now, b}
	}
	return 0
}

func (f failures) wait(b bound, now time.Time) time.Duration {
	if f.count < b.free || now.Sub(f.last) > forgetAfter {
		return 0
	}
	return min(b.longest, time.Second<<min(f.count-b.free, 20)) - now.Sub(f.last)
}

// passed takes back what an attempt counted that was right; who guessed at the name from
// there before is forgiven.
func (g *gate) passed(a attempt) { g.takeBack(a, true) }

// undecided takes back what an attempt counted of which it was not found out whether it was
// right: that we are too busy, or the database is away, is nobody's failure.
func (g *gate) undecided(a attempt) { g.takeBack(a, false) }

func (g *gate) takeBack(a attempt, forgives bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for c, b := range a.counters() {
		f, ok := g.known[c]
		switch {
		case forgives && b == ofPair, f.count <= 1:
			delete(g.known, c)
		case ok:
			f.count--
			g.known[c] = f
		}
	}
}

// shrink makes room: what is long ago goes first, then what failed least.
func (g *gate) shrink(now time.Time) {
	if len(g.known) < maxKnown {
		return
	}
	type entry struct {
		counter
		failures
	}
	var all []entry
	for c, f := range g.known {
		if now.Sub(f.last) > f.bound.longest {
			delete(g.known, c)
			continue
		}
		all = append(all, entry{c, f})
	}
	if len(all) < maxKnown*3/4 {
		return
	}
	slices.SortFunc(all, func(a, b entry) int { return cmp.Or(cmp.Compare(a.count, b.count), a.last.Compare(b.last)) })
	for _, e := range all[:len(all)/4] {
		delete(g.known, e.counter)
	}
}

// compare tells whether a password has a hash. At once no more are compared than hashers; who
// would wait too long has to come again: ErrSlowDown.
func (g *gate) compare(ctx context.Context, hash []byte, password domain.Secret) (bool, error) {
	ctx, cancel := context.WithTimeout(ctx, hashWait)
	defer cancel()
	select {
	case g.hashing <- struct{}{}:
		defer func() { <-g.hashing }()
	case <-ctx.Done():
		return false, domain.ErrSlowDown
	}
	err := bcrypt.CompareHashAndPassword(hash, []byte(password.Reveal()))
	if errors.Is(err, bcrypt.ErrMismatchedHashAndPassword) || errors.Is(err, bcrypt.ErrPasswordTooLong) {
		return false, nil
	}
	return err == nil, err
}

package act

import (
	"sync"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// brake bounds how many refusals of one actor are noted: one who tries and tries
// shall not fill the audit.
type brake struct {
	mu    sync.Mutex
	known map[brakeKey]noted
}

type brakeKey struct {
	kind access.Kind
	id   domain.ID
	from string
}

type noted struct {
	since  time.Time
	count  int
	passed int // not noted
}

const (
	notedEach = time.Minute
	mostNoted = 20
	mostKnown = 10_000
)

func newBrake() *brake { return &brake{known: map[brakeKey]noted{}} }

// take tells whether a further refusal is to be noted, and how many were not before.
func (b *brake) take(who access.Actor, now time.Time) (passed int, ok bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.known) > mostKnown {
		clear(b.known)
	}
	key := brakeKey{who.Kind, who.ID, who.From}
	n := b.known[key]
	if now.Sub(n.since) > notedEach {
		n = noted{since: now, passed: n.passed}
	}
	if n.count >= mostNoted {
		n.passed++
		b.known[key] = n
		return 0, false
	}
	n.count++
	passed, n.passed = n.passed, 0
	b.known[key] = n
	return passed, true
}

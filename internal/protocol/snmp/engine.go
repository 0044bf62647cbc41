package snmp

import (
	"net/netip"
	"sync"
	"time"

	"tirelessowl/internal/core/usm"
)

// The length of an engine's id, in bytes (RFC 3411 section 5, SnmpEngineID).
const (
	minEngine = 5
	maxEngine = 32
)

// window is how old an authentic message may be (RFC 3414 section 2.2.3).
const window = 150 * time.Second

// mostBoots is when an engine must get new keys (RFC 3414 section 2.2.2).
const mostBoots = 1<<31 - 1

// engine is the one that speaks at an address, with the clock that its messages bear.
type engine struct {
	id []byte

	mu sync.Mutex
	// boots and seconds are the clock at a moment. What is told without authentication is a
	// guess to ask with; only authentic messages make it known.
	boots, seconds uint32
	at             time.Time
	known          bool
	of             map[usm.User]usm.Keys
}

func newEngine(id []byte, boots, seconds uint32, now time.Time) *engine {
	return &engine{id: id, boots: boots, seconds: seconds, at: now, of: map[usm.User]usm.Keys{}}
}

// keys are those of a user at the engine; they are made once.
func (e *engine) keys(u usm.User, m usm.Masters) usm.Keys {
	e.mu.Lock()
	defer e.mu.Unlock()
	k, ok := e.of[u]
	if !ok {
		k = m.At(e.id)
		e.of[u] = k
	}
	return k
}

// clock is what the engine's clock shows, as far as we know.
func (e *engine) clock(now time.Time) (boots, seconds uint32) {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.boots, e.seconds + uint32(now.Sub(e.at)/time.Second)
}

// timely tells whether an authentic message is of now, and sets the clock by it
// (RFC 3414 section 3.2, step 7b).
func (e *engine) timely(boots, seconds uint32, now time.Time) bool {
	e.mu.Lock()
	defer e.mu.Unlock()
	shows := e.seconds + uint32(now.Sub(e.at)/time.Second)
	later := boots > e.boots || boots == e.boots && seconds > shows
	if !e.known || later {
		e.boots, e.seconds, e.at, e.known = boots, seconds, now, true
		return boots < mostBoots
	}
	return boots == e.boots && boots < mostBoots && seconds+uint32(window/time.Second) >= shows
}

// told takes up what a report says of the clock.
func (e *engine) told(r *report, m envelope, trusted bool) error {
	if r.of != notInWindow {
		return final{r}
	}
	if !trusted || !e.timely(m.boots, m.time, time.Now()) {
		return errNotSNMP // anybody could have sent it, or it is an old one
	}
	return final{r}
}

// mostKept bounds what is kept of engines and users: a sweep may meet many.
const (
	mostEngines = 100_000
	mostUsers   = 1_000
)

// engines are those that were met, by address, and the keys of users that are of none yet.
type engines struct {
	mu    sync.Mutex
	known map[netip.AddrPort]*engine
	users map[usm.User]usm.Masters
}

func newEngines() *engines {
	return &engines{known: map[netip.AddrPort]*engine{}, users: map[usm.User]usm.Masters{}}
}

func (s *engines) at(a netip.AddrPort) *engine {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.known[a]
}

// keep keeps an engine, unless one of the same id is known there already: its clock is better.
func (s *engines) keep(a netip.AddrPort, e *engine) *engine {
	s.mu.Lock()
	defer s.mu.Unlock()
	if old := s.known[a]; old != nil && string(old.id) == string(e.id) {
		return old
	}
	if len(s.known) >= mostEngines {
		clear(s.known)
	}
	s.known[a] = e
	return e
}

// forget forgets an engine, if it is still the one that is known.
func (s *engines) forget(a netip.AddrPort, e *engine) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.known[a] == e {
		delete(s.known, a)
	}
}

// masters are the keys of a user; they are made once, which takes milliseconds.
func (s *engines) masters(u usm.User) (usm.Masters, error) {
	s.mu.Lock()
	m, ok := s.users[u]
	s.mu.Unlock()
	if ok {
		return m, nil
	}
	m, err := u.Masters()
	if err != nil {
		return m, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.users) >= mostUsers {
		clear(s.users)
	}
	s.users[u] = m
	return m, nil
}

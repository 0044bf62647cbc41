package localpg

import (
	"context"
	"fmt"
	"time"

	"github.com/cenkalti/backoff/v5"
)

// How long to wait before a server that ended is started again, and how long one
// must live so that the pauses begin anew.
const (
	firstPause   = 200 * time.Millisecond
	longestPause = 15 * time.Second
	steady       = time.Minute
	watchEvery   = 200 * time.Millisecond
)

// supervise starts the server again whenever it has ended, until Stop.
func (s *Server) supervise() {
	if !s.ours {
		return
	}
	s.watching.Go(func() {
		pauses := &backoff.ExponentialBackOff{InitialInterval: firstPause, Multiplier: 2, MaxInterval: longestPause}
		pauses.Reset()
		began := time.Now()
		for s.watch() {
			if time.Since(began) > steady {
				pauses.Reset()
			}
			pause := pauses.NextBackOff()
			s.say(fmt.Sprintf("the database server ended; it is started again in %.1f s", pause.Seconds()))
			if !s.rest(pause) {
				return
			}
			began = time.Now()
			s.again()
		}
	})
}

// again starts the server and waits until it is ready or has ended.
func (s *Server) again() {
	s.say("the database server is being started again")
	if err := s.launch(); err != nil {
		s.say("the database server cannot be started: " + err.Error())
		return
	}
	if err := s.ready(context.Background()); err != nil {
		s.say("the database server did not become ready: " + err.Error())
		return
	}
	s.say("the database server runs again")
	s.mu.Lock()
	s.status = ""
	s.mu.Unlock()
}

// watch waits until the process has ended; it is false when we stop.
func (s *Server) watch() bool {
	for s.lives() {
		if !s.rest(watchEvery) {
			return false
		}
	}
	return true
}

// rest waits, and is false when we stop.
func (s *Server) rest(d time.Duration) bool {
	select {
	case <-s.stopping:
		return false
	case <-time.After(d):
		return true
	}
}

func (s *Server) say(text string) {
	s.mu.Lock()
	s.status = text
	s.mu.Unlock()
	s.opt.Log(text)
}

// Status tells in words what is being done about a server that ended; empty
// while it runs.
func (s *Server) Status() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.status
}

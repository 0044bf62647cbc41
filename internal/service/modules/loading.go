package modules

import (
	"context"
	"errors"
	"sync"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/mib/smi"
	"tirelessowl/internal/domain"
)

// State is how far a loading is, or how the last one ended.
type State struct {
	Running    bool
	Done, All  int
	Problems   []smi.Problem
	Failed     string // why nothing was stored
	Ever, Stop bool   // there was one; it is being stopped
}

type loading struct {
	mu     sync.Mutex
	state  State
	cancel context.CancelFunc
}

func (l *loading) begin(files int, cancel context.CancelFunc) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.state.Running {
		return false
	}
	l.state, l.cancel = State{Running: true, All: files, Ever: true}, cancel
	return true
}

func (l *loading) step() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.state.Done++
}

func (l *loading) end(problems []smi.Problem, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.state.Running, l.state.Problems = false, problems
	switch {
	case errors.Is(err, context.Canceled):
		l.state.Failed = "It was stopped; nothing of it was loaded."
	case err != nil:
		l.state.Failed = err.Error()
	}
}

// State tells how far the loading is.
func (s *Service) State(ctx context.Context, who access.Actor) (State, error) {
	if _, err := s.desk.See(ctx, who, domain.AreaCollect); err != nil {
		return State{}, err
	}
	s.loading.mu.Lock()
	defer s.loading.mu.Unlock()
	return s.loading.state, nil
}

// Stop ends the loading: what is read until then is not kept.
func (s *Service) Stop(ctx context.Context, who access.Actor) error {
	if err := s.mayLoad(ctx, who, []File{{}}); err != nil {
		return err
	}
	s.loading.mu.Lock()
	defer s.loading.mu.Unlock()
	if s.loading.state.Running {
		s.loading.state.Stop = true
		s.loading.cancel()
	}
	return nil
}

package web

import (
	"context"
	"net/http"
	"sync"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/watch"
)

// strip is the estate ribbon over every page. It is worked out at most once a
// second, whoever asks; meanwhile everyone sees the last one, so that no page
// waits for it.
type strip struct {
	watch  *watch.Service
	engine *engine.Collector
	mu     sync.Mutex
	at     time.Time
	last   stripView
	busy   bool
}

type stripView struct {
	Ribbon []domain.Health
	Counts []countView
	Fine   int
	// Trouble is what keeps values from being where they should be, in words.
	Trouble string
	// Undelivered is how many messages reached nobody.
	Undelivered int64
}

type countView struct {
	Health domain.Health
	N      int
}

const (
	stripAge = time.Second
	// stripMax is the age from which a page waits for a new one.
	stripMax = 10 * time.Second
)

func newStrip(w *watch.Service, e *engine.Collector) *strip { return &strip{watch: w, engine: e} }

func (s *strip) view(r *http.Request) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	switch age := time.Since(s.at); {
	case age > stripMax:
		v, err := s.make(r.Context())
		if err != nil {
			return nil, err
		}
		s.last, s.at = v, time.Now()
	case age > stripAge && !s.busy:
		s.busy = true
		go s.refresh(context.WithoutCancel(r.Context()))
	}
	return s.last, nil
}

func (s *strip) refresh(ctx context.Context) {
	ctx, cancel := context.WithTimeout(ctx, stripMax)
	defer cancel()
	v, err := s.make(ctx)
	s.mu.Lock()
	defer s.mu.Unlock()
	s.busy = false
	if err == nil {
		s.last, s.at = v, time.Now()
	}
}

func (s *strip) make(ctx context.Context) (stripView, error) {
	o, err := s.watch.Overview(ctx, nil, time.Now().UTC())
	v := stripView{Ribbon: o.Ribbon, Fine: o.Counts[domain.Fine], Undelivered: o.Undelivered}
	if t, bad := s.engine.Trouble(); bad {
		v.Trouble = inWords(t)
	}
	if len(v.Ribbon) == 0 {
		v.Ribbon = make([]domain.Health, watch.Slots)
	}
	for _, h := range domain.AllHealth() {
		if n := o.Counts[h]; n > 0 && h != domain.Fine {
			v.Counts = append(v.Counts, countView{h, n})
		}
	}
	return v, err
}

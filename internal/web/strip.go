package web

import (
	"context"
	"net/http"
	"sync"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
)

// strip is the estate ribbon over every page. For each scope it is worked out at most
// once a second, whoever asks; meanwhile everyone sees the last one, so that no page
// waits for it.
type strip struct {
	watch *watch.Service
	run   *run.Service
	mu    sync.Mutex
	of    map[string]*stripOf // by scope
}

type stripOf struct {
	mu   sync.Mutex
	at   time.Time
	last stripView
	busy bool
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
	// mostStrips bounds for how many scopes they are kept.
	mostStrips = 500
)

func newStrip(w *watch.Service, r *run.Service) *strip {
	return &strip{watch: w, run: r, of: map[string]*stripOf{}}
}

// scoped is the strip of those who see what an actor sees.
func (s *strip) scoped(who access.Actor) *stripOf {
	scope := who.Scope(domain.AreaWatch, domain.AccessSee)
	key := scope.Key()
	if scope.None() {
		key = "none"
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.of[key] == nil {
		if len(s.of) > mostStrips {
			clear(s.of)
		}
		s.of[key] = &stripOf{}
	}
	return s.of[key]
}

func (s *strip) view(r *http.Request) (any, error) {
	who := middleware.Who(r.Context())
	o := s.scoped(who)
	o.mu.Lock()
	defer o.mu.Unlock()
	switch age := time.Since(o.at); {
	case age > stripMax:
		v, err := s.make(r.Context(), who)
		if err != nil {
			return nil, err
		}
		o.last, o.at = v, time.Now()
	case age > stripAge && !o.busy:
		o.busy = true
		go s.refresh(context.WithoutCancel(r.Context()), who, o)
	}
	return o.last, nil
}

func (s *strip) refresh(ctx context.Context, who access.Actor, o *stripOf) {
	ctx, cancel := context.WithTimeout(ctx, stripMax)
	defer cancel()
	v, err := s.make(ctx, who)
	o.mu.Lock()
	defer o.mu.Unlock()
	o.busy = false
	if err == nil {
		o.last, o.at = v, time.Now()
	}
}

func (s *strip) make(ctx context.Context, who access.Actor) (stripView, error) {
	v := stripView{Ribbon: make([]domain.Health, watch.Slots)}
	if t, bad := s.run.Trouble(); bad {
		v.Trouble = inWords(t)
	}
	if who.Scope(domain.AreaWatch, domain.AccessSee).None() {
		return v, nil
	}
	o, err := s.watch.Overview(ctx, who, nil, time.Now().UTC())
	v.Fine, v.Undelivered = o.Counts[domain.Fine], o.Undelivered
	if len(o.Ribbon) > 0 {
		v.Ribbon = o.Ribbon
	}
	for _, h := range domain.AllHealth() {
		if n := o.Counts[h]; n > 0 && h != domain.Fine {
			v.Counts = append(v.Counts, countView{h, n})
		}
	}
	return v, err
}

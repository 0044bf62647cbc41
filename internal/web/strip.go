package web

import (
	"net/http"
	"sync"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
)

// strip is the estate ribbon over every page. It is worked out at most once a
// second, whoever asks.
type strip struct {
	watch *watch.Service
	mu    sync.Mutex
	at    time.Time
	last  stripView
}

type stripView struct {
	Ribbon []domain.Health
	Counts []countView
	Fine   int
}

type countView struct {
	Health domain.Health
	N      int
}

const stripAge = time.Second

func newStrip(w *watch.Service) *strip { return &strip{watch: w} }

func (s *strip) view(r *http.Request) (any, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now().UTC()
	if now.Sub(s.at) < stripAge {
		return s.last, nil
	}
	o, err := s.watch.Overview(r.Context(), now)
	if err != nil {
		return nil, err
	}
	v := stripView{Ribbon: o.Ribbon, Fine: o.Counts[domain.Fine]}
	if len(v.Ribbon) == 0 {
		v.Ribbon = make([]domain.Health, watch.Slots)
	}
	for _, h := range domain.AllHealth() {
		if n := o.Counts[h]; n > 0 && h != domain.Fine {
			v.Counts = append(v.Counts, countView{h, n})
		}
	}
	s.last, s.at = v, now
	return v, nil
}

package browse

import (
	"fmt"
	"sync"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Recent looks are kept for a moment: who tries steps sees what they make of the same values.
const (
	recentFor  = time.Minute
	mostRecent = 32    // questions
	mostRows   = 2_000 // of one; longer tables are asked for again
)

// recent are the looks of the last moments, by what was asked of which device.
type recent struct {
	mu    sync.Mutex
	looks map[string]looked
}

type looked struct {
	at    time.Time
	looks []derive.Fetched
}

func recentKey(id domain.ID, q way.Question) string {
	return fmt.Sprint(id, q.Ask, q.Columns, q.Endpoint, q.Address)
}

func (r *recent) get(id domain.ID, q way.Question) []derive.Fetched {
	r.mu.Lock()
	defer r.mu.Unlock()
	x, ok := r.looks[recentKey(id, q)]
	if !ok || time.Since(x.at) > recentFor {
		return nil
	}
	return x.looks
}

func (r *recent) keep(id domain.ID, q way.Question, looks []derive.Fetched) {
	if len(looks) < 2 || len(looks[0].Rows) > mostRows {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for key, x := range r.looks {
		if time.Since(x.at) > recentFor {
			delete(r.looks, key)
		}
	}
	key := recentKey(id, q)
	if _, again := r.looks[key]; !again && len(r.looks) >= mostRecent {
		return
	}
	if r.looks == nil {
		r.looks = map[string]looked{}
	}
	r.looks[key] = looked{time.Now(), looks}
}

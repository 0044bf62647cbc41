package watch

import (
	"context"
	"sync"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/store"
)

// vocabulary is all words in names, from the last minute. Nobody is told of it: it only
// mends what is typed, and what is found then is what the actor sees.
type vocabulary struct {
	mu    sync.Mutex
	at    time.Time
	words []string
	busy  bool
}

// vocabularyAge is how old it may be; a search waits for it only the first time.
const vocabularyAge = time.Minute

// guessed finds what somebody may have meant.
func (s *Service) guessed(ctx context.Context, l looking, typed string, limit int) ([]Hit, error) {
	words, err := s.known.of(ctx, s.store)
	if err != nil {
		return nil, err
	}
	mended := text.Mended(typed, words)
	if mended == typed {
		return nil, nil
	}
	return l.store.Hits.Find(ctx, mended, limit)
}

func (v *vocabulary) of(ctx context.Context, s *store.Store) ([]string, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	switch {
	case v.at.IsZero():
		words, err := s.Hits.Words(ctx)
		if err == nil {
			v.words, v.at = words, time.Now()
		}
		return words, err
	case time.Since(v.at).Abs() > vocabularyAge && !v.busy:
		v.busy = true
		go v.refresh(context.WithoutCancel(ctx), s)
	}
	return v.words, nil
}

func (v *vocabulary) refresh(ctx context.Context, s *store.Store) {
	ctx, cancel := context.WithTimeout(ctx, vocabularyAge)
	defer cancel()
	words, err := s.Hits.Words(ctx)
	v.mu.Lock()
	defer v.mu.Unlock()
	v.busy = false
	if err == nil {
		v.words, v.at = words, time.Now()
	}
}

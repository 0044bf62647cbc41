package engine

import (
	"sync"

	"tirelessowl/internal/domain"
)

// Hub spreads news to whoever listens. A slow listener misses news
// rather than holding up the engine.
type Hub struct {
	mu        sync.Mutex
	listeners map[chan domain.News]struct{}
}

// NewHub returns a hub without listeners.
func NewHub() *Hub { return &Hub{listeners: map[chan domain.News]struct{}{}} }

// listenerBuffer is how many events may wait for a listener.
const listenerBuffer = 256

// Listen returns a channel of events and the function that ends it.
func (h *Hub) Listen() (<-chan domain.News, func()) {
	c := make(chan domain.News, listenerBuffer)
	h.mu.Lock()
	h.listeners[c] = struct{}{}
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.listeners, c)
		h.mu.Unlock()
	}
}

// Publish hands news to all listeners.
func (h *Hub) Publish(e domain.News) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.listeners {
		select {
		case c <- e:
		default:
		}
	}
}

package engine

import (
	"sync"

	"tirelessowl/internal/domain"
)

// Event tells the screens that something changed: "health", "values" with
// the device, "incidents", "sweep" with its id.
type Event struct {
	Kind string
	ID   domain.ID
}

// Hub spreads events to whoever listens. A slow listener misses events
// rather than holding up the engine.
type Hub struct {
	mu        sync.Mutex
	listeners map[chan Event]struct{}
}

// NewHub returns a hub without listeners.
func NewHub() *Hub { return &Hub{listeners: map[chan Event]struct{}{}} }

// listenerBuffer is how many events may wait for a listener.
const listenerBuffer = 256

// Listen returns a channel of events and the function that ends it.
func (h *Hub) Listen() (<-chan Event, func()) {
	c := make(chan Event, listenerBuffer)
	h.mu.Lock()
	h.listeners[c] = struct{}{}
	h.mu.Unlock()
	return c, func() {
		h.mu.Lock()
		delete(h.listeners, c)
		h.mu.Unlock()
	}
}

// Publish hands an event to all listeners.
func (h *Hub) Publish(e Event) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.listeners {
		select {
		case c <- e:
		default:
		}
	}
}

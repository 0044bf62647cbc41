package samples

import "sync"

// claims keep two from working at the same series at once, while others go
// on. The zero value is ready.
type claims struct {
	mu   sync.Mutex
	held map[int64]chan struct{} // closed when the series is free again
}

// take waits until none of the series is held by another and holds them all,
// until release is called. They are taken together or not at all, so that two
// who wait for each other's series cannot come about.
func (c *claims) take(series []int64) (release func()) {
	mine := make(chan struct{})
	for {
		other := c.tryAll(series, mine)
		if other == nil {
			return func() { c.release(series, mine) }
		}
		<-other
	}
}

// tryAll holds all series, or none and returns whom to wait for.
func (c *claims) tryAll(series []int64, mine chan struct{}) (other chan struct{}) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, id := range series {
		if other := c.held[id]; other != nil {
			return other
		}
	}
	if c.held == nil {
		c.held = map[int64]chan struct{}{}
	}
	for _, id := range series {
		c.held[id] = mine
	}
	return nil
}

func (c *claims) release(series []int64, mine chan struct{}) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, id := range series {
		delete(c.held, id)
	}
	close(mine)
}

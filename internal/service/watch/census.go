package watch

import (
	"context"
	"sync"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// census is all series by device. From it everybody is told of how many series he sees and
// when the newest of their values came: to ask for each part of the tree anew would read
// hundreds of thousands of rows for every one who looks.
type census struct {
	mu      sync.Mutex
	at      time.Time
	all     []store.Surveyed
	pending bool // it is being read anew
	// total is how many series there are in all, which takes less time to tell.
	total   int64
	totalAt time.Time
}

const (
	// censusAge is from when on it is read anew.
	censusAge = 15 * time.Second
	// censusMost is from when on it is waited for that.
	censusMost = time.Minute
	totalAge   = 3 * time.Second
)

// whole is how many series there are in all.
func (c *census) whole(ctx context.Context, count func(context.Context) (int64, error)) (n int64, err error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if time.Since(c.totalAt) < totalAge {
		return c.total, nil
	}
	if n, err = count(ctx); err == nil {
		c.total, c.totalAt = n, time.Now()
	}
	return n, err
}

// present is the census; an older one is good while a new one is made.
func (c *census) present(ctx context.Context, read func(context.Context) ([]store.Surveyed, error)) ([]store.Surveyed, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	age := time.Since(c.at)
	if age < censusAge || c.pending && age < censusMost {
		return c.all, nil
	}
	if age < censusMost {
		c.pending = true
		go c.renew(context.WithoutCancel(ctx), read)
		return c.all, nil
	}
	all, err := read(ctx)
	if err == nil {
		c.all, c.at = all, time.Now()
	}
	return all, err
}

func (c *census) renew(ctx context.Context, read func(context.Context) ([]store.Surveyed, error)) {
	ctx, cancel := context.WithTimeout(ctx, censusMost)
	defer cancel()
	all, err := read(ctx)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.pending = false; err == nil {
		c.all, c.at = all, time.Now()
	}
}

// count tells how many series there are that are seen, and when their newest value came.
func (s looking) count(ctx context.Context, o *Overview) (err error) {
	if s.scope.All() {
		o.Newest = s.Service.store.Samples.Newest()
		o.Series, err = s.census.whole(ctx, s.store.Series.Count)
		return err
	}
	all, err := s.census.present(ctx, s.Service.store.Series.Survey)
	for _, x := range all {
		if !s.scope.Has(domain.Spot{Place: x.PlaceID, Device: x.DeviceID}) {
			continue
		}
		o.Series += int64(len(x.Series))
		if at := s.store.Values.Newest(x.Series); at.After(o.Newest) {
			o.Newest = at
		}
	}
	return err
}

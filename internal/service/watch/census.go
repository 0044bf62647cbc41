package watch

import (
	"context"
	"sync"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// census is all series by device. From it everybody is told of how many series he sees and
// when the newest of their values came: to ask for each part of the tree anew would read
// hundreds of thousands of rows for every one who looks.
type census struct {
	mu      sync.Mutex
	at      time.Time
	last    *survey
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
func (c *census) present(ctx context.Context, read func(context.Context) ([]store.Surveyed, error)) (*survey, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	age := time.Since(c.at)
	if age < censusAge || c.pending && age < censusMost {
		return c.last, nil
	}
	if age < censusMost {
		c.pending = true
		go c.renew(context.WithoutCancel(ctx), read)
		return c.last, nil
	}
	all, err := read(ctx)
	if err != nil {
		return nil, err
	}
	c.last, c.at = newSurvey(all), time.Now()
	return c.last, nil
}

func (c *census) renew(ctx context.Context, read func(context.Context) ([]store.Surveyed, error)) {
	ctx, cancel := context.WithTimeout(ctx, censusMost)
	defer cancel()
	all, err := read(ctx)
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.pending = false; err == nil {
		c.last, c.at = newSurvey(all), time.Now()
	}
}

// survey is a census that was made, with the newest values since.
type survey struct {
	devices []store.Surveyed
	owner   map[domain.ID]int // the number of the device of each series
	mu      sync.Mutex
	newest  []int64 // of each device, in milliseconds
	at      time.Time
}

func newSurvey(devices []store.Surveyed) *survey {
	v := &survey{devices: devices, owner: map[domain.ID]int{}}
	for i, d := range devices {
		for _, id := range d.Series {
			v.owner[id] = i
		}
	}
	return v
}

// newestOf returns when the newest value of each device came, all looked up in one go.
func (v *survey) newestOf(each func(since time.Time, f func(series int64, points []codec.Point))) []int64 {
	v.mu.Lock()
	defer v.mu.Unlock()
	if time.Since(v.at) < totalAge {
		return v.newest
	}
	newest := make([]int64, len(v.devices))
	each(time.Time{}, func(id int64, points []codec.Point) {
		if i, known := v.owner[id]; known {
			newest[i] = max(newest[i], points[len(points)-1].T)
		}
	})
	v.newest, v.at = newest, time.Now()
	return newest
}

// count tells how many series there are that are seen, and when their newest value came.
func (s looking) count(ctx context.Context, o *Overview) (err error) {
	if s.scope.All() {
		o.Newest = s.Service.store.Samples.Newest()
		o.Series, err = s.census.whole(ctx, s.store.Series.Count)
		return err
	}
	all, err := s.census.present(ctx, s.Service.store.Series.Survey)
	if err != nil {
		return err
	}
	var newest int64
	for i, at := range all.newestOf(s.Service.store.Samples.EachLatest) {
		x := all.devices[i]
		if s.scope.Has(domain.Spot{Place: x.PlaceID, Device: x.DeviceID}) {
			o.Series += int64(len(x.Series))
			newest = max(newest, at)
		}
	}
	if newest > 0 {
		o.Newest = time.UnixMilli(newest).UTC()
	}
	return nil
}

// Package watch gathers what the screens of watching show.
package watch

import (
	"context"
	"sync"
	"time"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Service is the use cases of watching.
type Service struct {
	store  *store.Store
	kits   *collect.Service
	judge  Judge
	totals totals
	usage  usage
}

// usage is who fills the disk; it is worked out at most once a minute, since
// it looks into the tables.
type usage struct {
	sync.Mutex
	at    time.Time
	rows  []store.Usage
	share float64
}

const usageAge = time.Minute

// Usage tells what the samples of each reading of each device take, and from
// which share of the tables that is known.
func (s *Service) Usage(ctx context.Context) (rows []store.Usage, share float64, err error) {
	u := &s.usage
	u.Lock()
	defer u.Unlock()
	if time.Since(u.at) > usageAge {
		if u.rows, u.share, err = s.store.Sizes.Usage(ctx); err != nil {
			return nil, 0, err
		}
		u.at = time.Now()
	}
	return u.rows, u.share, nil
}

// totals are figures over all values; they are worked out at most every few
// seconds, since they look at every series.
type totals struct {
	sync.Mutex
	at     time.Time
	newest time.Time
	series int64
}

const totalsAge = 3 * time.Second

// Judge knows the present.
type Judge interface {
	// Explain tells why a device has its present health; ok is false for one
	// that is not judged.
	Explain(ctx context.Context, id domain.ID) (h domain.Health, reason string, t why.Trace, ok bool)
	// Way returns what a device is reached through, zero for none, and all
	// that are reached through it.
	Way(ctx context.Context, id domain.ID) (via domain.ID, behind []domain.ID)
}

// New returns the service.
func New(s *store.Store, kits *collect.Service, j Judge) *Service {
	return &Service{store: s, kits: kits, judge: j}
}

// Why explains a device's present health.
func (s *Service) Why(ctx context.Context, id domain.ID) (domain.Device, domain.Health, why.Trace, error) {
	d, err := s.store.Devices.One(ctx, id)
	if err != nil {
		return d, "", why.Trace{}, err
	}
	h, _, trace, ok := s.judge.Explain(ctx, id)
	if !ok {
		trace = why.Trace{Question: "Why " + string(d.Health) + "?", Answer: d.HealthNote}
		return d, d.Health, trace, nil
	}
	return d, h, trace, nil
}

// Fullest returns the series that are filled most, by the readings whose
// purpose that is.
func (s *Service) Fullest(ctx context.Context, limit int) ([]store.ListedValue, error) {
	var of []store.ReadingKey
	for _, r := range s.kits.Catalogue().For(kit.Filling) {
		of = append(of, store.ReadingKey{Kit: r.Kit, Reading: r.Reading})
	}
	if len(of) == 0 {
		return nil, nil
	}
	rows, _, err := s.store.Values.Listed(ctx, store.ValueFilter{Of: of, Sort: "-value", Limit: limit})
	return rows, err
}

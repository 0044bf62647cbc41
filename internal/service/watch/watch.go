// Package watch gathers what the screens of watching show.
package watch

import (
	"context"
	"slices"
	"sync"
	"time"

	"tirelessowl/internal/core/ribbon"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Service is the use cases of watching.
type Service struct {
	store   *store.Store
	kits    *collect.Service
	explain func(domain.ID) (domain.Health, string, why.Trace, bool)
	totals  totals
	usage   usage
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

// New returns the service. explain tells why a device has its present health.
func New(s *store.Store, kits *collect.Service, explain func(domain.ID) (domain.Health, string, why.Trace, bool)) *Service {
	return &Service{store: s, kits: kits, explain: explain}
}

// Slots is how many slots a ribbon of a day has: one for a quarter of an hour.
const Slots = 96

// RibbonSpan is the time that ribbons show.
const RibbonSpan = 24 * time.Hour

// Device is a device with its recent past.
type Device struct {
	domain.Device
	Ribbon []domain.Health
	// Calm is true when it was fine all the time: its ribbon is empty.
	Calm bool
}

// Place is a place with everything in and below it.
type Place struct {
	domain.Place
	Depth   int
	Devices []Device // in the place itself, worst first
	Total   int      // in and below
	Health  domain.Health
	Ribbon  []domain.Health
	// Reason is what stands out: the worst device's.
	Reason string
}

// Overview is the whole estate.
type Overview struct {
	Places []Place // with devices, worst first
	Counts map[domain.Health]int
	Total  int
	Ribbon []domain.Health
	Newest time.Time // of all values
	Series int64
	// Undelivered is how many messages failed for good in the last day: what
	// they told reached nobody, so that every page tells it.
	Undelivered int64
}

// Overview gathers places and devices with their ribbons, worst first.
func (s *Service) Overview(ctx context.Context, now time.Time) (Overview, error) {
	o := Overview{Counts: map[domain.Health]int{}}
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return o, err
	}
	devices, err := s.store.Devices.All(ctx)
	if err != nil {
		return o, err
	}
	changes, err := s.store.Transitions.Ribbons(ctx, nil, now.Add(-RibbonSpan))
	if err != nil {
		return o, err
	}
	if o.Undelivered, err = s.store.Deliveries.CountFailed(ctx, now.Add(-RibbonSpan)); err != nil {
		return o, err
	}
	if err := s.count(ctx, &o); err != nil {
		return o, err
	}
	o.arrange(places, strips(devices, changes, now))
	return o, nil
}

// Devices returns all devices without their ribbons, and the names of places.
func (s *Service) Devices(ctx context.Context) (devices []domain.Device, places map[domain.ID]string, err error) {
	all, err := s.store.Places.All(ctx)
	if err != nil {
		return nil, nil, err
	}
	places = make(map[domain.ID]string, len(all))
	for _, p := range all {
		places[p.ID] = p.Name
	}
	devices, err = s.store.Devices.All(ctx)
	return devices, places, err
}

// WithRibbons adds the recent past to some devices.
func (s *Service) WithRibbons(ctx context.Context, devices []domain.Device, now time.Time) ([]Device, error) {
	if len(devices) == 0 {
		return nil, nil
	}
	ids := make([]domain.ID, len(devices))
	for i, d := range devices {
		ids[i] = d.ID
	}
	changes, err := s.store.Transitions.Ribbons(ctx, ids, now.Add(-RibbonSpan))
	return strips(devices, changes, now), err
}

func (s *Service) count(ctx context.Context, o *Overview) (err error) {
	t := &s.totals
	t.Lock()
	defer t.Unlock()
	if time.Since(t.at) > totalsAge {
		t.newest = s.store.Samples.Newest()
		if t.series, err = s.store.Series.Count(ctx); err != nil {
			return err
		}
		t.at = time.Now()
	}
	o.Newest, o.Series = t.newest, t.series
	return nil
}

func strips(devices []domain.Device, changes []store.RibbonChange, now time.Time) []Device {
	by := map[domain.ID][]ribbon.Change{}
	for _, c := range changes {
		by[c.DeviceID] = append(by[c.DeviceID], ribbon.Change{At: c.At, From: domain.Health(c.FromHealth), To: domain.Health(c.ToHealth)})
	}
	out := make([]Device, len(devices))
	calm := ribbon.Strip(nil, domain.Fine, now.Add(-RibbonSpan), now, Slots)
	for i, d := range devices {
		if d.Health == domain.Fine && len(by[d.ID]) == 0 {
			out[i] = Device{Device: d, Ribbon: calm, Calm: true}
			continue
		}
		out[i] = Device{Device: d, Ribbon: ribbon.Strip(by[d.ID], d.Health, now.Add(-RibbonSpan), now, Slots)}
	}
	return out
}

// arrange puts devices into their places; every place counts those below it.
func (o *Overview) arrange(places []domain.Place, devices []Device) {
	byID := map[domain.ID]*Place{}
	for _, p := range places {
		byID[p.ID] = &Place{Place: p, Health: domain.Fine}
	}
	for _, d := range devices {
		o.Counts[d.Health]++
		o.Total++
		if !d.Calm || o.Ribbon == nil {
			o.Ribbon = ribbon.Add(o.Ribbon, d.Ribbon)
		}
		if p := byID[d.PlaceID]; p != nil {
			p.Devices = append(p.Devices, d)
		}
		for p := byID[d.PlaceID]; p != nil; p = byID[p.ParentID] {
			p.add(d)
		}
	}
	for _, p := range byID {
		slices.SortFunc(p.Devices, worstFirst)
		if len(p.Devices) > 0 {
			p.Reason = p.Devices[0].HealthNote
		}
		if p.Kind != domain.Organisation || len(p.Devices) > 0 {
			o.Places = append(o.Places, *p)
		}
	}
	slices.SortFunc(o.Places, func(a, b Place) int {
		if d := b.Health.Badness() - a.Health.Badness(); d != 0 {
			return d
		}
		return compare(a.Name, b.Name)
	})
}

func (p *Place) add(d Device) {
	p.Total++
	p.Health = domain.Worse(p.Health, d.Health)
	if d.Calm && p.Ribbon != nil {
		return
	}
	p.Ribbon = ribbon.Add(p.Ribbon, d.Ribbon)
}

func worstFirst(a, b Device) int {
	if d := b.Health.Badness() - a.Health.Badness(); d != 0 {
		return d
	}
	return compare(a.Name, b.Name)
}

func compare(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// Why explains a device's present health.
func (s *Service) Why(ctx context.Context, id domain.ID) (domain.Device, domain.Health, why.Trace, error) {
	d, err := s.store.Devices.One(ctx, id)
	if err != nil {
		return d, "", why.Trace{}, err
	}
	h, _, trace, ok := s.explain(id)
	if !ok {
		trace = why.Trace{Question: "Why " + string(d.Health) + "?", Answer: d.HealthNote}
		return d, d.Health, trace, nil
	}
	return d, h, trace, nil
}

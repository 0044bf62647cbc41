// Package watch gathers what the screens of watching show.
package watch

import (
	"context"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Service is the use cases of watching.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	kits   *collect.Service
	judge  Judge
	engine Engine
	census census
	known  vocabulary
}

// looking is the service at work for somebody: its tables hold what that actor sees.
type looking struct {
	*Service
	store *store.Seen
	scope domain.Scope
}

// look begins a use case that reads.
func (s *Service) look(ctx context.Context, who access.Actor) (looking, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaWatch)
	return looking{s, seen, who.Scope(domain.AreaWatch, domain.AccessSee)}, err
}

// Engine is what collects.
type Engine interface {
	// Ran tells when devices were asked last for what they are asked, and when they are asked next, each by kit/source.
	Ran(ctx context.Context, ids ...domain.ID) (map[domain.ID]map[string]domain.SourceRun, error)
	// WhyValue explains the present value of a series.
	WhyValue(ctx context.Context, s domain.Series) (why.Trace, error)
}

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
func New(s *store.Store, desk *act.Desk, kits *collect.Service, j Judge, e Engine) *Service {
	return &Service{store: s, desk: desk, kits: kits, judge: j, engine: e}
}

// Why explains a device's present health.
func (s *Service) Why(ctx context.Context, who access.Actor, id domain.ID) (domain.Device, domain.Health, why.Trace, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return domain.Device{}, "", why.Trace{}, err
	}
	d, err := l.store.Devices.One(ctx, id)
	if err != nil {
		return d, "", why.Trace{}, err
	}
	h, _, trace, ok := s.judge.Explain(ctx, id)
	if !ok {
		trace = why.Trace{Question: "Why " + string(d.Health) + "?", Answer: d.HealthNote}
		return d, d.Health, trace, nil
	}
	return l.told(ctx, d, h, trace)
}

// told takes out of an explanation what it says of devices that are not seen.
func (s looking) told(ctx context.Context, d domain.Device, h domain.Health, t why.Trace) (domain.Device, domain.Health, why.Trace, error) {
	if s.scope.All() {
		return d, h, t, nil
	}
	names, err := s.store.Devices.Names(ctx, t.Refs("device"))
	t = t.Without("device", func(id domain.ID) bool { _, seen := names[id]; return seen })
	if h == domain.Unreachable {
		t.Answer = d.HealthNote // which names what is seen only
	}
	return d, h, t, err
}

// Fullest returns the series that are filled most, by the readings whose
// purpose that is.
func (s *Service) Fullest(ctx context.Context, who access.Actor, limit int) ([]store.ListedValue, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	var of []domain.ReadingKey
	for _, r := range s.kits.Catalogue().For(kit.Filling) {
		of = append(of, domain.ReadingKey{Kit: r.Kit, Reading: r.Reading})
	}
	if len(of) == 0 {
		return nil, nil
	}
	rows, _, err := l.store.Values.Listed(ctx, domain.ValueFilter{Of: of, Sort: "-value", Limit: limit})
	return rows, err
}

// Package collect knows the kits, which series a device has because of them,
// and what it is asked.
package collect

import (
	"context"
	"fmt"
	"io/fs"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Asker asks one question of one device; failures are part of the result.
type Asker interface {
	Ask(ctx context.Context, q way.Question) derive.Fetched
}

// Wiring are what the service works with.
type Wiring struct {
	Store *store.Store
	Desk  *act.Desk
	// Changed takes up what was changed of a device, ChangedAll of all of them.
	Changed    func(context.Context, domain.ID) error
	ChangedAll func(context.Context) error
	// Judged takes up what was changed of rules; nil for nothing.
	Judged func(context.Context) error
	// Shipped holds the kit files that come with the application.
	Shipped fs.FS
	Ways    way.List
	Rules   rule.Kinds
	// Asker tries what people set; nil where nothing can be tried.
	Asker Asker
	// Guard knows which addresses may be talked to.
	Guard guard.Guard
}

// Service is the use cases of collecting.
type Service struct {
	Wiring
	store     *store.Store
	shipped   []shippedKit
	catalogue atomic.Pointer[kit.Catalogue]
	taking    sync.Mutex // held by who changes the catalogue
	size      sampleSize
}

// New reads the shipped kits; a broken one is an error. Until Load, they are
// all that is known.
func New(p Wiring) (*Service, error) {
	s := &Service{Wiring: p, store: p.Store}
	if err := s.readShipped(); err != nil {
		return nil, err
	}
	var kits []*kit.Kit
	for _, x := range s.shipped {
		kits = append(kits, x.kit)
	}
	s.catalogue.Store(kit.NewCatalogue(kits, nil))
	return s, nil
}

// Catalogue returns the kits in force; what is returned does not change.
func (s *Service) Catalogue() *kit.Catalogue { return s.catalogue.Load() }

// Kits returns all kits by title.
func (s *Service) Kits() []*kit.Kit { return s.Catalogue().Kits() }

// Kit returns a kit by name, or ErrNotFound.
func (s *Service) Kit(name string) (*kit.Kit, error) { return s.Catalogue().Kit(name) }

// Stretched returns a kit with its intervals stretched, or ErrNotFound.
func (s *Service) Stretched(name string, stretch float64) (*kit.Kit, error) {
	return s.Catalogue().Stretched(name, stretch)
}

// sampleSize is what a sample takes, looked up now and then.
type sampleSize struct {
	sync.Mutex
	bytes float64
	at    time.Time
}

const sampleSizeAge = 10 * time.Minute

// BytesPerSample is what a sample takes at rest with its rollups and indexes,
// as measured on those that are stored.
func (s *Service) BytesPerSample(ctx context.Context) float64 {
	s.size.Lock()
	defer s.size.Unlock()
	if time.Since(s.size.at) > sampleSizeAge {
		s.size.bytes, s.size.at = kit.BytesPerSample, time.Now()
		if measured, err := s.store.Samples.BytesPerSample(ctx); err == nil && measured > 0 {
			s.size.bytes = measured
		}
	}
	return s.size.bytes
}

// Questions are what a device is asked because of its fitted kits, with intervals stretched.
func (s *Service) Questions(
	d domain.Device,
	fittings []domain.Fitting,
	talks map[string]kit.Talk,
	stretch float64,
) (out []way.Question) {
	if d.Paused {
		return nil
	}
	for _, f := range fittings {
		if k, err := s.Stretched(f.Kit, stretch); err == nil {
			out = append(out, k.Questions(d, f.Parameters, talks)...)
		}
	}
	return out
}

// DeviceSeries makes sure that all readings of the device itself have their
// series, and that all series say how often they are collected with intervals stretched. It returns all
// series of the device.
func (s *Service) DeviceSeries(
	ctx context.Context,
	deviceID domain.ID,
	fittings []domain.Fitting,
	have []domain.Series,
	stretch float64,
) ([]domain.Series, error) {
	if err := s.inStretch(ctx, have, stretch); err != nil {
		return nil, err
	}
	known := map[kit.Ref]bool{}
	for _, x := range have {
		if x.PartID == 0 {
			known[kit.Ref{Kit: x.Kit, Reading: x.Reading}] = true
		}
	}
	var missing []domain.Series
	for _, f := range fittings {
		k, err := s.Stretched(f.Kit, stretch)
		if err != nil {
			continue
		}
		for _, r := range k.Readings {
			if r.Of == "" && !known[kit.Ref{Kit: k.Name, Reading: r.Key}] {
				missing = append(missing, seriesOf(k, r, deviceID, 0))
			}
		}
	}
	made, err := s.store.Series.Add(ctx, missing)
	return append(have, made...), err
}

// inStretch corrects the intervals of series whose intervals are stretched otherwise from now on.
func (s *Service) inStretch(ctx context.Context, have []domain.Series, stretch float64) error {
	changed := map[time.Duration][]domain.ID{}
	for i, x := range have {
		k, err := s.Stretched(x.Kit, stretch)
		if err != nil {
			continue
		}
		r, _ := k.Reading(x.Reading)
		if src, ok := k.Source(r.Source); ok && r.StoredEvery(src) != x.Interval {
			have[i].Interval = r.StoredEvery(src)
			changed[have[i].Interval] = append(changed[have[i].Interval], x.ID)
		}
	}
	for every, ids := range changed {
		if err := s.store.Series.SetInterval(ctx, ids, every); err != nil {
			return err
		}
	}
	return nil
}

func seriesOf(k *kit.Kit, r kit.Reading, deviceID, partID domain.ID) domain.Series {
	src, _ := k.Source(r.Source)
	return domain.Series{
		DeviceID: deviceID,
		PartID:   partID,
		Kit:      k.Name,
		Reading:  r.Key,
		Name:     r.Name,
		Unit:     r.Unit,
		Kind:     r.Kind(),
		Interval: r.StoredEvery(src),
	}
}

var setParameters = act.Deed{Name: "set parameters of a kit", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// SetParameters changes the parameters of a kit on a device. It is ErrChanged where they are
// no more what was seen, by its mark; where that is empty any will do.
func (s *Service) SetParameters(
	ctx context.Context,
	who access.Actor,
	deviceID domain.ID,
	name string,
	values map[string]string,
	mark string,
) error {
	return s.Desk.Do(ctx, who, setParameters, func(w *act.Work) error {
		d, err := w.Device(deviceID)
		if err != nil {
			return err
		}
		k, err := s.Kit(name)
		if err != nil {
			return err
		}
		if _, errs := k.Check(values); len(errs) > 0 {
			return errs
		}
		fitted, err := w.Fittings.Of(ctx, deviceID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(fitted, func(f domain.Fitting) bool { return f.Kit == name })
		if i < 0 {
			return fmt.Errorf("kit %q on device %d: %w", name, deviceID, domain.ErrNotFound)
		}
		old := fitted[i]
		if err := act.Since(old.Parameters, mark); err != nil {
			return err
		}
		fitted[i].Parameters = values
		w.Note(act.Device(d), notedParameters{name: old.Parameters}, notedParameters{name: values})
		w.Then(func(ctx context.Context) error { return s.Changed(ctx, deviceID) })
		return w.Fittings.Fit(ctx, fitted[i])
	})
}

// Known returns all kits by title, to those who may see something of collecting.
func (s *Service) Known(ctx context.Context, who access.Actor) ([]*kit.Kit, error) {
	if _, err := s.Desk.See(ctx, who, domain.AreaCollect); err != nil {
		return nil, err
	}
	return s.Kits(), nil
}

// FittedKit is a kit that is fitted to a device, with its parameters there.
type FittedKit struct {
	Kit        *kit.Kit
	Parameters map[string]string
	Mark       string // of the parameters
}

// FittedTo returns the kits that are fitted to a device.
func (s *Service) FittedTo(ctx context.Context, who access.Actor, deviceID domain.ID) (out []FittedKit, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	if _, err := seen.Devices.One(ctx, deviceID); err != nil {
		return nil, err
	}
	fittings, err := seen.Fittings.Of(ctx, deviceID)
	for _, f := range fittings {
		if k, err := s.Kit(f.Kit); err == nil {
			out = append(out, FittedKit{k, f.Parameters, act.Mark(f.Parameters)})
		}
	}
	return out, err
}

// Fitted tells on how many devices each kit is fitted.
func (s *Service) Fitted(ctx context.Context, who access.Actor) (map[string]int, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	fittings, err := seen.Fittings.Of(ctx, 0)
	out := map[string]int{}
	for _, f := range fittings {
		out[f.Kit]++
	}
	return out, err
}

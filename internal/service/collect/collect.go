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
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/inherit"
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
	// TakingUp is how far changes of many devices are; nil where nothing is collected.
	TakingUp func() domain.TakingUp
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

// CatalogueIn is the kits in force, with those that the changes bring along that ctx is a part of.
func (s *Service) CatalogueIn(ctx context.Context) *kit.Catalogue {
	if d, ok := ctx.Value(draftKey{}).(*draft); ok && d.kits != nil {
		return d.kits
	}
	return s.Catalogue()
}

// Drafting is a context in which kits that are brought in, and taken back, are so for all that is done with
// it, before they are in force.
func Drafting(ctx context.Context) context.Context {
	return context.WithValue(ctx, draftKey{}, &draft{})
}

// Drafted remembers the kits as the changes leave them so far; calling what it returns has them so again.
func Drafted(ctx context.Context) (back func()) {
	d, ok := ctx.Value(draftKey{}).(*draft)
	if !ok {
		return func() {}
	}
	was := d.kits
	return func() { d.kits = was }
}

type draftKey struct{}

// draft is the kits as changes leave them that are not in force yet.
type draft struct{ kits *kit.Catalogue }

// foresee lets a kit be otherwise for what follows of the same changes; nil takes it away.
func (s *Service) foresee(ctx context.Context, name string, k *kit.Kit) {
	if d, ok := ctx.Value(draftKey{}).(*draft); ok {
		d.kits = s.CatalogueIn(ctx).With(name, k)
	}
}

// Kits returns all kits by title.
func (s *Service) Kits() []*kit.Kit { return s.Catalogue().Kits() }

// Kit returns a kit by name, or ErrNotFound.
func (s *Service) Kit(name string) (*kit.Kit, error) { return s.Catalogue().Kit(name) }

// Effective are the fitted kits of a device as they are collected there. Those that are not known are left
// out.
func (s *Service) Effective(tree inherit.Tree, d domain.Device, fittings []domain.Fitting) (out []fit.Effective) {
	kits := s.Catalogue()
	for _, f := range fittings {
		if e, err := fit.Effect(kits, tree, d, f, fittings...); err == nil {
			out = append(out, e)
		}
	}
	return out
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
		errs, err := s.AllowSecrets(ctx, w.Areas, who, k, old.Parameters, values)
		if err == nil {
			err = errs.OrNil()
		}
		if err != nil {
			return err
		}
		for _, p := range k.Parameters { // what no form asks for stays, unless it is named
			if _, named := values[p.Name]; p.Hidden && !named && old.Parameters[p.Name] != "" {
				values[p.Name] = old.Parameters[p.Name]
			}
		}
		fitted[i].Parameters = values
		tree, err := w.Tree(ctx)
		if err != nil {
			return err
		}
		if errs := s.Unset(ctx, tree, d, fitted[i], fitted...); len(errs) > 0 {
			return errs
		}
		w.Note(act.Device(d), notedParameters{name: old.Parameters}, notedParameters{name: values})
		w.Then(func(ctx context.Context) error { return s.Changed(ctx, deviceID) })
		return w.Fittings.Fit(ctx, fitted[i])
	})
}

// Unset tells by field which parameters of a fitted kit must be set and are nowhere: not with it, nor on the tree. What
// a rule or another kit fits may lack some: then what needs them is not asked.
func (s *Service) Unset(
	ctx context.Context,
	tree inherit.Tree,
	d domain.Device,
	f domain.Fitting,
	others ...domain.Fitting,
) domain.FieldErrors {
	e, err := fit.Effect(s.CatalogueIn(ctx), tree, d, f, others...)
	if err != nil {
		return nil // it is told elsewhere that there is no such kit
	}
	errs := domain.FieldErrors{}
	for _, p := range e.Missing {
		errs[p.Name] = "Must be set, here or at the place of the device."
	}
	return errs
}

// TakenUp returns how far changes are that are not in force yet.
func (s *Service) TakenUp(ctx context.Context, who access.Actor) (far domain.TakingUp, err error) {
	if _, err := s.Desk.See(ctx, who, domain.AreaCollect); err != nil || s.TakingUp == nil {
		return far, err
	}
	return s.TakingUp(), nil
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

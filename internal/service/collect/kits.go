package collect

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// shippedKit is a kit file that comes with the application.
type shippedKit struct {
	kit      *kit.Kit
	document string
}

func (s *Service) readShipped() error {
	names, err := fs.Glob(s.Shipped, "*.yaml")
	if err != nil {
		return err
	}
	for _, name := range names {
		data, err := fs.ReadFile(s.Shipped, name)
		if err != nil {
			return err
		}
		k, err := kit.Parse(data, s.Ways, s.Rules)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		s.shipped = append(s.shipped, shippedKit{k, string(data)})
	}
	return nil
}

// Load stores the shipped kits as versions where they are news, takes up the
// newest version of every kit, and brings their rules and series in step.
func (s *Service) Load(ctx context.Context) error {
	newest, err := s.store.Kits.Newest(ctx)
	if err != nil {
		return err
	}
	known := map[string]domain.KitVersion{}
	for _, v := range newest {
		known[v.Kit] = v
	}
	for _, x := range s.shipped {
		have, ok := known[x.kit.Name]
		// What people have changed, or taken back, stays until somebody decides about what the release has.
		if ok && (have.Document == x.document || !have.Shipped) {
			continue
		}
		v := domain.KitVersion{Kit: x.kit.Name, Version: x.kit.Version, Document: x.document, Shipped: true, CreatedAt: time.Now().UTC()}
		if _, err := s.store.Kits.Add(ctx, v); err != nil {
			return fmt.Errorf("kit %s: %w", x.kit.Name, err)
		}
	}
	return s.takeUp(ctx)
}

// takeUp puts the newest version of every kit in force. One that cannot be
// read any more is left out, and told.
func (s *Service) takeUp(ctx context.Context) error {
	newest, err := s.store.Kits.Newest(ctx)
	if err != nil {
		return err
	}
	var kits []*kit.Kit
	var broken []error
	withdrawn := map[string]bool{}
	for _, v := range newest {
		if v.Withdrawn {
			withdrawn[v.Kit] = true
			continue
		}
		k, err := kit.Parse([]byte(v.Document), s.Ways, s.Rules)
		if err != nil {
			broken = append(broken, fmt.Errorf("kit %s, revision %d: %w", v.Kit, v.Revision, err))
			continue
		}
		kits = append(kits, k)
	}
	s.taking.Lock()
	devices, unread := s.loadOwn(ctx)
	s.catalogue.Store(kit.NewCatalogue(kits, devices))
	s.taking.Unlock()
	broken = append(broken, unread...)
	return errors.Join(append(broken, s.inStep(ctx, withdrawn))...)
}

// Versions returns all versions of a kit, newest first, without documents.
func (s *Service) Versions(ctx context.Context, who access.Actor, name string) ([]domain.KitVersion, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	found, err := seen.Kits.Versions(ctx, name)
	if err == nil && (len(found) == 0 || found[0].Withdrawn) {
		err = domain.ErrNotFound
	}
	return found, err
}

// Version returns one version of a kit with its document, or ErrNotFound.
func (s *Service) Version(ctx context.Context, who access.Actor, name string, revision int) (domain.KitVersion, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return domain.KitVersion{}, err
	}
	return seen.Kits.Version(ctx, name, revision)
}

// Schema returns the JSON Schema of kit files, for editors.
func (s *Service) Schema(ctx context.Context, who access.Actor) ([]byte, error) {
	if _, err := s.Desk.See(ctx, who, domain.AreaCollect); err != nil {
		return nil, err
	}
	return kit.Schema(s.Ways, s.Rules)
}

// MaxKit is the largest kit file that is taken, in bytes.
const MaxKit = 256 << 10

var bringKit = act.Deed{Name: "bring in a kit", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// Bring takes in a kit file as a further version of its kit, which is in force
// from then on, on all devices that it is fitted to. It is ErrChanged where the newest revision is
// no more base, which may be 0 for any.
func (s *Service) Bring(ctx context.Context, who access.Actor, document string, base int) (v domain.KitVersion, err error) {
	err = s.Desk.Do(ctx, who, bringKit, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		k, err := s.Parsed(ctx, document)
		if err != nil {
			return err
		}
		if err := w.Kits.Lock(ctx); err != nil {
			return err
		}
		before, err := w.Kits.Versions(ctx, k.Name)
		if err != nil {
			return err
		}
		if base != 0 && (len(before) == 0 || before[0].Revision != base) {
			return domain.ErrChanged
		}
		v, err = w.Kits.Add(ctx, domain.KitVersion{Kit: k.Name, Version: k.Version, Document: document, CreatedAt: time.Now().UTC(),
			Author: who.Name, Reason: who.Because})
		if err != nil {
			return err
		}
		v.Document = ""
		w.Note(act.Thing{Kind: "kit", Name: v.Kit}, nil, v)
		s.foresee(ctx, k.Name, k)
		s.take(w)
		return nil
	})
	return v, err
}

// take has the kits in force as they are stored, once all is.
func (s *Service) take(w *act.Work) {
	w.ThenOnce("kits", s.takeUp)
	w.ThenOnce("all devices", s.ChangedAll)
	w.ThenOnce("rules", s.judged)
}

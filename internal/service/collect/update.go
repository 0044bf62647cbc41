package collect

import (
	"context"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Update is what a release makes of a kit that was changed here. Nothing of it acts before a person has decided.
type Update struct {
	Name string
	kit.Merging
	// From and To are the versions of the release: that which was changed here, and the present one.
	From, To int
	Base     int // the revision that is in force
}

// Waiting are the names of kits that were changed here and that the release has otherwise by now, by name.
func (s *Service) Waiting(ctx context.Context, who access.Actor) (out []string, err error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	newest, err := seen.Kits.Newest(ctx)
	if err != nil {
		return nil, err
	}
	last, err := seen.Kits.LastShipped(ctx)
	for _, v := range newest {
		if x, ok := s.shippedOf(v.Kit); ok && waits(v, last[v.Kit], x) {
			out = append(out, v.Kit)
		}
	}
	return out, err
}

func (s *Service) shippedOf(name string) (shippedKit, bool) {
	i := slices.IndexFunc(s.shipped, func(x shippedKit) bool { return x.kit.Name == name })
	if i < 0 {
		return shippedKit{}, false
	}
	return s.shipped[i], true
}

// waits tells whether a kit in force was changed here, and is otherwise in the release than what it came from.
func waits(now, last domain.KitVersion, x shippedKit) bool {
	return !now.Shipped && !now.Withdrawn && last.Document != x.document && now.Document != x.document
}

// Update compares a kit that was changed here with what the release makes of it, or ErrNotFound where there is
// nothing to decide.
func (s *Service) Update(ctx context.Context, who access.Actor, name string) (Update, error) {
	seen, err := s.Desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return Update{}, err
	}
	return s.update(ctx, &seen.Areas, name)
}

func (s *Service) update(ctx context.Context, from *store.Areas, name string) (u Update, err error) {
	none := fmt.Errorf("update of the kit %q: %w", name, domain.ErrNotFound)
	x, ok := s.shippedOf(name)
	if !ok {
		return u, none
	}
	now, err := s.newest(ctx, from, name, 0)
	if err != nil {
		return u, err
	}
	if now, err = from.Kits.Version(ctx, name, now.Revision); err != nil {
		return u, err
	}
	all, err := from.Kits.LastShipped(ctx)
	if err != nil {
		return u, err
	}
	last := all[name]
	if !waits(now, last, x) {
		return u, none
	}
	base := last.Document
	if base == "" {
		base = "kit: " + name + "\n" // it was made here before there was one
	}
	u = Update{Name: name, From: last.Version, To: x.kit.Version, Base: now.Revision}
	u.Merging, err = kit.Merge([]byte(base), []byte(now.Document), []byte(x.document))
	return u, err
}

// decided is the file that follows of what was decided; what is not decided yet is told by its id.
func (u Update) decided(sides map[string]string) (string, error) {
	text, undecided, err := u.Document(sides)
	if err != nil {
		return "", err
	}
	errs := domain.FieldErrors{}
	for _, id := range undecided {
		errs[id] = "Decide which of both holds."
	}
	return string(text), errs.OrNil()
}

// RehearseUpdate tells what an update would do as it is decided, and changes nothing. Errors are by the ids of
// what is not decided.
func (s *Service) RehearseUpdate(ctx context.Context, who access.Actor, name string, sides map[string]string) (c KitChange, err error) {
	u, err := s.Update(ctx, who, name)
	if err != nil {
		return c, err
	}
	document, err := u.decided(sides)
	if err != nil {
		return c, err
	}
	return s.RehearseKit(ctx, who, document)
}

var takeUpdate = act.Deed{Name: "take the update of a kit", Area: domain.AreaCollect, Needs: domain.AccessConfigure}

// TakeUpdate brings in what a release makes of a kit, with what was changed here as it is decided. It is ErrChanged
// where the revision in force is no more base.
func (s *Service) TakeUpdate(
	ctx context.Context, who access.Actor, name string, sides map[string]string, base int,
) (v domain.KitVersion, err error) {
	err = s.Desk.Do(ctx, who, takeUpdate, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if err := w.Kits.Lock(ctx); err != nil {
			return err
		}
		u, err := s.update(ctx, w.Areas, name)
		if err != nil {
			return err
		}
		if u.Base != base {
			return domain.ErrChanged
		}
		document, err := u.decided(sides)
		if err != nil {
			return err
		}
		k, err := s.Parsed(ctx, document)
		if err != nil {
			return err
		}
		x, _ := s.shippedOf(name) // it was compared with
		now := time.Now().UTC()
		// The file of the release is kept as what the next update is compared with.
		shipped := domain.KitVersion{Kit: name, Version: x.kit.Version, Document: x.document, Shipped: true, CreatedAt: now}
		if v, err = w.Kits.Add(ctx, shipped); err != nil {
			return err
		}
		mine := domain.KitVersion{Kit: name, Version: k.Version, Document: document, CreatedAt: now, Author: who.Name, Reason: who.Because}
		if v, err = w.Kits.Add(ctx, mine); err != nil {
			return err
		}
		v.Document = ""
		w.Note(act.Thing{Kind: "kit", Name: name}, nil, v)
		s.foresee(ctx, name, k)
		s.take(w)
		return nil
	})
	return v, err
}

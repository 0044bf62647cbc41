package changes

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
)

// summary is what is kept of what was told before changes were applied.
type summary struct {
	Devices  int      `json:"devices"`
	Gained   int      `json:"series_gained"`
	Lost     int      `json:"series_lost"`
	Changed  int      `json:"series_changed"`
	Requests float64  `json:"requests_per_minute_more"`
	Bytes    float64  `json:"bytes_per_month_more"`
	Raised   []string `json:"would_raise,omitempty"`
}

// Summary is what was told before a set was applied; ok is false where that is not known.
func Summary(c domain.ChangeSet) (s summary, ok bool) {
	return s, len(c.Effect) > 0 && json.Unmarshal(c.Effect, &s) == nil
}

// Summed is a preview in numbers.
func (p Preview) Summed() summary {
	out := summary{Devices: len(p.Devices), Gained: p.Gained, Lost: p.Lost, Changed: p.Changed,
		Requests: p.After.RequestsPerMinute - p.Before.RequestsPerMinute, Bytes: p.After.BytesPerMonth - p.Before.BytesPerMonth}
	for _, a := range p.Alerts {
		if a.Then > a.Now {
			out.Raised = append(out.Raised, fmt.Sprintf("%s: %d", a.Rule.Name, a.Then-a.Now))
		}
	}
	return out
}

// Apply puts all changes of a set in force in one go, or none: errors are by the fields “edits.N”. It is
// ErrChanged where the set has another version, but zero. Each change is asked for by itself whether the actor
// may, and noted with the reason of the set.
func (s *Service) Apply(ctx context.Context, who access.Actor, id domain.ID, version int) (saved domain.ChangeSet, err error) {
	p, err := s.Rehearse(ctx, who, id)
	if err != nil {
		return saved, err
	}
	err = s.Desk.Together(collect.Drafting(ctx), who, applySet, func(ctx context.Context, w *act.Work) error {
		c, err := s.locked(ctx, w, id, version)
		if err != nil {
			return err
		}
		if len(c.Edits) == 0 {
			return domain.FieldErrors{"edits": "There is nothing to apply yet."}
		}
		saved, err = s.inForce(ctx, who, w, c, p)
		return err
	})
	return saved, err
}

// inForce does the edits of a set and stores it as applied.
func (s *Service) inForce(ctx context.Context, who access.Actor, w *act.Work, c domain.ChangeSet, p Preview) (domain.ChangeSet, error) {
	who.Because = cmp.Or(c.Reason, c.Name)
	edits, err := s.all(ctx, who, w, c.Edits)
	if err != nil {
		return c, told(err)
	}
	c.Edits, c.State, c.AppliedAt, c.AppliedBy = edits, domain.Applied, time.Now().UTC(), who.Name
	if c.Effect, err = json.Marshal(p.Summed()); err != nil {
		return c, err
	}
	c, err = w.ChangeSets.Save(ctx, c)
	if err != nil {
		return c, err
	}
	w.BelongTo(c.ID)
	w.NoteFor(thing(c), nil, map[string]any{"name": c.Name, "edits": len(c.Edits), "rolls_back": c.RollsBack}, c.Reason)
	return c, nil
}

// Conflict is a change that is not what it was when its set was applied.
type Conflict struct {
	Index int
	Told
	// Now is what it is now, as “name: then → now”.
	Now []string
}

// Rollback is what taking back a set would do.
type Rollback struct {
	Set       domain.ChangeSet
	Conflicts []Conflict
	Preview   // of all that is not in conflict
}

// RehearseRollback tells what taking back a set would do today, and changes nothing: what was changed again
// since is in conflict, and stays as it is.
func (s *Service) RehearseRollback(ctx context.Context, who access.Actor, id domain.ID) (r Rollback, err error) {
	r, edits, err := s.inverse(ctx, who, id)
	if err != nil {
		return r, err
	}
	r.Preview, err = s.RehearseEdits(ctx, who, edits)
	return r, err
}

// inverse are the edits that take back a set, in the opposite order, without what is in conflict.
func (s *Service) inverse(ctx context.Context, who access.Actor, id domain.ID) (r Rollback, edits []domain.Edit, err error) {
	if r.Set, err = s.One(ctx, who, id); err != nil {
		return r, nil, err
	}
	switch {
	case r.Set.State != domain.Applied:
		return r, nil, fmt.Errorf("%w: the changes are not in force", domain.ErrConflict)
	case r.Set.RolledBack != 0:
		return r, nil, fmt.Errorf("%w: the changes were rolled back already", domain.ErrConflict)
	}
	for i, e := range slices.Backward(r.Set.Edits) {
		if e.Back == nil || e.Became == nil {
			continue
		}
		now, err := s.present(ctx, who, *e.Became)
		if err != nil {
			return r, nil, err
		}
		if alike(*e.Back, *e.Became) {
			continue // it changed nothing
		}
		if alike(now, *e.Became) {
			edits = append(edits, remade(*e.Back, now))
			continue
		}
		if alike(now, *e.Back) {
			continue // it is so already
		}
		since := *e.Became
		later := now
		later.Back = &since
		r.Conflicts = append(r.Conflicts, Conflict{Index: i, Told: s.inWords(ctx, who, e), Now: s.inWords(ctx, who, later).Says})
	}
	return r, edits, nil
}

// RollBack takes back a set: all of it is set back as one further set, that can be taken back in turn. Where
// something was changed again since, it is ErrConflict, unless that is to be left as it is.
func (s *Service) RollBack(
	ctx context.Context, who access.Actor, id domain.ID, leave bool, reason string,
) (saved domain.ChangeSet, err error) {
	r, edits, err := s.inverse(ctx, who, id)
	if err != nil {
		return saved, err
	}
	if len(r.Conflicts) > 0 && !leave {
		return saved, fmt.Errorf("%w: %s was changed again since", domain.ErrConflict, r.Conflicts[0].Title)
	}
	if len(edits) == 0 {
		return saved, fmt.Errorf("%w: nothing of it is left to take back", domain.ErrConflict)
	}
	p, err := s.RehearseEdits(ctx, who, edits)
	if err != nil {
		return saved, err
	}
	c := domain.ChangeSet{Name: "Rollback of " + r.Set.Name, Reason: reason, RollsBack: id, Edits: edits, AuthorKind: string(who.Kind),
		AuthorID: who.ID, Author: who.Name, CreatedAt: time.Now().UTC()}
	c.Name = brief(c.Name)
	if errs := tidy(&c); len(errs) > 0 {
		return saved, errs
	}
	err = s.Desk.Together(collect.Drafting(ctx), who, rollBack, func(ctx context.Context, w *act.Work) error {
		if err := w.By(c.AuthorKind, c.AuthorID); err != nil {
			return err
		}
		if _, err := w.ChangeSets.Lock(ctx, id); err != nil { // nobody else takes it back meanwhile
			return err
		}
		now, err := w.ChangeSets.One(ctx, id)
		if err != nil {
			return err
		}
		if now.RolledBack != 0 {
			return fmt.Errorf("%w: the changes were rolled back already", domain.ErrConflict)
		}
		saved, err = s.inForce(ctx, who, w, c, p)
		return err
	})
	return saved, err
}

// brief is a name that is not too long.
func brief(name string) string {
	if all := []rune(name); len(all) > mostName {
		return string(all[:mostName-1]) + "…"
	}
	return name
}

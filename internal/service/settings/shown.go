package settings

import (
	"context"
	"fmt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Of returns what holds at a place, a device or a part, with where it comes from.
func (s *Service) Of(ctx context.Context, who access.Actor, at inherit.Thing) (out []Setting, err error) {
	x, tree, err := s.seen(ctx, who, at)
	if err != nil {
		return nil, err
	}
	for _, k := range s.kindsAt(ctx, tree, x) {
		one, err := s.setting(ctx, who, tree, x, k)
		if err != nil {
			return nil, err
		}
		out = append(out, one)
	}
	return out, nil
}

// One returns one setting of a place, a device or a part, also where it is set nowhere. It is ErrNotFound
// where there is no such thing.
func (s *Service) One(ctx context.Context, who access.Actor, at inherit.Thing, key domain.SettingKey) (out Setting, err error) {
	x, tree, err := s.seen(ctx, who, at)
	if err != nil {
		return out, err
	}
	k, ok := s.kind(ctx, key, x)
	if !ok {
		return out, fmt.Errorf("setting %q: %w", key, domain.ErrNotFound)
	}
	return s.setting(ctx, who, tree, x, k)
}

// Here returns what is set at a thing itself, as people type it, and its mark; it is empty where nothing is.
func (s *Service) Here(ctx context.Context, who access.Actor, at inherit.Thing, key domain.SettingKey) (value, mark string, err error) {
	x, err := s.One(ctx, who, at, key)
	if err != nil || !x.Here {
		return "", x.Mark, err
	}
	value, err = s.typed(ctx, who, key, x.Value)
	return value, x.Mark, err
}

// NameOf is what a place, a device or a part is called.
func (s *Service) NameOf(ctx context.Context, who access.Actor, at inherit.Thing) (string, error) {
	x, _, err := s.seen(ctx, who, at)
	return x.thing.Name, err
}

// seen finds a thing that an actor sees, and the tree as far as it is seen.
func (s *Service) seen(ctx context.Context, who access.Actor, at inherit.Thing) (x site, tree inherit.Tree, err error) {
	area := domain.AreaRun
	if at.Place == 0 {
		area = domain.AreaCollect
	}
	seen, err := s.desk.See(ctx, who, area)
	if err != nil {
		return x, tree, err
	}
	if x, err = siteOf(ctx, &seen.Areas, at); err != nil {
		return x, tree, err
	}
	tree, err = s.desk.Whole(ctx).Tree(ctx)
	return x, tree.SeenBy(func(place domain.ID) bool { return who.May(domain.AreaRun, domain.AccessSee, domain.At(place)) }), err
}

// setting is what holds of one kind at a thing.
func (s *Service) setting(ctx context.Context, who access.Actor, tree inherit.Tree, x site, k kind) (one Setting, err error) {
	one = Setting{Key: k.key, Title: k.title, Help: k.help, Resolved: tree.At(x.Where, k.key)}
	deed := s.deed(ctx, Typed{At: x.Itself(), Key: k.key})
	one.May = who.May(deed.Area, deed.Needs, x.Spot())
	one.Here = one.Set && one.Thing == x.Itself()
	one.Mark = act.Mark("")
	if one.Here {
		one.Mark = act.Mark(one.Value)
	}
	if one.Shown, err = k.shown(ctx, who, one.Value); err != nil {
		return one, err
	}
	if len(one.Replaces) > 0 {
		if one.Else, err = k.shown(ctx, who, one.Replaces[0].Value); err != nil {
			return one, err
		}
	}
	if one.Why, err = s.worded(ctx, who, k, one.Resolved); err != nil {
		return one, err
	}
	if k.choices != nil {
		one.Choices, err = k.choices(ctx, who)
	}
	return one, err
}

// worded is a trace with the values that were replaced as people read them.
func (s *Service) worded(ctx context.Context, who access.Actor, k kind, r inherit.Resolved) (why.Trace, error) {
	out := r.Why
	out.Question = "Where does “" + k.title + "” come from?"
	out.Facts = append([]why.Fact(nil), out.Facts...)
	for i, f := range out.Facts {
		if f.Detail == "" {
			continue
		}
		var err error
		if out.Facts[i].Detail, err = k.shown(ctx, who, f.Detail); err != nil {
			return out, err
		}
	}
	return out, nil
}

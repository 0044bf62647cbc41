package find

import (
	"context"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Spared are addresses that a sweep leaves alone, since places say so.
type Spared struct {
	Count int64 // of the addresses of the sweep
	Why   why.Trace
}

// Spared tells which addresses of a sweep are left alone, and which place says so.
func (s *Service) Spared(ctx context.Context, who access.Actor, id domain.ID) (out Spared, err error) {
	x, err := s.Sweep(ctx, who, id)
	if err != nil {
		return out, err
	}
	sees := func(place domain.ID) bool { return who.May(domain.AreaFind, domain.AccessSee, domain.At(place)) }
	spared, trace, err := s.spared(ctx, x.PlaceID, sees)
	if err != nil {
		return out, err
	}
	out.Count, out.Why = targets(x, ranges.Set{}).Len()-targets(x, spared).Len(), trace
	return out, nil
}

// spared are the addresses to leave alone at a place. A sweep for the whole tree leaves
// alone what any place says: it may come by all of them. Places that are not seen have no
// names.
func (s *Service) spared(
	ctx context.Context,
	place domain.ID,
	sees func(domain.ID) bool,
) (set ranges.Set, trace why.Trace, err error) {
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return set, trace, err
	}
	for i, p := range places {
		if !sees(p.ID) {
			places[i].Name = "further up"
		}
	}
	all, err := s.store.Overrides.All(ctx)
	if err != nil {
		return set, trace, err
	}
	if place != 0 {
		r := inherit.NewTree(places, all).Resolve(place, 0, domain.SettingLeaveAlone, nil)
		set, err = ranges.Read(r.Value)
		return set, r.Why, err
	}
	names := map[domain.ID]string{}
	for _, p := range places {
		names[p.ID] = p.Name
	}
	trace.Question = "Which addresses are left alone?"
	var texts []string
	for _, o := range all {
		if o.Key == domain.SettingLeaveAlone && o.PlaceID != 0 {
			texts = append(texts, o.Value)
			trace.Because("The place "+names[o.PlaceID]+" says so", o.Value, why.To("place", o.PlaceID))
		}
	}
	trace.Answer = "what any place says, since the sweep is for the whole tree"
	set, err = ranges.Read(strings.Join(texts, ", "))
	return set, trace, err
}

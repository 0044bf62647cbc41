package find

import (
	"cmp"
	"context"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/guard"
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
	spared, trace, err := s.spared(ctx, x, sees)
	if err != nil {
		return out, err
	}
	out.Count, out.Why = targets(x, ranges.Set{}).Len()-targets(x, spared).Len(), trace
	return out, nil
}

// spared are the addresses to leave alone of a sweep. One for the whole tree leaves alone
// what any place says: it may come by all of them. Places that are not seen have no names.
func (s *Service) spared(ctx context.Context, x domain.Sweep, sees func(domain.ID) bool) (set ranges.Set, trace why.Trace, err error) {
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return set, trace, err
	}
	all, err := s.store.Overrides.All(ctx)
	if err != nil {
		return set, trace, err
	}
	tree := inherit.NewTree(places, all).SeenBy(sees)
	if x.PlaceID == 0 {
		return sparedAnywhere(places, all, sees)
	}
	r := tree.Resolve(x.PlaceID, 0, domain.SettingLeaveAlone, nil)
	if set, err = ranges.Read(r.Value); err != nil {
		return set, trace, err
	}
	trace = r.Why
	bounds := guard.BoundsAt(tree, x.PlaceID)
	if !r.Set && len(bounds) > 0 {
		trace = why.Trace{Answer: "what its place does not let be talked to"}
	}
	trace.Question = "Which addresses are left alone?"
	wanted := targets(x, set)
	kept := bounds.Kept(wanted, &trace)
	return set.With(wanted.Without(kept)), trace, nil
}

// sparedAnywhere are the addresses that any place leaves alone.
func sparedAnywhere(places []domain.Place, all []domain.Override, sees func(domain.ID) bool) (set ranges.Set, trace why.Trace, err error) {
	names := map[domain.ID]string{}
	for _, p := range places {
		if sees(p.ID) {
			names[p.ID] = "The place " + p.Name
		}
	}
	trace.Question = "Which addresses are left alone?"
	trace.Answer = "what any place says, since the sweep is for the whole tree"
	var texts []string
	for _, o := range all {
		if o.Key == domain.SettingLeaveAlone && o.PlaceID != 0 {
			texts = append(texts, o.Value)
			trace.Because(cmp.Or(names[o.PlaceID], "A place that you do not see")+" says so", o.Value, why.To("place", o.PlaceID))
		}
	}
	set, err = ranges.Read(strings.Join(texts, ", "))
	return set, trace, err
}

// Silent are the addresses of a sweep that said nothing at all.
type Silent struct {
	Count int64
	// Ranges are the first of them, and More is how many follow.
	Ranges []string
	More   int
}

// mostSilent is how many ranges of silent addresses are told.
const mostSilent = 40

// Silent tells which addresses of a sweep that has ended said nothing; none of one that has
// not.
func (s *Service) Silent(ctx context.Context, who access.Actor, id domain.ID) (out Silent, err error) {
	x, err := s.Sweep(ctx, who, id)
	if err != nil || x.State != domain.SweepDone {
		return out, err
	}
	finds, err := s.Finds(ctx, who, id)
	if err != nil {
		return out, err
	}
	seen, err := s.Sightings(ctx, who, id)
	if err != nil {
		return out, err
	}
	spared, _, err := s.spared(ctx, x, func(domain.ID) bool { return false })
	if err != nil {
		return out, err
	}
	var answered []string
	for _, f := range finds {
		answered = append(append(answered, f.Address), f.Others...)
	}
	for _, a := range seen {
		answered = append(answered, a.Address)
	}
	heard, err := ranges.Read(strings.Join(answered, ","))
	silent := targets(x, spared).Without(heard)
	out.Count = silent.Len()
	for _, r := range silent.Ranges() {
		if len(out.Ranges) == mostSilent {
			out.More++
			continue
		}
		text := r.From().String()
		if r.From() != r.To() {
			text += "–" + r.To().String()
		}
		out.Ranges = append(out.Ranges, text)
	}
	return out, err
}

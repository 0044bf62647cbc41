package attributes

import (
	"context"
	"fmt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// granted are the grants that hang on tags: who gives or takes such a tag decides what the
// members of teams may do.
type granted struct {
	tree *access.Tree
	by   map[string][]domain.Grant // by tag
}

func (s *Service) granted(ctx context.Context, from *store.Areas) (granted, error) {
	out := granted{by: map[string][]domain.Grant{}}
	all, err := from.Teams.Tagged(ctx)
	if err != nil || len(all) == 0 {
		return out, err
	}
	for _, g := range all {
		out.by[g.Tag] = append(out.by[g.Tag], g)
	}
	out.tree, err = s.sheets.Tree(ctx)
	return out, err
}

// problem says why an actor may not give or take something at a spot; it is empty where he
// may. Nobody can give what he may not do himself.
func (g granted) problem(who access.Actor, a domain.Attribute, at domain.Spot) string {
	if !a.Tag || a.PartID != 0 {
		return ""
	}
	for _, x := range g.by[a.Name] {
		if g.touches(x, at) && !who.IncludesAt(x, at) {
			return fmt.Sprintf("by the tag “%s” teams may do more than you may here: only who may do as much can give or take it", a.Name)
		}
	}
	return ""
}

// touches tells whether a tag at a spot may decide what a grant is for.
func (g granted) touches(x domain.Grant, at domain.Spot) bool {
	return g.tree.Within(at.Place, x.PlaceID) || at.Device == 0 && g.tree.Within(x.PlaceID, at.Place)
}

package settings

import (
	"context"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/store"
)

// boundPlace needs the highest level: whoever configures what is inside does not decide what
// lies outside.
var boundPlace = act.Deed{Name: "bound the addresses of a place", Area: domain.AreaRun, Needs: domain.AccessAdminister}

func (s *Service) talkTo() kind {
	return kind{
		key:   domain.SettingTalkTo,
		title: "Addresses that may be talked to",
		help: "Devices and sweeps of this part of the tree have no others; places below may narrow it. " +
			"Such as 10.0.0.0/8 but 10.3.0.0/16, or any but 10.3.0.0/16. Only administrators change it.",
		deed:   &boundPlace,
		shown:  asItIs,
		read:   s.readTalkTo,
		after:  held,
		effect: s.talkToEffect,
	}
}

func (s *Service) readTalkTo(_ context.Context, _ *store.Areas, _ access.Actor, _ site, typed string) (string, domain.ID, error) {
	set, err := ranges.ReadBut(typed)
	if err != nil {
		return "", 0, domain.FieldErrors{"value": text.UpperFirst(err.Error()) + "."}
	}
	if len(set.Ranges()) == 0 {
		return "", 0, domain.FieldErrors{"value": "Nothing could be talked to: name at least one address."}
	}
	return typed, 0, nil
}

// held refuses bounds that something at the place, or below it, does not keep to.
func held(ctx context.Context, from *store.Areas, who access.Actor, x site) error {
	return bounds.KeepBelow(ctx, from, who, "value", x.Place)
}

// talkToEffect tells for what it would hold, and what would be in the way.
func (s *Service) talkToEffect(ctx context.Context, a affected, trace *why.Trace) error {
	tree, err := bounds.Tree(ctx, a.from, a.who)
	if err != nil {
		return err
	}
	trace.Answer = text.Count(int64(len(a.devices)), "device") + " of here, and what comes, would be held to it"
	if a.override.Value == "" {
		trace.Answer = "Anything could be talked to but this machine itself, and what is link-local or multicast"
	}
	problem, err := bounds.Below(ctx, a.from, a.who, tree.With(a.override), a.Place)
	if problem != "" {
		trace.Answer = "It cannot be set as things are"
		trace.Because(problem, "", nil)
	}
	return err
}

package settings

import (
	"context"
	"slices"
	"strconv"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// affected is for what a value holds that is set, with what it replaces.
type affected struct {
	site
	from     *store.Areas
	tree     inherit.Tree
	reach    inherit.Reach
	override domain.Override
	devices  []domain.Device
	who      access.Actor
}

// names are what devices are called, for those who see them.
func (a affected) names(devices []string) string {
	if !a.who.May(domain.AreaWatch, domain.AccessSee, a.Spot()) {
		return ""
	}
	return text.Some(devices, mostNamed)
}

// affected finds for what a value would hold.
func (s *Service) affected(ctx context.Context, from *store.Areas, x site, o domain.Override) (a affected, err error) {
	a = affected{site: x, from: from, override: o}
	treeOf := from.Tree
	if set, _ := o.Key.OfKit(); set.Tag != "" {
		treeOf = from.TreeWithTags
	}
	if a.tree, err = treeOf(ctx); err != nil {
		return a, err
	}
	at := x.Itself()
	if x.Part != 0 {
		at = inherit.Device(x.Device)
	}
	a.reach = a.tree.Reach(at, o.Key)
	if a.devices, err = from.Devices.In(ctx, a.reach); err != nil {
		return a, err
	}
	if some, narrowed := a.tree.Narrowed(o, a.devices); narrowed {
		a.devices, a.reach = some, inherit.Reach{Devices: idsOf(some), Keep: a.reach.Keep}
	}
	return a, err
}

// Rehearse tells what would change if something were set, or taken away, and changes
// nothing. Errors are by the field “value”.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, t Typed) (trace why.Trace, err error) {
	seen, err := s.desk.Reach(ctx, who, s.deed(ctx, t))
	if err != nil {
		return trace, err
	}
	x, err := siteOf(ctx, &seen.Areas, t.At)
	if err != nil {
		return trace, err
	}
	k, ok := s.kind(ctx, t.Key, x)
	if !ok {
		return trace, domain.FieldErrors{"value": "There is no such setting here."}
	}
	o := x.override(t.Key)
	if o.Value, err = s.shall(ctx, who, k, x, t.Value); err != nil {
		return trace, err
	}
	a, err := s.affected(ctx, s.desk.Whole(ctx), x, o)
	if err != nil {
		return trace, err
	}
	a.who = who
	trace = a.trace()
	return trace, k.effect(ctx, a, &trace)
}

// shall is the value that would hold: what is typed, or where that is nothing, what comes
// from above.
func (s *Service) shall(ctx context.Context, who access.Actor, k kind, x site, typed string) (string, error) {
	if typed != "" {
		value, _, err := k.read(ctx, s.desk.Whole(ctx), who, x, typed)
		return value, err
	}
	tree, err := s.desk.Whole(ctx).Tree(ctx)
	if err != nil {
		return "", err
	}
	r := tree.At(x.Where, k.key)
	if !r.Set || r.Thing != x.Itself() {
		return r.Value, nil
	}
	if len(r.Replaces) == 0 {
		return "", nil
	}
	return r.Replaces[0].Value, nil
}

// trace begins with for what it would hold.
func (a affected) trace() why.Trace {
	t := why.Trace{Question: "What would change?", Answer: "It would hold for " + text.Count(int64(len(a.devices)), "device")}
	if n := len(a.reach.Keep); n > 0 {
		t.Because("What is set further down stays: at "+named(a.reach.Keep), "", nil)
	}
	return t
}

// mostNamed is how many places are named in a rehearsal.
const mostNamed = 3

func named(places []domain.Place) string {
	names := make([]string, len(places))
	for i, p := range places {
		names[i] = p.Name
	}
	return text.Some(names, mostNamed)
}

// gatewayEffect tells of how many devices the way would be another.
func (s *Service) gatewayEffect(ctx context.Context, a affected, trace *why.Trace) error {
	gateway, _ := strconv.ParseInt(a.override.Value, 10, 64)
	if gateway == 0 {
		trace.Because("They would be reached through nothing that is known: each is judged by itself", "", nil)
		return nil
	}
	d, err := a.from.Devices.One(ctx, gateway)
	if err != nil {
		return err
	}
	if !a.who.May(domain.AreaWatch, domain.AccessSee, d.Spot()) {
		trace.Because("While a device that you do not see does not answer, they are out of reach, and not down", "", nil)
		return nil
	}
	trace.Because("While "+d.Name+" does not answer, they are out of reach, and not down", "it is "+string(d.Health)+" now",
		why.To("device", d.ID))
	if slices.ContainsFunc(a.devices, func(x domain.Device) bool { return x.ID == gateway }) {
		trace.Because(d.Name+" itself is reached as the places further up say", "", nil)
	}
	return nil
}

// leaveAloneEffect tells which watched devices have such an address.
func (s *Service) leaveAloneEffect(_ context.Context, a affected, trace *why.Trace) error {
	set := setOf(a.override.Value)
	trace.Answer = "Sweeps would leave " + text.Count(set.Len(), "address", "addresses") + " alone"
	var names []string
	for _, d := range a.devices {
		if set.Contains(d.Address) {
			names = append(names, d.Name)
		}
	}
	if len(names) > 0 {
		trace.Because(text.Count(int64(len(names)), "watched device")+" of here are among them: they are asked as before",
			a.names(names), nil)
	}
	return nil
}

// setOf are the addresses of a text that was read before.
func setOf(text string) ranges.Set {
	set, _ := ranges.Read(text)
	return set
}

// Package bounds keeps what is watched inside of what places let be talked to.
package bounds

import (
	"context"
	"fmt"
	"net/netip"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// mostNamed is how many devices are named that stand in the way.
const mostNamed = 3

// Tree is what is set on the tree, as an actor sees it: places that are not seen have no
// names in what is said against an address.
func Tree(ctx context.Context, from *store.Areas, who access.Actor) (inherit.Tree, error) {
	tree, err := from.Tree(ctx)
	return tree.SeenBy(func(place domain.ID) bool { return who.May(domain.AreaRun, domain.AccessSee, domain.At(place)) }), err
}

// At returns a guard that keeps to the bounds of a place, too.
func At(ctx context.Context, from *store.Areas, g guard.Guard, who access.Actor, place domain.ID) (guard.Guard, error) {
	tree, err := Tree(ctx, from, who)
	return g.Within(guard.BoundsAt(tree, place)), err
}

// Keep refuses, at a field, devices with an address that their place does not let be talked
// to.
func Keep(ctx context.Context, from *store.Areas, who access.Actor, field string, devices ...domain.Device) error {
	tree, err := Tree(ctx, from, who)
	if err != nil {
		return err
	}
	problem, err := Problem(ctx, from, who, tree, devices...)
	return refused(field, problem, err)
}

// KeepBelow refuses, at a field, what at a place or below it does not keep to the bounds.
func KeepBelow(ctx context.Context, from *store.Areas, who access.Actor, field string, place domain.ID) error {
	tree, err := Tree(ctx, from, who)
	if err != nil {
		return err
	}
	problem, err := Below(ctx, from, who, tree, place)
	return refused(field, problem, err)
}

func refused(field, problem string, err error) error {
	if problem != "" {
		return domain.FieldErrors{field: problem}
	}
	return err
}

// Problem says which of some devices have an address, their own or that of an endpoint, that
// their place does not let be talked to; nothing where all may.
func Problem(
	ctx context.Context,
	from *store.Areas,
	who access.Actor,
	tree inherit.Tree,
	devices ...domain.Device,
) (string, error) {
	bounds := map[domain.ID]guard.Bounds{}
	var bound []domain.Device
	for _, d := range devices {
		b, known := bounds[d.PlaceID]
		if !known {
			b = guard.BoundsAt(tree, d.PlaceID)
			bounds[d.PlaceID] = b
		}
		if len(b) > 0 {
			bound = append(bound, d)
		}
	}
	if len(bound) == 0 {
		return "", nil
	}
	addresses, err := addressesOf(ctx, from, bound)
	if err != nil {
		return "", err
	}
	var outside []string
	var why string
	for _, d := range bound {
		for _, a := range addresses[d.ID] {
			if refusal := bounds[d.PlaceID].Refusal(a); refusal != "" {
				outside, why = append(outside, named(who, d, a)), refusal
				break
			}
		}
	}
	if len(outside) == 0 {
		return "", nil
	}
	return fmt.Sprintf("%s: %s.", text.Some(outside, mostNamed), why), nil
}

// named is a device with its address, for those who see it.
func named(who access.Actor, d domain.Device, a netip.Addr) string {
	if !who.May(domain.AreaWatch, domain.AccessSee, d.Spot()) {
		return "a device that you do not see"
	}
	return fmt.Sprintf("%s %s", d.Name, a)
}

// addressesOf are those of some devices, and of their endpoints.
func addressesOf(ctx context.Context, from *store.Areas, devices []domain.Device) (map[domain.ID][]netip.Addr, error) {
	out := map[domain.ID][]netip.Addr{}
	for _, d := range devices {
		out[d.ID] = []netip.Addr{d.Address}
	}
	of := domain.ID(0) // all
	if len(devices) == 1 {
		of = devices[0].ID
	}
	endpoints, err := from.Endpoints.Of(ctx, of)
	for _, e := range endpoints {
		if own := out[e.DeviceID]; own != nil && e.Address.IsValid() {
			out[e.DeviceID] = append(own, e.Address)
		}
	}
	return out, err
}

// Below says what, at a place and below it, does not keep to the bounds of a tree: a device,
// or a place with bounds of its own; nothing where all does.
func Below(
	ctx context.Context,
	from *store.Areas,
	who access.Actor,
	tree inherit.Tree,
	place domain.ID,
) (string, error) {
	places, err := from.Places.All(ctx)
	if err != nil {
		return "", err
	}
	var below []domain.ID
	lies := access.NewTree(places)
	for _, p := range places {
		if !lies.Within(p.ID, place) {
			continue
		}
		below = append(below, p.ID)
		if problem := tooWide(tree, p); problem != "" {
			return problem, nil
		}
	}
	if len(guard.BoundsAt(tree, place)) == 0 {
		return "", nil // where places below have bounds, what is there was held to them
	}
	devices, err := from.Devices.In(ctx, inherit.Reach{Places: below})
	if err != nil {
		return "", err
	}
	return Problem(ctx, from, who, tree, devices...)
}

// tooWide says that a place lets be talked to what the places above it do not.
func tooWide(tree inherit.Tree, p domain.Place) string {
	r := tree.Resolve(p.ID, 0, domain.SettingTalkTo, nil)
	if !r.Set || r.Thing != inherit.Place(p.ID) {
		return ""
	}
	own, err := ranges.ReadBut(r.Value)
	if err != nil {
		return ""
	}
	a, refusal, out := guard.BoundsAt(tree, p.ParentID).First(own)
	if !out {
		return ""
	}
	return fmt.Sprintf("%s, of what is set at %s, %s.", a, r.Name, refusal)
}

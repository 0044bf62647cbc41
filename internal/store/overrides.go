package store

import (
	"context"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
)

// Overrides are what is set at places and devices, and holds for all below.
type Overrides struct{ area }

type overrideRow struct {
	PlaceID  *int64
	DeviceID *int64
	PartID   *int64
	Key      string
	Value    string
}

func (overrideRow) TableName() string { return "overrides" }

func (r overrideRow) domain() domain.Override {
	return domain.Override{
		PlaceID:  orZero(r.PlaceID),
		DeviceID: orZero(r.DeviceID),
		PartID:   orZero(r.PartID),
		Key:      domain.SettingKey(r.Key),
		Value:    r.Value,
	}
}

// All returns everything that is set on the tree.
func (s Overrides) All(ctx context.Context) ([]domain.Override, error) {
	var rows []overrideRow
	err := s.q(ctx).Order("place_id, device_id, part_id, key").Find(&rows).Error
	return each(rows, overrideRow.domain), err
}

// Tree returns the places with all that is set on them and on devices.
func (a Areas) Tree(ctx context.Context) (inherit.Tree, error) {
	tree, places, err := a.treeOf(ctx)
	if err != nil || !tree.AnyTagged() { // the usual case: nobody needs to know who holds which tags
		return tree, err
	}
	return a.holding(ctx, tree, places)
}

// TreeWithTags is the tree that knows the tags of devices, whether something is set for any of them yet or not.
func (a Areas) TreeWithTags(ctx context.Context) (inherit.Tree, error) {
	tree, places, err := a.treeOf(ctx)
	if err != nil {
		return tree, err
	}
	return a.holding(ctx, tree, places)
}

func (a Areas) treeOf(ctx context.Context) (tree inherit.Tree, places []domain.Place, err error) {
	if places, err = a.Places.All(ctx); err != nil {
		return tree, nil, err
	}
	overrides, err := a.Overrides.All(ctx)
	if err != nil {
		return tree, nil, err
	}
	calendars, err := a.Calendars.All(ctx)
	return inherit.NewTree(places, overrides).WithCalendars(calendars), places, err
}

// holding lets a tree know which tags devices hold.
func (a Areas) holding(ctx context.Context, tree inherit.Tree, places []domain.Place) (inherit.Tree, error) {
	all, err := a.Attributes.Whole(ctx)
	held := inherit.NewAttributes(places, all)
	return tree.Holding(func(d domain.Device) []string {
		_, tags := held.Held(d)
		return tags
	}), err
}

// Set sets a value at a place, a device or a part. A value that names a device is
// forgotten with it: refersTo is its id, zero where there is none.
func (s Overrides) Set(ctx context.Context, o domain.Override, refersTo domain.ID) error {
	return known(s.q(ctx).Exec(`INSERT INTO overrides (place_id, device_id, part_id, key, value, refers_to)
		VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT (place_id, device_id, part_id, key) DO UPDATE SET value = excluded.value, refers_to = excluded.refers_to`,
		null(o.PlaceID), null(o.DeviceID), null(o.PartID), string(o.Key), o.Value, null(refersTo)).Error)
}

// Unset takes a value away, so that the inherited one holds again.
func (s Overrides) Unset(ctx context.Context, o domain.Override) error {
	return s.q(ctx).
		Where("place_id IS NOT DISTINCT FROM ? AND device_id IS NOT DISTINCT FROM ?", null(o.PlaceID), null(o.DeviceID)).
		Where("part_id IS NOT DISTINCT FROM ? AND key = ?", null(o.PartID), string(o.Key)).
		Delete(&overrideRow{}).
		Error
}

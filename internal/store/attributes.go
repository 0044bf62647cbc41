package store

import (
	"context"
	"strings"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
)

// Attributes are names with values, and tags, that people give to places, devices and
// parts.
type Attributes struct{ area }

type attributeRow struct {
	PlaceID  *int64
	DeviceID *int64
	PartID   *int64
	Name     string
	Value    string
	Tag      bool
}

func (attributeRow) TableName() string { return "attributes" }

func (r attributeRow) domain() domain.Attribute {
	return domain.Attribute{
		PlaceID:  orZero(r.PlaceID),
		DeviceID: orZero(r.DeviceID),
		PartID:   orZero(r.PartID),
		Name:     r.Name,
		Value:    r.Value,
		Tag:      r.Tag,
	}
}

// Along returns what is set at a device (zero for none), at its parts, at a place and at
// all places above it.
func (s Attributes) Along(ctx context.Context, place, device domain.ID) ([]domain.Attribute, error) {
	var rows []attributeRow
	err := s.q(ctx).Raw(`WITH RECURSIVE up AS (
		SELECT id, parent_id, 1 AS hops FROM places WHERE id = @place
		UNION ALL SELECT p.id, p.parent_id, up.hops + 1 FROM places p JOIN up ON p.id = up.parent_id WHERE up.hops < 1000)
		SELECT * FROM attributes a WHERE a.place_id IN (SELECT id FROM up)
		UNION ALL SELECT * FROM attributes a WHERE a.device_id = @device
		UNION ALL SELECT a.* FROM attributes a JOIN parts p ON p.id = a.part_id WHERE p.device_id = @device`,
		map[string]any{"place": place, "device": device}).Scan(&rows).Error
	return each(rows, attributeRow.domain), err
}

// Of returns what is set at exactly the given things of one sort: place_id, device_id or
// part_id.
func (s Attributes) Of(ctx context.Context, sort string, ids []domain.ID) ([]domain.Attribute, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	var rows []attributeRow
	err := s.q(ctx).Where(sort+" = ANY(?::bigint[])", arrayOf(ids)).Order("name, tag").Find(&rows).Error
	return each(rows, attributeRow.domain), err
}

// Named returns what is set under a name at places and devices.
func (s Attributes) Named(ctx context.Context, name string, tag bool) ([]domain.Attribute, error) {
	var rows []attributeRow
	err := s.q(ctx).Where("name = ? AND tag = ? AND part_id IS NULL", name, tag).Find(&rows).Error
	return each(rows, attributeRow.domain), err
}

// Picked are the devices for which holds what a search asks for: a tag, such as “#night”, or
// an attribute, such as “role=standby”, of which a part of the value is enough. It is nil for
// any other search.
func (a Areas) Picked(ctx context.Context, search string) (*domain.PickedDevices, error) {
	name, tag := strings.CutPrefix(search, "#")
	name, value, attribute := strings.Cut(name, "=")
	if tag == attribute || name == "" {
		return nil, nil
	}
	set, err := a.Attributes.Named(ctx, name, tag)
	if err != nil {
		return nil, err
	}
	places, err := a.Places.All(ctx)
	if err != nil {
		return nil, err
	}
	value = strings.ToLower(value)
	picked := inherit.NewAttributes(places, set).Pick(name, tag, func(v string) bool {
		return tag || v != "" && strings.Contains(strings.ToLower(v), value)
	})
	return (*domain.PickedDevices)(&picked), nil
}

// Carriers are the places at which a tag holds for all, and the devices that carry it by
// themselves, removed ones too, with their places.
func (a Areas) Carriers(ctx context.Context, tag string) (places map[domain.ID]bool, devices map[domain.ID]domain.ID, err error) {
	picked, err := a.Picked(ctx, "#"+tag)
	if err != nil {
		return nil, nil, err
	}
	places, devices = map[domain.ID]bool{}, map[domain.ID]domain.ID{}
	for _, id := range picked.Places {
		places[id] = true
	}
	var rows []struct{ ID, PlaceID int64 }
	err = a.q(ctx).Raw("SELECT id, place_id FROM all_devices WHERE id = ANY(?::bigint[])", arrayOf(picked.With)).Scan(&rows).Error
	for _, r := range rows {
		devices[r.ID] = r.PlaceID
	}
	return places, devices, err
}

// Set sets attributes, in the place of those of the same names.
func (s Attributes) Set(ctx context.Context, all []domain.Attribute) error {
	return s.bulk(ctx, all, `INSERT INTO attributes (place_id, device_id, part_id, name, value, tag)
		SELECT nullif(place_id, 0), nullif(device_id, 0), nullif(part_id, 0), name, value, tag FROM given
		ON CONFLICT (place_id, device_id, part_id, tag, name) DO UPDATE SET value = excluded.value, told = false`)
}

// Tell puts what devices tell of some parts in the place of what they told before. What people
// set stays, and what they set hides what is told under the same name.
func (s Attributes) Tell(ctx context.Context, parts []domain.ID, all []domain.Attribute) error {
	if len(parts) == 0 {
		return nil
	}
	if err := s.q(ctx).Exec("DELETE FROM attributes WHERE told AND part_id = ANY(?::bigint[])", arrayOf(parts)).Error; err != nil {
		return err
	}
	return s.bulk(ctx, all, `INSERT INTO attributes (part_id, name, value, tag, told)
		SELECT part_id, name, value, tag, true FROM given ON CONFLICT (place_id, device_id, part_id, tag, name) DO NOTHING`)
}

// Unset takes attributes away, whatever their values are.
func (s Attributes) Unset(ctx context.Context, all []domain.Attribute) error {
	return s.bulk(ctx, all, `DELETE FROM attributes a USING given g WHERE a.name = g.name AND a.tag = g.tag
		AND a.place_id IS NOT DISTINCT FROM nullif(g.place_id, 0) AND a.device_id IS NOT DISTINCT FROM nullif(g.device_id, 0)
		AND a.part_id IS NOT DISTINCT FROM nullif(g.part_id, 0)`)
}

// attributeBatch is how many are sent at once.
const attributeBatch = 5000

// bulk runs a statement over attributes, which it finds in the table “given”.
func (s Attributes) bulk(ctx context.Context, all []domain.Attribute, statement string) error {
	const given = `WITH given AS (SELECT coalesce(place_id, 0) AS place_id, coalesce(device_id, 0) AS device_id,
		coalesce(part_id, 0) AS part_id, name, coalesce(value, '') AS value, coalesce(tag, false) AS tag
		FROM jsonb_to_recordset(?::jsonb) AS g(place_id bigint, device_id bigint, part_id bigint, name text, value text, tag boolean)) `
	for len(all) > 0 {
		n := min(attributeBatch, len(all))
		if err := s.q(ctx).Exec(given+statement, recordsOf(all[:n])).Error; err != nil {
			return known(err)
		}
		all = all[n:]
	}
	return nil
}

// UsedAttribute is a name that is in use.
type UsedAttribute struct {
	Name    string
	Tag     bool
	Places  int
	Devices int
	Parts   int
	Values  int // different ones
}

// Used returns the names that are in use, tags last.
func (s Attributes) Used(ctx context.Context) (out []UsedAttribute, err error) {
	err = s.q(ctx).Raw(`SELECT name, tag, count(place_id) AS places, count(device_id) AS devices, count(part_id) AS parts,
		count(DISTINCT value) AS values FROM attributes GROUP BY name, tag ORDER BY tag, name LIMIT 1000`).Scan(&out).Error
	return out, err
}

// Whole returns what is set at places and devices, without that of parts.
func (s Attributes) Whole(ctx context.Context) ([]domain.Attribute, error) {
	var rows []attributeRow
	err := s.q(ctx).Where("part_id IS NULL").Find(&rows).Error
	return each(rows, attributeRow.domain), err
}

// All returns everything that is set, in the order of an export.
func (s Attributes) All(ctx context.Context) ([]domain.Attribute, error) {
	var rows []attributeRow
	err := s.q(ctx).Order("place_id, device_id, part_id, name, tag").Find(&rows).Error
	return each(rows, attributeRow.domain), err
}

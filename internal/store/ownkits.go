package store

import (
	"context"

	"tirelessowl/internal/core/own"
	"tirelessowl/internal/domain"
)

// OwnKits are what people picked at single devices to be read there.
type OwnKits struct{ area }

// OwnKit is what is picked at one device.
type OwnKit struct {
	DeviceID domain.ID
	Picked   own.Set `gorm:"serializer:json"`
	Version  int
}

// TableName implements gorm's Tabler.
func (OwnKit) TableName() string { return "own_kits" }

// All returns those of all devices.
func (s OwnKits) All(ctx context.Context) (out []OwnKit, err error) {
	return out, s.q(ctx).Order("device_id").Find(&out).Error
}

// Of returns that of a device; it is empty where nothing is picked.
func (s OwnKits) Of(ctx context.Context, deviceID domain.ID) (OwnKit, error) {
	var rows []OwnKit
	err := s.q(ctx).Where("device_id = ?", deviceID).Find(&rows).Error
	if err != nil || len(rows) == 0 {
		return OwnKit{DeviceID: deviceID}, err
	}
	return rows[0], nil
}

// Put stores what is picked at a device as its next version, and fits the kit to it or takes it
// off. Series and parts that nothing makes any more are deleted; their series are returned.
func (s OwnKits) Put(ctx context.Context, k OwnKit) (gone []domain.ID, err error) {
	name := own.Name(k.DeviceID)
	if k.Picked.Readings == nil {
		k.Picked.Readings = []own.Reading{}
	}
	document := recordsOf(k.Picked)
	steps := []struct {
		sql  string
		args []any
	}{
		{`INSERT INTO own_kits (device_id, picked, version) VALUES (?, ?::jsonb, ?)
			ON CONFLICT (device_id) DO UPDATE SET picked = excluded.picked, version = excluded.version`,
			[]any{k.DeviceID, document, k.Version}},
		{`INSERT INTO fittings (device_id, kit, parameters) SELECT ?, ?, '{}' WHERE jsonb_array_length(?::jsonb -> 'readings') > 0
			ON CONFLICT (device_id, kit) DO NOTHING`, []any{k.DeviceID, name, document}},
		{`DELETE FROM fittings WHERE device_id = ? AND kit = ? AND jsonb_array_length(?::jsonb -> 'readings') = 0`,
			[]any{k.DeviceID, name, document}},
	}
	for _, step := range steps {
		if err := s.q(ctx).Exec(step.sql, step.args...).Error; err != nil {
			return nil, err
		}
	}
	err = s.q(ctx).Raw(`DELETE FROM series WHERE device_id = ? AND kit = ? AND reading NOT IN
		(SELECT r ->> 'key' FROM jsonb_array_elements(?::jsonb -> 'readings') r) RETURNING id`,
		k.DeviceID, name, document).Scan(&gone).Error
	if err != nil {
		return nil, err
	}
	return gone, s.q(ctx).Exec(`DELETE FROM parts WHERE device_id = ? AND kit = ? AND kind NOT IN
		(SELECT t ->> 'key' FROM jsonb_array_elements(coalesce(?::jsonb -> 'tables', '[]')) t)`, k.DeviceID, name, document).Error
}

// Leave lets series and parts of a device's own belong to another kit from now on, with what was collected:
// readings and kinds are the keys that they have there, by those that they had.
func (s OwnKits) Leave(ctx context.Context, deviceID domain.ID, kit string, readings, kinds map[string]string) error {
	from := own.Name(deviceID)
	for was, now := range readings {
		err := s.q(ctx).Exec("UPDATE series SET kit = ?, reading = ? WHERE device_id = ? AND kit = ? AND reading = ?",
			kit, now, deviceID, from, was).Error
		if err != nil {
			return known(err)
		}
	}
	for was, now := range kinds {
		err := s.q(ctx).Exec("UPDATE parts SET kit = ?, kind = ? WHERE device_id = ? AND kit = ? AND kind = ?",
			kit, now, deviceID, from, was).Error
		if err != nil {
			return known(err)
		}
	}
	return nil
}

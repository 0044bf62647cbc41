package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

var removedOrder = map[string]string{
	"name": "d.name", "address": "d.address", "kind": "d.kind, d.name", "place": "p.name, d.name", "removed": "d.removed_at",
	"series": "series, d.name",
	"-name":  "d.name DESC", "-address": "d.address DESC", "-kind": "d.kind DESC, d.name", "-place": "p.name DESC, d.name",
	"-series": "series DESC, d.name",
}

// Removed returns devices that are no longer watched, the last first unless sorted
// otherwise, and how many match in all.
func (s Devices) Removed(ctx context.Context, f domain.RemovedFilter) (out []domain.RemovedDevice, total int64, err error) {
	q := s.q(ctx).Table("all_devices d").Joins("JOIN places p ON p.id = d.place_id").Where("d.removed_at IS NOT NULL")
	if f.Search != "" {
		q = q.Where("concat_ws(' ', d.name, host(d.address), p.name) ILIKE ?", "%"+escapeLike(f.Search)+"%")
	}
	if err := q.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	order, ok := removedOrder[f.Sort]
	if !ok {
		order = "d.removed_at DESC"
	}
	if f.Limit > 0 {
		q = q.Limit(f.Limit).Offset(f.Offset)
	}
	err = q.Select(`d.id, d.name, host(d.address) AS address, d.kind, p.name AS place, d.removed_at,
		(SELECT count(*) FROM series s WHERE s.device_id = d.id) AS series`).Order(order + ", d.id").Scan(&out).Error
	return out, total, err
}

// Ever returns a device, also one that is no longer watched, or ErrNotFound.
func (s Devices) Ever(ctx context.Context, id domain.ID) (d domain.Device, removed bool, err error) {
	var row struct {
		Device    deviceRow `gorm:"embedded"`
		RemovedAt *time.Time
	}
	err = s.q(ctx).Table("all_devices").Where("id = ?", id).Take(&row).Error
	return row.Device.domain(), row.RemovedAt != nil, known(err)
}

// Remove stops watching a device and keeps its history: its alerts are over, and
// nothing is reached through it any more. Its incidents are the caller's affair. It
// must run in a transaction.
func (s Devices) Remove(ctx context.Context, id domain.ID, now time.Time) error {
	if err := must(s.q(ctx).Exec("UPDATE all_devices SET removed_at = ? WHERE id = ? AND removed_at IS NULL", now, id)); err != nil {
		return err
	}
	for _, end := range []string{
		"DELETE FROM rule_states r USING series s WHERE s.id = r.series_id AND s.device_id = @id",
		"UPDATE alerts SET ended_at = @now WHERE device_id = @id AND ended_at IS NULL",
		"DELETE FROM overrides WHERE refers_to = @id",
		"UPDATE finds SET verdict = 'new', device_id = NULL WHERE device_id = @id",
	} {
		if err := s.q(ctx).Exec(end, map[string]any{"id": id, "now": now}).Error; err != nil {
			return err
		}
	}
	return nil
}

// RemovedLike returns the device that a find was, before it was removed; 0 for none:
// one of the organisation of a place, of the same identity, or of the same name at the
// same address.
func (s Devices) RemovedLike(ctx context.Context, place domain.ID, identity, name, address string) (id domain.ID, err error) {
	err = s.q(ctx).Raw(`SELECT id FROM all_devices WHERE removed_at IS NOT NULL AND organisation_id = organisation_of(?)
		AND (identity = ? AND identity LIKE 'engine:%' OR name = ? AND host(address) = ?)
			ORDER BY removed_at DESC LIMIT 1`, place, identity, name, address).Scan(&id).Error
	return id, err
}

// GoneBy tells of some identities which are those of devices that were removed, and are not
// watched again: in the organisation of a place, or in all of them for none.
func (s Devices) GoneBy(ctx context.Context, place domain.ID, identities []string) (map[string]bool, error) {
	var found []string
	err := s.q(ctx).Raw(`SELECT r.identity FROM all_devices r WHERE r.removed_at IS NOT NULL AND r.identity <> '' AND r.identity IN ?
		AND (?::bigint IS NULL OR r.organisation_id = organisation_of(?))
		AND NOT EXISTS (SELECT 1 FROM all_devices d WHERE d.removed_at IS NULL AND d.identity = r.identity
			AND d.organisation_id = r.organisation_id)`,
		append(identities, ""), null(place), null(place)).Scan(&found).Error
	out := map[string]bool{}
	for _, identity := range found {
		out[identity] = true
	}
	return out, err
}

// Restore watches a removed device again, under a name and at an address and a
// place, with the history that it has.
func (s Devices) Restore(ctx context.Context, id domain.ID, as domain.Device) (domain.Device, error) {
	err := must(
		s.q(ctx).Exec(`UPDATE all_devices SET removed_at = NULL, name = ?, address = ?, place_id = ?, health = 'unknown', health_since = ?,
		health_note = 'waits for its first value' WHERE id = ?
			AND removed_at IS NOT NULL`, as.Name, as.Address.String(), as.PlaceID, as.CreatedAt, id),
	)
	if err != nil {
		return domain.Device{}, err
	}
	return s.One(ctx, id)
}

// RemovedOne returns a removed device, or ErrNotFound.
func (s Devices) RemovedOne(ctx context.Context, id domain.ID) (domain.Device, error) {
	var row deviceRow
	err := s.q(ctx).Table("all_devices").Where("id = ? AND removed_at IS NOT NULL", id).Take(&row).Error
	return row.domain(), known(err)
}

// Forget deletes a removed device with everything that hangs on it; its samples
// are the store's affair.
func (s Devices) Forget(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Exec("DELETE FROM all_devices WHERE id = ? AND removed_at IS NOT NULL", id))
}

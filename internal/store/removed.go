package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Removed returns the devices that are no longer watched, the last first.
func (s Devices) Removed(ctx context.Context) (out []domain.RemovedDevice, err error) {
	err = s.q(ctx).Raw(`SELECT d.id, d.name, host(d.address) AS address, d.kind, p.name AS place, d.removed_at,
		(SELECT count(*) FROM series s WHERE s.device_id = d.id) AS series
		FROM all_devices d JOIN places p ON p.id = d.place_id WHERE d.removed_at IS NOT NULL ORDER BY d.removed_at DESC, d.name`).Scan(&out).Error
	return out, err
}

// Remove stops watching a device and keeps its history: what was wrong with it is
// over, and nothing is reached through it any more. It must run in a transaction.
func (s Devices) Remove(ctx context.Context, id domain.ID, now time.Time) error {
	if err := must(s.q(ctx).Exec("UPDATE all_devices SET removed_at = ? WHERE id = ? AND removed_at IS NULL", now, id)); err != nil {
		return err
	}
	for _, end := range []string{
		"DELETE FROM rule_states r USING series s WHERE s.id = r.series_id AND s.device_id = @id",
		"UPDATE alerts SET ended_at = @now WHERE device_id = @id AND ended_at IS NULL",
		"UPDATE incidents SET state = 'resolved', resolved_at = @now, resolved_by = 'removal of the device', recovered_at = coalesce(recovered_at, @now), level = worst WHERE device_id = @id AND state <> 'resolved'",
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
// one of the same identity, or of the same name at the same address.
func (s Devices) RemovedLike(ctx context.Context, identity, name, address string) (id domain.ID, err error) {
	err = s.q(ctx).Raw(`SELECT id FROM all_devices WHERE removed_at IS NOT NULL
		AND (identity = ? AND identity LIKE 'engine:%' OR name = ? AND host(address) = ?) ORDER BY removed_at DESC LIMIT 1`, identity, name, address).Scan(&id).Error
	return id, err
}

// Restore watches a removed device again, under a name and at an address and a
// place, with the history that it has.
func (s Devices) Restore(ctx context.Context, id domain.ID, as domain.Device) (domain.Device, error) {
	err := must(s.q(ctx).Exec(`UPDATE all_devices SET removed_at = NULL, name = ?, address = ?, place_id = ?, health = 'unknown', health_since = ?,
		health_note = 'waits for its first value' WHERE id = ? AND removed_at IS NOT NULL`, as.Name, as.Address.String(), as.PlaceID, as.CreatedAt, id))
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

// forget deletes a removed device with everything that hangs on it; its samples
// are the store's affair.
func (s Devices) forget(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Exec("DELETE FROM all_devices WHERE id = ? AND removed_at IS NOT NULL", id))
}

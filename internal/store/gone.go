package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Gone is a part of which its device no longer tells.
type Gone struct {
	ID       domain.ID
	DeviceID domain.ID
	PlaceID  domain.ID
	GoneAt   time.Time
}

// Gone returns parts that are gone since before a time and led to no alert: those that did stay
// with what they led to.
func (s Parts) Gone(ctx context.Context, before time.Time) (out []Gone, err error) {
	return out, s.q(ctx).Raw(`SELECT p.id, p.device_id, d.place_id, p.gone_at FROM parts p JOIN all_devices d ON d.id = p.device_id
		WHERE p.gone_at < ? AND NOT EXISTS (SELECT 1 FROM series s JOIN alerts a ON a.series_id = s.id WHERE s.part_id = p.id)
		ORDER BY p.device_id, p.id LIMIT ?`, before, mostRetired).Scan(&out).Error
}

// mostRetired is how many are retired in one round.
const mostRetired = 10_000

// Retire removes parts with all that was stored of them, but for those that came back meanwhile.
// It returns their series, which must be forgotten then.
func (s Parts) Retire(ctx context.Context, parts []domain.ID) (series []domain.ID, err error) {
	err = s.q(ctx).Raw(`DELETE FROM series s USING parts p
		WHERE p.id = s.part_id AND p.id = ANY(?::bigint[]) AND p.gone_at IS NOT NULL RETURNING s.id`, arrayOf(parts)).Scan(&series).Error
	if err != nil {
		return nil, err
	}
	return series, s.q(ctx).Exec("DELETE FROM parts WHERE id = ANY(?::bigint[]) AND gone_at IS NOT NULL", arrayOf(parts)).Error
}

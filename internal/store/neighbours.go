package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// Neighbours returns what stands next to a device.
func (s Finds) Neighbours(ctx context.Context, deviceID domain.ID) (out []domain.Neighbour, err error) {
	return out, s.q(ctx).Raw(`WITH newest AS (
			SELECT f.sweep_id, f.neighbours FROM finds f WHERE f.device_id = ? ORDER BY f.found_at DESC LIMIT 1)
		SELECT n.x ->> 'port' AS port, n.x ->> 'name' AS name, n.x ->> 'remote_port' AS remote_port, n.x ->> 'why' AS why,
			coalesce(d.id, 0) AS device_id, coalesce(d.name, '') AS device
		FROM newest CROSS JOIN LATERAL jsonb_array_elements(newest.neighbours) WITH ORDINALITY AS n(x, place)
		LEFT JOIN finds o ON o.sweep_id = newest.sweep_id AND o.identity = n.x ->> 'identity' AND o.identity <> ''
		LEFT JOIN devices d ON d.id = o.device_id
		ORDER BY n.place`, deviceID).Scan(&out).Error
}

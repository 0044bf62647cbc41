package store

import "context"

// Hits is what a search over everything finds.
type Hits struct{ area }

// Hit is something that a search found.
type Hit struct {
	Kind string
	ID   int64
	Name string
	Note string
}

// Find finds devices, places, parts, rules and incidents by any fragment of name or address.
func (s Hits) Find(ctx context.Context, text string, limit int) ([]Hit, error) {
	like := "%" + escapeLike(text) + "%"
	var hits []Hit
	err := s.q(ctx).Raw(`(SELECT 'device' AS kind, d.id, d.name, host(d.address) || ', ' || d.kind AS note FROM devices d
			WHERE d.name ILIKE ? OR EXISTS (SELECT 1 FROM device_addresses a WHERE a.device_id = d.id AND host(a.address) LIKE ?)
				ORDER BY length(d.name), d.name LIMIT ?)
		UNION ALL (SELECT 'place', p.id, p.name, count(d.id) || ' devices' FROM places p LEFT JOIN devices d ON d.place_id = p.id
			WHERE p.name ILIKE ? GROUP BY p.id, p.name ORDER BY p.name LIMIT 5)
		UNION ALL (SELECT 'incident', i.id, i.title, i.state FROM incidents i WHERE i.title ILIKE ? ORDER BY i.opened_at DESC LIMIT 5)
		UNION ALL (SELECT 'rule', r.id, r.name, r.kit FROM rules r WHERE r.name ILIKE ? ORDER BY r.name LIMIT 5)
		UNION ALL (SELECT 'part', p.device_id, p.name || ' of ' || d.name, p.note FROM parts p JOIN devices d ON d.id = p.device_id
			WHERE p.name ILIKE ? OR p.note ILIKE ?
ORDER BY p.name, d.name LIMIT 6)`,
		like, like, limit, like, like, like, like, like).Scan(&hits).Error
	return hits, err
}

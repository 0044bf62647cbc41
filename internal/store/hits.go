package store

import (
	"context"
	"regexp"
	"strings"
)

// Hits is what a search over everything finds.
type Hits struct{ area }

// Hit is something that a search found.
type Hit struct {
	Kind string
	ID   int64
	Name string
	Note string
}

// hitQuery finds by fragments. Devices are looked through once: a fragment may be in very
// many of their names. What is shown is worked out only for those that are.
const hitQuery = `(SELECT 'device' AS kind, d.id, d.name, concat_ws(', ', nullif(d.friendly, ''), host(d.address), d.kind) AS note
		FROM (SELECT x.id FROM devices x WHERE (x.name ILIKE @like OR x.friendly ILIKE @like OR x.id IN (
			SELECT device_id FROM attributes WHERE device_id IS NOT NULL AND (value ILIKE @like OR name ILIKE @like){addresses}))
			ORDER BY x.name ILIKE @begins DESC, length(x.name), x.name LIMIT @limit) top
		JOIN devices d ON d.id = top.id ORDER BY d.name ILIKE @begins DESC, length(d.name), d.name)
	UNION ALL (SELECT 'place', p.id, p.name, p.kind FROM places p WHERE p.name ILIKE @like ORDER BY length(p.name), p.name LIMIT 5)
	UNION ALL (SELECT 'incident', i.id, i.title, i.state FROM incidents i WHERE i.title ILIKE @like ORDER BY i.opened_at DESC LIMIT 5)
	UNION ALL (SELECT 'rule', r.id, r.name, r.kit FROM rules r WHERE r.name ILIKE @like ORDER BY r.name LIMIT 5)
	UNION ALL (SELECT 'part', p.device_id, p.name || ' of ' || d.name, p.note
		FROM (SELECT device_id, name, note FROM parts WHERE (name ILIKE @like OR note ILIKE @like) LIMIT 200) p
		JOIN devices d ON d.id = p.device_id ORDER BY p.name, d.name LIMIT 6)`

const hitAddresses = " UNION SELECT device_id FROM device_addresses WHERE host(address) LIKE @like"

// addressLike is what a part of an address may have in it.
var addressLike = regexp.MustCompile(`^[0-9a-fA-F.:]+$`)

// Find finds devices, places, parts, rules and incidents by any fragment of names,
// addresses and attributes.
func (s Hits) Find(ctx context.Context, text string, limit int) (hits []Hit, err error) {
	addresses := ""
	if addressLike.MatchString(text) {
		addresses = hitAddresses
	}
	err = s.q(ctx).Raw(strings.Replace(hitQuery, "{addresses}", addresses, 1), map[string]any{
		"like":   "%" + escapeLike(text) + "%",
		"begins": escapeLike(text) + "%",
		"limit":  limit,
	}).Scan(&hits).Error
	return hits, err
}

// Words are the different words of four letters or more in all names that are found.
func (s Hits) Words(ctx context.Context) (words []string, err error) {
	err = s.q(ctx).Raw(`SELECT DISTINCT lower(w) FROM (SELECT name FROM devices UNION ALL SELECT friendly FROM devices
		UNION ALL SELECT name FROM places UNION ALL SELECT name FROM rules
		UNION ALL SELECT value FROM attributes UNION ALL SELECT name FROM attributes) n(text),
		regexp_split_to_table(text, '[^[:alpha:]]+') w WHERE length(w) >= 4 LIMIT 20000`).Scan(&words).Error
	return words, err
}

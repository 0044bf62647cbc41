package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// FittingRules fit kits by what is known of devices.
type FittingRules struct{ area }

type fittingRuleRow struct {
	ID       int64
	Rank     int
	Name     string
	When     string   `gorm:"column:when"`
	Fits     []string `gorm:"serializer:json"`
	KeepsOff []string `gorm:"serializer:json"`
	Off      bool
	Version  int
}

func (fittingRuleRow) TableName() string { return "fitting_rules" }

func (r fittingRuleRow) domain() domain.FittingRule { return domain.FittingRule(r) }

// All returns all of them, in the order in which they are asked.
func (s FittingRules) All(ctx context.Context) ([]domain.FittingRule, error) {
	var rows []fittingRuleRow
	err := s.q(ctx).Order("rank, id").Find(&rows).Error
	return each(rows, fittingRuleRow.domain), err
}

// Lock keeps others from changing them until the end of the transaction, and returns all of them.
func (s FittingRules) Lock(ctx context.Context) ([]domain.FittingRule, error) {
	if err := s.q(ctx).Exec("LOCK TABLE fitting_rules IN SHARE ROW EXCLUSIVE MODE").Error; err != nil {
		return nil, err
	}
	return s.All(ctx)
}

// Save inserts one, or changes one that has an id. It is ErrConflict where another has its name.
func (s FittingRules) Save(ctx context.Context, r domain.FittingRule) (domain.FittingRule, error) {
	r.Version++
	if r.Fits == nil {
		r.Fits = []string{}
	}
	if r.KeepsOff == nil {
		r.KeepsOff = []string{}
	}
	row := fittingRuleRow(r)
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// Rank gives rules their places in the order, from 1.
func (s FittingRules) Rank(ctx context.Context, ids []domain.ID) error {
	return s.q(ctx).Exec(`UPDATE fitting_rules r SET rank = n.rank
		FROM unnest(?::bigint[]) WITH ORDINALITY AS n(id, rank) WHERE r.id = n.id AND r.rank <> n.rank`, arrayOf(ids)).Error
}

// Remove takes one away.
func (s FittingRules) Remove(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Delete(&fittingRuleRow{}, id).Error
}

// Facts are what sweeps learnt of devices.
type Facts struct{ area }

type factsRow struct {
	DeviceID int64
	Facts    []string `gorm:"serializer:json"`
}

// Of returns them by device, of one, or of all for id 0.
func (s Facts) Of(ctx context.Context, deviceID domain.ID) (map[domain.ID][]string, error) {
	q := s.q(ctx).Table("device_facts")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []factsRow
	err := q.Find(&rows).Error
	out := make(map[domain.ID][]string, len(rows))
	for _, r := range rows {
		out[r.DeviceID] = r.Facts
	}
	return out, err
}

// Learn adds what sweeps learnt of devices to what was known, and returns those of which more is known
// now: what one sweep does not hear need not be gone. Of another machine than the device was so far, by its
// object id, all is learnt anew.
func (s Facts) Learn(ctx context.Context, finds ...domain.Find) (changed []domain.ID, err error) {
	type record struct {
		DeviceID domain.ID `json:"device_id"`
		Facts    []string  `json:"facts"`
		ObjectID string    `json:"object_id"`
		FoundAt  time.Time `json:"found_at"`
	}
	records := each(finds, func(f domain.Find) record {
		return record{f.DeviceID, append([]string{}, f.Facts...), f.ObjectID, f.FoundAt}
	})
	err = s.q(ctx).Raw(`INSERT INTO device_facts AS d (device_id, facts, learnt_at)
		SELECT DISTINCT ON (n.device_id) n.device_id, (SELECT coalesce(jsonb_agg(DISTINCT f ORDER BY f), '[]') FROM (
				SELECT jsonb_array_elements(n.facts) UNION SELECT jsonb_array_elements(k.facts) WHERE x.object_id = n.object_id
			) AS heard(f)), n.found_at
		FROM jsonb_to_recordset(?::jsonb) AS n(device_id bigint, facts jsonb, object_id text, found_at timestamptz)
			JOIN devices x ON x.id = n.device_id LEFT JOIN device_facts k ON k.device_id = n.device_id
		ORDER BY n.device_id, n.found_at DESC
		ON CONFLICT (device_id) DO UPDATE SET facts = excluded.facts, learnt_at = excluded.learnt_at
			WHERE d.facts <> excluded.facts RETURNING device_id`, recordsOf(records)).Scan(&changed).Error
	return changed, err
}

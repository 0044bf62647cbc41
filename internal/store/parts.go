package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Parts are what devices have inside.
type Parts struct{ area }

type partRow struct {
	ID       int64
	DeviceID int64
	Kit      string
	Kind     string
	Key      string
	Index    string
	Called   string
	Name     string
	Marks    string
	Reason   string
	Note     string
	Told     string
	Speed    float64
	GoneAt   *time.Time
}

func (partRow) TableName() string { return "parts" }

func (r partRow) domain() domain.Part {
	return domain.Part{
		ID:       r.ID,
		DeviceID: r.DeviceID,
		Kit:      r.Kit,
		Kind:     r.Kind,
		Key:      r.Key,
		Index:    r.Index,
		Called:   r.Called,
		Name:     r.Name,
		Marks:    r.Marks,
		Reason:   r.Reason,
		Note:     r.Note,
		Told:     r.Told,
		Speed:    r.Speed,
		GoneAt:   orNever(r.GoneAt),
	}
}

// One returns a part, or ErrNotFound.
func (s Parts) One(ctx context.Context, id domain.ID) (domain.Part, error) {
	var row partRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Of returns the parts of a device, or of all for id 0.
func (s Parts) Of(ctx context.Context, deviceID domain.ID) ([]domain.Part, error) {
	q := s.q(ctx).Order("device_id, kind, id")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []partRow
	err := q.Find(&rows).Error
	return each(rows, partRow.domain), err
}

// Add inserts parts; the result has the ids.
func (s Parts) Add(ctx context.Context, parts []domain.Part) ([]domain.Part, error) {
	if len(parts) == 0 {
		return nil, nil
	}
	rows := each(parts, partRowOf)
	err := s.q(ctx).CreateInBatches(&rows, 1000).Error
	return each(rows, partRow.domain), known(err)
}

func partRowOf(p domain.Part) partRow {
	return partRow{
		ID:       p.ID,
		DeviceID: p.DeviceID,
		Kit:      p.Kit,
		Kind:     p.Kind,
		Key:      p.Key,
		Index:    p.Index,
		Called:   p.Called,
		Name:     p.Name,
		Marks:    p.Marks,
		Reason:   p.Reason,
		Note:     p.Note,
		Told:     p.Told,
		Speed:    p.Speed,
		GoneAt:   moment(p.GoneAt),
	}
}

type partChange struct {
	ID     domain.ID  `json:"id"`
	Index  string     `json:"index"`
	Called string     `json:"called"`
	Name   string     `json:"name"`
	Marks  string     `json:"marks"`
	Reason string     `json:"reason"`
	Note   string     `json:"note"`
	Told   string     `json:"told"`
	Speed  float64    `json:"speed"`
	GoneAt *time.Time `json:"gone_at"`
}

// Change changes what is known of parts, all in one statement. Their keys stay.
func (s Parts) Change(ctx context.Context, parts []domain.Part) error {
	if len(parts) == 0 {
		return nil
	}
	changes := each(parts, func(p domain.Part) partChange {
		return partChange{p.ID, p.Index, p.Called, p.Name, p.Marks, p.Reason, p.Note, p.Told, p.Speed, moment(p.GoneAt)}
	})
	return known(s.q(ctx).Exec(`UPDATE parts p
		SET index = n.index, called = n.called, name = n.name, marks = n.marks,
			reason = n.reason, note = n.note, told = n.told, speed = n.speed, gone_at = n.gone_at
		FROM jsonb_to_recordset(?::jsonb)
			AS n(id bigint, index text, called text, name text, marks text, reason text, note text, told text, speed float8,
				gone_at timestamptz)
		WHERE p.id = n.id`, recordsOf(changes)).Error)
}

// Name returns the name of a part; empty for none.
func (s Parts) Name(ctx context.Context, id domain.ID) (name string, err error) {
	err = s.q(ctx).Raw("SELECT coalesce((SELECT name FROM parts WHERE id = ?), '')", id).Scan(&name).Error
	return name, err
}

// PartCount is how many parts of a kind a device has now.
type PartCount struct {
	Kit, Kind string
	N         int64
}

// Count counts the present parts of a device by kind.
func (s Parts) Count(ctx context.Context, deviceID domain.ID) (out []PartCount, err error) {
	return out, s.q(ctx).
		Raw("SELECT kit, kind, count(*) AS n FROM parts WHERE device_id = ? AND gone_at IS NULL GROUP BY 1, 2", deviceID).
		Scan(&out).
		Error
}

// CountGone counts those of which a device no longer tells, by kind.
func (s Parts) CountGone(ctx context.Context, deviceID domain.ID) (out []PartCount, err error) {
	return out, s.q(ctx).
		Raw("SELECT kit, kind, count(*) AS n FROM parts WHERE device_id = ? AND gone_at IS NOT NULL GROUP BY 1, 2", deviceID).
		Scan(&out).
		Error
}

// PartFilter picks parts of one kind of a device: those that are there, or those that are gone.
type PartFilter struct {
	Gone      bool
	DeviceID  domain.ID
	Kit, Kind string
	Search    string // part of name or note
	// First are parts that come before all others.
	First  []domain.ID
	Limit  int
	Offset int
}

// Find returns parts of one kind, and how many match in all.
func (s Parts) Find(ctx context.Context, f PartFilter) ([]domain.Part, int64, error) {
	const picked = "device_id = ? AND kit = ? AND kind = ? AND (gone_at IS NOT NULL) = ?"
	q := s.q(ctx).Model(&partRow{}).Where(picked, f.DeviceID, f.Kit, f.Kind, f.Gone)
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("name ILIKE ? OR note ILIKE ?", like, like)
	}
	var total int64
	if err := q.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	var rows []partRow
	first := clause.OrderBy{Expression: clause.Expr{SQL: "id = ANY(?::bigint[]) DESC, id", Vars: []any{arrayOf(f.First)}}}
	err := q.Clauses(first).Limit(f.Limit).Offset(f.Offset).Find(&rows).Error
	return each(rows, partRow.domain), total, err
}

// Counts tells how many parts devices have, by device and kind; of a kind that several kits know, the most
// that one of them has.
func (s Parts) Counts(ctx context.Context, devices []domain.ID) (map[domain.ID]map[string]int, error) {
	var rows []struct {
		DeviceID domain.ID
		Kind     string
		Parts    int
	}
	err := s.q(ctx).Raw(`SELECT device_id, kind, max(n) AS parts FROM (SELECT device_id, kit, kind, count(*) AS n FROM parts
		WHERE device_id = ANY(?::bigint[]) AND gone_at IS NULL GROUP BY 1, 2, 3) x GROUP BY 1, 2`, arrayOf(devices)).Scan(&rows).Error
	out := map[domain.ID]map[string]int{}
	for _, r := range rows {
		if out[r.DeviceID] == nil {
			out[r.DeviceID] = map[string]int{}
		}
		out[r.DeviceID][r.Kind] = r.Parts
	}
	return out, err
}

// Among returns those of some devices.
func (s Parts) Among(ctx context.Context, devices []domain.ID) ([]domain.Part, error) {
	var rows []partRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[])", arrayOf(devices)).Order("device_id, kind, id").Find(&rows).Error
	return each(rows, partRow.domain), err
}

package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Incidents are the alerts of one cause.
type Incidents struct{ area }

type incidentRow struct {
	ID             int64
	DeviceID       int64
	Cause          string
	Title          string
	Level          domain.Level
	Worst          domain.Level
	FellAt         *time.Time
	FellTo         domain.Level
	State          string
	OpenedAt       time.Time
	EpisodeAt      time.Time
	AcknowledgedAt *time.Time
	AcknowledgedBy string
	RecoveredAt    *time.Time
	ResolvedAt     *time.Time
	ResolvedBy     string
	Reopened       int
	Tags           []string  `gorm:"serializer:json"`
	Why            why.Trace `gorm:"serializer:json"`
}

func (incidentRow) TableName() string { return "incidents" }

func (r incidentRow) domain() domain.Incident {
	return domain.Incident{ID: r.ID, DeviceID: r.DeviceID, Cause: r.Cause, Title: r.Title, Level: r.Level, Worst: r.Worst,
		FellAt: orNever(r.FellAt), FellTo: r.FellTo, State: domain.IncidentState(r.State),
		OpenedAt: r.OpenedAt.UTC(), EpisodeAt: r.EpisodeAt.UTC(), AcknowledgedAt: orNever(r.AcknowledgedAt),
		AcknowledgedBy: r.AcknowledgedBy,
		RecoveredAt:    orNever(r.RecoveredAt), ResolvedAt: orNever(r.ResolvedAt),
		ResolvedBy: r.ResolvedBy, Reopened: r.Reopened, Tags: r.Tags, Why: r.Why}
}

// Save inserts an incident, or changes one that has an id.
func (s Incidents) Save(ctx context.Context, in domain.Incident) (domain.Incident, error) {
	row := incidentRow{
		ID:             in.ID,
		DeviceID:       in.DeviceID,
		Cause:          in.Cause,
		Title:          in.Title,
		Level:          in.Level,
		Worst:          in.Worst,
		FellAt:         moment(in.FellAt),
		FellTo:         in.FellTo,
		State:          string(in.State),
		OpenedAt:       in.OpenedAt,
		EpisodeAt:      in.EpisodeAt,
		AcknowledgedAt: moment(in.AcknowledgedAt),
		AcknowledgedBy: in.AcknowledgedBy,
		RecoveredAt:    moment(in.RecoveredAt),
		ResolvedAt:     moment(in.ResolvedAt),
		ResolvedBy:     in.ResolvedBy,
		Reopened:       in.Reopened,
		Tags:           orNone(in.Tags),
		Why:            in.Why,
	}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// One returns one incident, or ErrNotFound.
func (s Incidents) One(ctx context.Context, id domain.ID) (domain.Incident, error) {
	var row incidentRow
	err := s.q(ctx).Take(&row, id).Error
	return toldOne(ctx, s.area, row.domain(), known(err), whyOfIncident)
}

// Lock returns one incident, or ErrNotFound, and keeps others from changing
// it until the transaction ends.
func (s Incidents) Lock(ctx context.Context, id domain.ID) (domain.Incident, error) {
	var row incidentRow
	err := s.q(ctx).Clauses(forUpdate).Take(&row, id).Error
	return row.domain(), known(err)
}

var forUpdate = clause.Locking{Strength: "UPDATE"}

// LockCause is OfCause that keeps others from changing these incidents until
// the transaction ends.
func (s Incidents) LockCause(ctx context.Context, deviceID domain.ID, cause string) ([]domain.Incident, error) {
	return s.ofCause(s.q(ctx).Clauses(forUpdate), deviceID, cause)
}

// LockOpen returns what is not resolved of one device, and keeps others from changing
// it until the transaction ends.
func (s Incidents) LockOpen(ctx context.Context, deviceID domain.ID) ([]domain.Incident, error) {
	var rows []incidentRow
	err := s.q(ctx).
		Clauses(forUpdate).
		Where("device_id = ? AND state <> ?", deviceID, domain.IncidentResolved).
		Order("id").
		Find(&rows).
		Error
	return each(rows, incidentRow.domain), err
}

// CountCause returns how many incidents of one device and cause there were in
// all, each time that one was reopened included.
func (s Incidents) CountCause(ctx context.Context, deviceID domain.ID, cause string) (n int, err error) {
	err = s.q(ctx).
		Raw("SELECT coalesce(sum(1 + reopened), 0) FROM incidents WHERE device_id = ? AND cause = ?", deviceID, cause).
		Scan(&n).
		Error
	return n, err
}

// OfCause returns the newest incidents of one device and cause, at most ten.
func (s Incidents) OfCause(ctx context.Context, deviceID domain.ID, cause string) ([]domain.Incident, error) {
	found, err := s.ofCause(s.q(ctx), deviceID, cause)
	return told(ctx, s.area, found, err, whyOfIncident)
}

func (Incidents) ofCause(q *gorm.DB, deviceID domain.ID, cause string) ([]domain.Incident, error) {
	var rows []incidentRow
	err := q.Where("device_id = ? AND cause = ?", deviceID, cause).Order("opened_at DESC").Limit(10).Find(&rows).Error
	return each(rows, incidentRow.domain), err
}

// Spots returns where the devices of incidents stand.
func (s Incidents) Spots(ctx context.Context, ids []domain.ID) (map[domain.ID]domain.Spot, error) {
	var rows []struct{ ID, PlaceID, DeviceID int64 }
	err := s.q(ctx).
		Raw("SELECT i.id, i.device_id, d.place_id FROM incidents i JOIN all_devices d ON d.id = i.device_id WHERE i.id = "+
			"ANY(?::bigint[])", arrayOf(ids)).
		Scan(&rows).
		Error
	out := make(map[domain.ID]domain.Spot, len(rows))
	for _, r := range rows {
		out[r.ID] = domain.Spot{Place: r.PlaceID, Device: r.DeviceID}
	}
	return out, err
}

var incidentOrder = map[string]string{
	"opened": "opened_at", "-opened": "opened_at DESC", "level": "level, opened_at DESC", "-level": "level DESC, opened_at DESC",
	"title": "title", "-title": "title DESC", "state": "state, opened_at DESC", "-state": "state DESC, opened_at DESC",
}

// filtered are the incidents that a filter picks.
func (s Incidents) filtered(ctx context.Context, f domain.IncidentFilter) *gorm.DB {
	q := s.q(ctx).Model(&incidentRow{})
	q = when(q, len(f.States) > 0, "state IN ?", f.States)
	q = when(q, f.AtLeast > 0, "level >= ?", int(f.AtLeast))
	q = when(q, f.DeviceID != 0, "device_id = ?", f.DeviceID)
	q = when(q, f.Cause != "", "cause = ?", f.Cause)
	q = when(q, f.Tag != "", "tags @> jsonb_build_array(?::text)", f.Tag)
	if f.Picked != nil {
		q = q.Where("device_id IN (SELECT d.id FROM all_devices d WHERE "+picked+")", pickedBy(*f.Picked)...)
	}
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("(title ILIKE ? OR device_id IN (SELECT id FROM all_devices WHERE name ILIKE ?))", like, like)
	}
	return q
}

func orderOf(f domain.IncidentFilter) string {
	if order, ok := incidentOrder[f.Sort]; ok {
		return order + ", id DESC"
	}
	return "opened_at DESC, id DESC"
}

// Find returns incidents, newest first unless sorted otherwise, and how many match in all.
func (s Incidents) Find(ctx context.Context, f domain.IncidentFilter) ([]domain.Incident, int64, error) {
	q := s.filtered(ctx, f)
	var total int64
	if f.Page != nil {
		q, total, err := s.paged(ctx, q, "id", incidentColumns, *f.Page)
		if err != nil {
			return nil, 0, err
		}
		out, err := s.told(ctx, q)
		return out, total, err
	}
	if err := q.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	if f.Limit > 0 {
		q = q.Limit(f.Limit).Offset(f.Offset)
	}
	out, err := s.told(ctx, q.Order(orderOf(f)))
	return out, total, err
}

var incidentColumns = map[string]column{"opened": {"opened_at", ofTime}, "level": {"level", ofNumber}}

// told returns the incidents that a query picks, as far as they may be told.
func (s Incidents) told(ctx context.Context, q *gorm.DB) ([]domain.Incident, error) {
	var rows []incidentRow
	err := q.Find(&rows).Error
	return told(ctx, s.area, each(rows, incidentRow.domain), err, whyOfIncident)
}

// Repeated is the newest of the incidents of one device and cause.
type Repeated struct {
	domain.Incident
	// Times is how many of them there are, and FirstAt when the oldest was opened.
	Times   int
	FirstAt time.Time
}

// FindRepeated is Find with one row for all incidents of a device and cause.
func (s Incidents) FindRepeated(ctx context.Context, f domain.IncidentFilter) ([]Repeated, int64, error) {
	const folded = "i.*, count(*) OVER (PARTITION BY device_id, cause) AS times, " +
		"min(opened_at) OVER (PARTITION BY device_id, cause) AS first_at, " +
		"row_number() OVER (PARTITION BY device_id, cause ORDER BY opened_at DESC, id DESC) AS nth"
	newest := s.q(ctx).Table("(?) AS x", s.filtered(ctx, f).Table("incidents i").Select(folded)).Where("nth = 1")
	var rows []struct {
		Newest  incidentRow `gorm:"embedded"`
		Times   int
		FirstAt time.Time
		Total   int64
	}
	// Folded once, they are counted on the way; a page behind the last one counts by itself.
	page := newest.Session(&gorm.Session{}).Select("x.*, count(*) OVER () AS total")
	err := page.Order(orderOf(f)).Limit(f.Limit).Offset(f.Offset).Scan(&rows).Error
	var total int64
	switch {
	case err != nil:
		return nil, 0, err
	case len(rows) > 0:
		total = rows[0].Total
	default:
		if err := newest.Count(&total).Error; err != nil {
			return nil, 0, err
		}
	}
	incidents := make([]domain.Incident, len(rows))
	for i, r := range rows {
		incidents[i] = r.Newest.domain()
	}
	incidents, err = told(ctx, s.area, incidents, err, whyOfIncident)
	out := make([]Repeated, len(incidents))
	for i, in := range incidents {
		out[i] = Repeated{in, rows[i].Times, rows[i].FirstAt.UTC()}
	}
	return out, total, err
}

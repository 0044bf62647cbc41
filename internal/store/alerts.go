package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Alerts are rules in trouble.
type Alerts struct{ area }

type alertRow struct {
	ID         int64
	RuleID     *int64
	SeriesID   int64
	DeviceID   int64
	IncidentID int64
	Level      domain.Level
	Cause      string
	Title      string
	FirstBadAt time.Time
	OpenedAt   time.Time
	EndedAt    *time.Time
	Value      float64
	LimitValue float64
	Unit       string
	Why        why.Trace `gorm:"serializer:json"`
}

func (alertRow) TableName() string { return "alerts" }

func (r alertRow) domain() domain.Alert {
	return domain.Alert{
		ID:         r.ID,
		RuleID:     orZero(r.RuleID),
		SeriesID:   r.SeriesID,
		DeviceID:   r.DeviceID,
		IncidentID: r.IncidentID,
		Level:      r.Level,
		Cause:      r.Cause,
		Title:      r.Title,
		FirstBadAt: r.FirstBadAt.UTC(),
		OpenedAt:   r.OpenedAt.UTC(),
		EndedAt:    orNever(r.EndedAt),
		Value:      r.Value,
		Limit:      r.LimitValue,
		Unit:       r.Unit,
		Why:        r.Why,
	}
}

// Save inserts an alert, or changes one that has an id.
func (s Alerts) Save(ctx context.Context, a domain.Alert) (domain.Alert, error) {
	row := alertRow{
		ID:         a.ID,
		RuleID:     null(a.RuleID),
		SeriesID:   a.SeriesID,
		DeviceID:   a.DeviceID,
		IncidentID: a.IncidentID,
		Level:      a.Level,
		Cause:      a.Cause,
		Title:      a.Title,
		FirstBadAt: a.FirstBadAt,
		OpenedAt:   a.OpenedAt,
		EndedAt:    moment(a.EndedAt),
		Value:      a.Value,
		LimitValue: a.Limit,
		Unit:       a.Unit,
		Why:        a.Why,
	}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// Open returns the lasting alert of a rule on a series, or ErrNotFound.
func (s Alerts) Open(ctx context.Context, ruleID, seriesID domain.ID) (domain.Alert, error) {
	var row alertRow
	err := s.q(ctx).Where("rule_id = ? AND series_id = ? AND ended_at IS NULL", ruleID, seriesID).Take(&row).Error
	return row.domain(), known(err)
}

// One returns one alert, or ErrNotFound.
func (s Alerts) One(ctx context.Context, id domain.ID) (domain.Alert, error) {
	var row alertRow
	err := s.q(ctx).Take(&row, id).Error
	return toldOne(ctx, s.area, row.domain(), known(err), whyOfAlert)
}

// Of returns the alerts of an incident in the order of time.
func (s Alerts) Of(ctx context.Context, incidentID domain.ID) ([]domain.Alert, error) {
	var rows []alertRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Order("opened_at, id").Find(&rows).Error
	return told(ctx, s.area, each(rows, alertRow.domain), err, whyOfAlert)
}

// Find returns alerts, newest first; open tells whether only lasting ones are wanted.
func (s Alerts) Find(ctx context.Context, f domain.AlertFilter) ([]domain.Alert, int64, error) {
	q := s.q(ctx).Model(&alertRow{})
	q = when(q, f.DeviceID != 0, "device_id = ?", f.DeviceID)
	q = when(q, f.Open, "ended_at IS NULL")
	q, total, err := s.pagedOr(ctx, q, map[string]column{"opened": {"opened_at", ofTime}}, f.Page, "opened_at DESC, id DESC", f.Limit)
	if err != nil {
		return nil, 0, err
	}
	var rows []alertRow
	err = q.Find(&rows).Error
	out, err := told(ctx, s.area, each(rows, alertRow.domain), err, whyOfAlert)
	return out, total, err
}

// Raised is an open alert with what it is about.
type Raised struct {
	ID, RuleID, DeviceID domain.ID
	Kit, Reading         string
	Title                string
}

// Raised returns all open alerts, at most so many.
func (s Alerts) Raised(ctx context.Context, most int) (out []Raised, err error) {
	err = s.q(ctx).Raw(`SELECT a.id, coalesce(a.rule_id, 0) AS rule_id, a.device_id, s.kit, s.reading, a.title
		FROM alerts a JOIN series s ON s.id = a.series_id WHERE a.ended_at IS NULL ORDER BY a.level DESC, a.id LIMIT ?`, most).
		Scan(&out).Error
	return out, err
}

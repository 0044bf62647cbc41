package store

import (
	"context"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Transitions are changes of health.
type Transitions struct{ area }

type transitionRow struct {
	ID         int64
	DeviceID   int64
	SeriesID   *int64
	RuleID     *int64
	FromHealth string
	ToHealth   string
	At         time.Time
	Reason     string
	BehindID   *int64
	Held       bool
	Why        why.Trace `gorm:"serializer:json"`
}

func (transitionRow) TableName() string { return "transitions" }

func (r transitionRow) domain() domain.Transition {
	return domain.Transition{
		ID:       r.ID,
		DeviceID: r.DeviceID,
		SeriesID: orZero(r.SeriesID),
		RuleID:   orZero(r.RuleID),
		From:     domain.Health(r.FromHealth),
		To:       domain.Health(r.ToHealth),
		At:       r.At.UTC(),
		Reason:   r.Reason,
		Held:     r.Held,
		BehindID: orZero(r.BehindID),
		Why:      r.Why,
	}
}

// Add records changes of health.
func (s Transitions) Add(ctx context.Context, in []domain.Transition) error {
	if len(in) == 0 {
		return nil
	}
	rows := make([]transitionRow, len(in))
	for i, t := range in {
		rows[i] = transitionRow{
			DeviceID:   t.DeviceID,
			SeriesID:   null(t.SeriesID),
			RuleID:     null(t.RuleID),
			FromHealth: string(t.From),
			ToHealth:   string(t.To),
			At:         t.At,
			Reason:     t.Reason,
			Held:       t.Held,
			BehindID:   null(t.BehindID),
			Why:        t.Why,
		}
	}
	return s.q(ctx).CreateInBatches(&rows, 500).Error
}

// Find returns changes of health, newest first.
func (s Transitions) Find(ctx context.Context, f domain.TransitionFilter) ([]domain.Transition, error) {
	q := s.filtered(ctx, f).Order("at DESC, id DESC")
	if f.Limit > 0 {
		q = q.Limit(f.Limit).Offset(f.Offset)
	}
	var rows []transitionRow
	err := q.Find(&rows).Error
	return told(ctx, s.area, each(rows, transitionRow.domain), err, whyOfTransition)
}

// Page returns a page of transitions, and how many there are in all.
func (s Transitions) Page(ctx context.Context, f domain.TransitionFilter) ([]domain.Transition, int64, error) {
	q, total, err := s.paged(ctx, s.filtered(ctx, f), "id", map[string]column{"at": {"at", ofTime}}, *f.Page)
	if err != nil {
		return nil, 0, err
	}
	var rows []transitionRow
	err = q.Find(&rows).Error
	out, err := told(ctx, s.area, each(rows, transitionRow.domain), err, whyOfTransition)
	return out, total, err
}

func (s Transitions) filtered(ctx context.Context, f domain.TransitionFilter) *gorm.DB {
	q := s.q(ctx).Model(&transitionRow{})
	q = when(q, f.DeviceID != 0, "device_id = ?", f.DeviceID)
	q = when(q, f.SeriesID != 0, "series_id = ?", f.SeriesID)
	q = when(q, f.To != "", "to_health = ?", string(f.To))
	q = when(q, !f.From.IsZero(), "at >= ?", f.From)
	q = when(q, !f.Until.IsZero(), "at < ?", f.Until)
	q = when(q, f.Devices, "series_id IS NULL")
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("(reason ILIKE ? OR device_id IN (SELECT id FROM all_devices WHERE name ILIKE ?))", like, like)
	}
	return q
}

// One returns one change, or ErrNotFound.
func (s Transitions) One(ctx context.Context, id domain.ID) (domain.Transition, error) {
	var row transitionRow
	err := s.q(ctx).Take(&row, id).Error
	return toldOne(ctx, s.area, row.domain(), known(err), whyOfTransition)
}

// RibbonChange is a device's change of health, without its explanation.
type RibbonChange struct {
	DeviceID   int64
	PlaceID    int64 // of the device
	FromHealth string
	ToHealth   string
	At         time.Time
}

// Ribbons returns the changes of whole devices since a time, ordered by
// device and time; no ids mean all.
func (s Transitions) Ribbons(ctx context.Context, ids []domain.ID, since time.Time) ([]RibbonChange, error) {
	q := s.q(ctx).Table("transitions t").Joins("JOIN devices d ON d.id = t.device_id").
		Select("t.device_id, d.place_id, t.from_health, t.to_health, t.at").
		Where("t.series_id IS NULL AND t.at >= ?", since).Order("t.device_id, t.at, t.id")
	q = when(q, len(ids) > 0, "t.device_id = ANY(?::bigint[])", arrayOf(ids))
	var rows []RibbonChange
	err := q.Scan(&rows).Error
	return rows, err
}

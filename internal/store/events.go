package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Events are the stories of incidents.
type Events struct{ area }

type eventRow struct {
	ID         int64
	IncidentID int64
	At         time.Time
	Kind       string
	Level      domain.Level
	Text       string
	Detail     string
	By         string
	AlertID    *int64
	DeliveryID *int64
	Why        why.Trace `gorm:"serializer:json"`
}

func (eventRow) TableName() string { return "events" }

func (r eventRow) domain() domain.Event {
	return domain.Event{
		ID:         r.ID,
		IncidentID: r.IncidentID,
		At:         r.At.UTC(),
		Kind:       domain.EventKind(r.Kind),
		Level:      r.Level,
		Text:       r.Text,
		Detail:     r.Detail,
		By:         r.By,
		AlertID:    orZero(r.AlertID),
		DeliveryID: orZero(r.DeliveryID),
		Why:        r.Why,
	}
}

// Add appends to an incident's story.
func (s Events) Add(ctx context.Context, e domain.Event) (domain.Event, error) {
	row := eventRow{
		IncidentID: e.IncidentID,
		At:         e.At,
		Kind:       string(e.Kind),
		Level:      e.Level,
		Text:       e.Text,
		Detail:     e.Detail,
		By:         e.By,
		AlertID:    null(e.AlertID),
		DeliveryID: null(e.DeliveryID),
		Why:        e.Why,
	}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// One returns one entry of a story, or ErrNotFound.
func (s Events) One(ctx context.Context, id domain.ID) (domain.Event, error) {
	var row eventRow
	err := s.q(ctx).Take(&row, id).Error
	return toldOne(ctx, s.area, row.domain(), known(err), whyOfEvent)
}

// Of returns the story of an incident in the order of time.
func (s Events) Of(ctx context.Context, incidentID domain.ID) ([]domain.Event, error) {
	var rows []eventRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Order("at, id").Find(&rows).Error
	return told(ctx, s.area, each(rows, eventRow.domain), err, whyOfEvent)
}

package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"

	"gorm.io/gorm/clause"
)

// Tickets are what desks know of incidents.
type Tickets struct{ area }

type ticketRow struct {
	ID         int64
	IncidentID int64
	ChannelID  *int64
	Number     string
	URL        string
	State      string
	CreatedAt  time.Time
}

func (ticketRow) TableName() string { return "tickets" }

func (r ticketRow) domain() domain.Ticket {
	return domain.Ticket{
		ID:         r.ID,
		IncidentID: r.IncidentID,
		ChannelID:  orZero(r.ChannelID),
		Number:     r.Number,
		URL:        r.URL,
		State:      r.State,
		CreatedAt:  r.CreatedAt.UTC(),
	}
}

// Save records an incident's ticket, once.
func (s Tickets) Save(ctx context.Context, t domain.Ticket) error {
	row := ticketRow{
		IncidentID: t.IncidentID,
		ChannelID:  null(t.ChannelID),
		Number:     t.Number,
		URL:        t.URL,
		State:      t.State,
		CreatedAt:  t.CreatedAt,
	}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "incident_id"}}, DoNothing: true}).Create(&row).Error
}

// Of returns the ticket of an incident, or ErrNotFound.
func (s Tickets) Of(ctx context.Context, incidentID domain.ID) (domain.Ticket, error) {
	var row ticketRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Take(&row).Error
	return row.domain(), known(err)
}

// Find returns the newest tickets.
func (s Tickets) Find(ctx context.Context, f domain.TicketFilter) ([]domain.Ticket, int64, error) {
	q := s.q(ctx).Model(&ticketRow{})
	q = when(q, f.Incidents != nil, "incident_id IN ?", f.Incidents)
	q = when(q, f.State != "", "state = ?", f.State)
	q, total, err := s.pagedOr(ctx, q, nil, f.Page, "id DESC", f.Limit)
	if err != nil {
		return nil, 0, err
	}
	var rows []ticketRow
	err = q.Find(&rows).Error
	return each(rows, ticketRow.domain), total, err
}

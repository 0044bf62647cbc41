package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

type incidentRow struct {
	ID             int64
	DeviceID       int64
	Cause          string
	Title          string
	Level          domain.Level
	State          string
	OpenedAt       time.Time
	EpisodeAt      time.Time
	AcknowledgedAt *time.Time
	AcknowledgedBy string
	RecoveredAt    *time.Time
	ResolvedAt     *time.Time
	ResolvedBy     string
	Reopened       int
	Why            why.Trace `gorm:"serializer:json"`
}

func (incidentRow) TableName() string { return "incidents" }

func (r incidentRow) domain() domain.Incident {
	return domain.Incident{ID: r.ID, DeviceID: r.DeviceID, Cause: r.Cause, Title: r.Title, Level: r.Level, State: domain.IncidentState(r.State),
		OpenedAt: r.OpenedAt.UTC(), EpisodeAt: r.EpisodeAt.UTC(), AcknowledgedAt: orNever(r.AcknowledgedAt), AcknowledgedBy: r.AcknowledgedBy,
		RecoveredAt: orNever(r.RecoveredAt), ResolvedAt: orNever(r.ResolvedAt), ResolvedBy: r.ResolvedBy, Reopened: r.Reopened, Why: r.Why}
}

// SaveIncident inserts an incident, or changes one that has an id.
func (s *Store) SaveIncident(ctx context.Context, in domain.Incident) (domain.Incident, error) {
	row := incidentRow{in.ID, in.DeviceID, in.Cause, in.Title, in.Level, string(in.State), in.OpenedAt, in.EpisodeAt, moment(in.AcknowledgedAt), in.AcknowledgedBy,
		moment(in.RecoveredAt), moment(in.ResolvedAt), in.ResolvedBy, in.Reopened, in.Why}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// Incident returns one incident, or ErrNotFound. Within a transaction it is
// locked until the end.
func (s *Store) Incident(ctx context.Context, id domain.ID) (domain.Incident, error) {
	var row incidentRow
	err := s.q(ctx).Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error
	return row.domain(), known(err)
}

// IncidentsOfCause returns the newest incidents of one device and cause.
func (s *Store) IncidentsOfCause(ctx context.Context, deviceID domain.ID, cause string) ([]domain.Incident, error) {
	var rows []incidentRow
	err := s.q(ctx).Where("device_id = ? AND cause = ?", deviceID, cause).Order("opened_at DESC").Limit(10).Find(&rows).Error
	return each(rows, incidentRow.domain), err
}

// IncidentFilter picks incidents; zero fields do not filter.
type IncidentFilter struct {
	States   []domain.IncidentState
	AtLeast  domain.Level
	DeviceID domain.ID
	Search   string
	Sort     string // opened, level, device; with a leading "-" downwards
	Limit    int
	Offset   int
}

var incidentOrder = map[string]string{
	"opened": "opened_at", "-opened": "opened_at DESC", "level": "level, opened_at DESC", "-level": "level DESC, opened_at DESC",
	"title": "title", "-title": "title DESC", "state": "state, opened_at DESC", "-state": "state DESC, opened_at DESC",
}

// Incidents returns incidents, newest first unless sorted otherwise, and how many match in all.
func (s *Store) Incidents(ctx context.Context, f IncidentFilter) ([]domain.Incident, int64, error) {
	order, ok := incidentOrder[f.Sort]
	if !ok {
		order = "opened_at DESC"
	}
	q := s.q(ctx).Model(&incidentRow{})
	q = when(q, len(f.States) > 0, "state IN ?", f.States)
	q = when(q, f.AtLeast > 0, "level >= ?", int(f.AtLeast))
	q = when(q, f.DeviceID != 0, "device_id = ?", f.DeviceID)
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("title ILIKE ? OR device_id IN (SELECT id FROM devices WHERE name ILIKE ?)", like, like)
	}
	var total int64
	if err := q.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	if f.Limit > 0 {
		q = q.Limit(f.Limit).Offset(f.Offset)
	}
	var rows []incidentRow
	err := q.Order(order + ", id DESC").Find(&rows).Error
	return each(rows, incidentRow.domain), total, err
}

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
	return domain.Alert{ID: r.ID, RuleID: orZero(r.RuleID), SeriesID: r.SeriesID, DeviceID: r.DeviceID, IncidentID: r.IncidentID, Level: r.Level, Cause: r.Cause,
		Title: r.Title, FirstBadAt: r.FirstBadAt.UTC(), OpenedAt: r.OpenedAt.UTC(), EndedAt: orNever(r.EndedAt), Value: r.Value, Limit: r.LimitValue, Unit: r.Unit, Why: r.Why}
}

// SaveAlert inserts an alert, or changes one that has an id.
func (s *Store) SaveAlert(ctx context.Context, a domain.Alert) (domain.Alert, error) {
	row := alertRow{a.ID, null(a.RuleID), a.SeriesID, a.DeviceID, a.IncidentID, a.Level, a.Cause, a.Title, a.FirstBadAt, a.OpenedAt, moment(a.EndedAt), a.Value, a.Limit, a.Unit, a.Why}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// OpenAlert returns the lasting alert of a rule on a series, or ErrNotFound.
func (s *Store) OpenAlert(ctx context.Context, ruleID, seriesID domain.ID) (domain.Alert, error) {
	var row alertRow
	err := s.q(ctx).Where("rule_id = ? AND series_id = ? AND ended_at IS NULL", ruleID, seriesID).Take(&row).Error
	return row.domain(), known(err)
}

// Alert returns one alert, or ErrNotFound.
func (s *Store) Alert(ctx context.Context, id domain.ID) (domain.Alert, error) {
	var row alertRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// AlertsOf returns the alerts of an incident in the order of time.
func (s *Store) AlertsOf(ctx context.Context, incidentID domain.ID) ([]domain.Alert, error) {
	var rows []alertRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Order("opened_at, id").Find(&rows).Error
	return each(rows, alertRow.domain), err
}

// Alerts returns alerts, newest first; open tells whether only lasting ones are wanted.
func (s *Store) Alerts(ctx context.Context, deviceID domain.ID, open bool, limit int) ([]domain.Alert, error) {
	q := s.q(ctx).Order("opened_at DESC, id DESC").Limit(limit)
	q = when(q, deviceID != 0, "device_id = ?", deviceID)
	q = when(q, open, "ended_at IS NULL")
	var rows []alertRow
	err := q.Find(&rows).Error
	return each(rows, alertRow.domain), err
}

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
	return domain.Event{ID: r.ID, IncidentID: r.IncidentID, At: r.At.UTC(), Kind: domain.EventKind(r.Kind), Level: r.Level, Text: r.Text, Detail: r.Detail,
		By: r.By, AlertID: orZero(r.AlertID), DeliveryID: orZero(r.DeliveryID), Why: r.Why}
}

// AddEvent appends to an incident's story.
func (s *Store) AddEvent(ctx context.Context, e domain.Event) (domain.Event, error) {
	row := eventRow{0, e.IncidentID, e.At, string(e.Kind), e.Level, e.Text, e.Detail, e.By, null(e.AlertID), null(e.DeliveryID), e.Why}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// Event returns one entry of a story, or ErrNotFound.
func (s *Store) Event(ctx context.Context, id domain.ID) (domain.Event, error) {
	var row eventRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// EventsOf returns the story of an incident in the order of time.
func (s *Store) EventsOf(ctx context.Context, incidentID domain.ID) ([]domain.Event, error) {
	var rows []eventRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Order("at, id").Find(&rows).Error
	return each(rows, eventRow.domain), err
}

type planRow struct {
	ID      int64
	Name    string
	Enabled bool
	Steps   []plan.Step `gorm:"serializer:json"`
}

func (planRow) TableName() string { return "plans" }

func (r planRow) domain() plan.Plan {
	return plan.Plan{ID: r.ID, Name: r.Name, Enabled: r.Enabled, Steps: r.Steps}
}

// Plans returns the response plans.
func (s *Store) Plans(ctx context.Context) ([]plan.Plan, error) {
	var rows []planRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, planRow.domain), err
}

// SavePlan inserts a plan, or changes one that has an id.
func (s *Store) SavePlan(ctx context.Context, p plan.Plan) (plan.Plan, error) {
	row := planRow{p.ID, p.Name, p.Enabled, append([]plan.Step{}, p.Steps...)}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

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
	return domain.Ticket{ID: r.ID, IncidentID: r.IncidentID, ChannelID: orZero(r.ChannelID), Number: r.Number, URL: r.URL, State: r.State, CreatedAt: r.CreatedAt.UTC()}
}

// SaveTicket records an incident's ticket, once.
func (s *Store) SaveTicket(ctx context.Context, t domain.Ticket) error {
	row := ticketRow{0, t.IncidentID, null(t.ChannelID), t.Number, t.URL, t.State, t.CreatedAt}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "incident_id"}}, DoNothing: true}).Create(&row).Error
}

// TicketOf returns the ticket of an incident, or ErrNotFound.
func (s *Store) TicketOf(ctx context.Context, incidentID domain.ID) (domain.Ticket, error) {
	var row ticketRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Take(&row).Error
	return row.domain(), known(err)
}

// Tickets returns the newest tickets.
func (s *Store) Tickets(ctx context.Context, incidentIDs []domain.ID, limit int) ([]domain.Ticket, error) {
	q := s.q(ctx).Order("id DESC").Limit(limit)
	q = when(q, incidentIDs != nil, "incident_id IN ?", incidentIDs)
	var rows []ticketRow
	err := q.Find(&rows).Error
	return each(rows, ticketRow.domain), err
}

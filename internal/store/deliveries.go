package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Deliveries are the outbox.
type Deliveries struct{ area }

type deliveryRow struct {
	ID         int64
	IncidentID int64
	Plan       string
	Step       string
	Event      string
	Level      domain.Level
	Kind       string
	ChannelID  *int64
	Recipient  string
	Subject    string
	Body       string
	State      string
	Attempts   int
	Error      string
	Outcome    string
	CreatedAt  time.Time
	NextTryAt  time.Time
	DoneAt     *time.Time
	Why        why.Trace `gorm:"serializer:json"`
}

func (deliveryRow) TableName() string { return "deliveries" }

func (r deliveryRow) domain() domain.Delivery {
	return domain.Delivery{ID: r.ID, IncidentID: r.IncidentID, Plan: r.Plan, Step: r.Step, Event: domain.EventKind(r.Event), Level: r.Level,
		Kind: domain.DeliveryKind(r.Kind), ChannelID: orZero(r.ChannelID), Recipient: r.Recipient, Subject: r.Subject, Body: r.Body,
		State: domain.DeliveryState(r.State), Attempts: r.Attempts, Error: r.Error, Outcome: r.Outcome, CreatedAt: r.CreatedAt.UTC(),
		NextTryAt: r.NextTryAt.UTC(), DoneAt: orNever(r.DoneAt), Why: r.Why}
}

// Add puts a delivery into the outbox; call it within the
// transaction of the change that causes it.
func (s Deliveries) Add(ctx context.Context, d domain.Delivery) (domain.Delivery, error) {
	row := deliveryRow{
		IncidentID: d.IncidentID,
		Plan:       d.Plan,
		Step:       d.Step,
		Event:      string(d.Event),
		Level:      d.Level,
		Kind:       string(d.Kind),
		ChannelID:  null(d.ChannelID),
		Recipient:  d.Recipient,
		Subject:    d.Subject,
		Body:       d.Body,
		State:      string(domain.DeliveryWaiting),
		CreatedAt:  d.CreatedAt,
		NextTryAt:  d.CreatedAt,
		Why:        d.Why,
	}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// due is what may be delivered at a time: at once what was not tried yet, whatever
// the clock showed then; notes wait for the ticket that they belong to. It takes the time twice, and what is under way.
const due = `d.state = 'waiting' AND (d.attempts = 0 OR d.next_try_at <= ?)
AND (d.lease_until IS NULL OR d.lease_until < ?) AND d.id <> ALL(?::bigint[])
	AND (d.kind <> 'note' OR EXISTS (SELECT 1 FROM tickets t WHERE t.incident_id = d.incident_id))`

// Due returns the channels that something is due for, apart from what is under
// way; 0 for what lost its channel.
func (s Deliveries) Due(ctx context.Context, now time.Time, underWay []domain.ID) (channels []domain.ID, err error) {
	err = s.q(ctx).
		Raw("SELECT DISTINCT coalesce(d.channel_id, 0) FROM deliveries d WHERE "+due, now, now, arrayOf(underWay)).
		Scan(&channels).
		Error
	return channels, err
}

// Claim takes deliveries of a channel that are due, for as long as the lease
// lasts; another worker gets them after that if nothing was reported.
func (s Deliveries) Claim(
	ctx context.Context,
	channel domain.ID,
	now time.Time,
	lease time.Duration,
	limit int,
	underWay []domain.ID,
) ([]domain.Delivery, error) {
	var rows []deliveryRow
	err := s.q(ctx).Raw(`UPDATE deliveries SET lease_until = ?, attempts = attempts + 1 WHERE id IN (
		SELECT d.id FROM deliveries d WHERE coalesce(d.channel_id, 0) = ? AND `+due+`
		ORDER BY d.next_try_at, d.id LIMIT ?
FOR UPDATE SKIP LOCKED) RETURNING *`,
		now.Add(lease), channel, now, now, arrayOf(underWay), limit).Scan(&rows).Error
	return each(rows, deliveryRow.domain), err
}

// Renew lets the leases of deliveries last until a time.
func (s Deliveries) Renew(ctx context.Context, ids []domain.ID, until time.Time) error {
	return s.q(ctx).
		Exec("UPDATE deliveries SET lease_until = ? WHERE state = 'waiting' AND id = ANY(?::bigint[])", until, arrayOf(ids)).
		Error
}

// Free ends all leases: whoever had them is gone. Only the one application that
// delivers may call it, when it begins.
func (s Deliveries) Free(ctx context.Context) error {
	return s.q(ctx).Exec("UPDATE deliveries SET lease_until = NULL WHERE state = 'waiting' AND lease_until IS NOT NULL").Error
}

// Shift moves the times at which deliveries are tried again by the time by which
// the clock was set.
func (s Deliveries) Shift(ctx context.Context, by time.Duration) error {
	return s.q(ctx).
		Exec("UPDATE deliveries SET next_try_at = next_try_at + make_interval(secs => ?) WHERE state = 'waiting' AND "+
			"attempts > 0", by.Seconds()).
		Error
}

// Lock returns one delivery, or ErrNotFound, and keeps others from changing it
// until the transaction ends.
func (s Deliveries) Lock(ctx context.Context, id domain.ID) (domain.Delivery, error) {
	var row deliveryRow
	err := s.q(ctx).Clauses(forUpdate).Take(&row, id).Error
	return row.domain(), known(err)
}

// Finish records the outcome of an attempt and ends the lease.
func (s Deliveries) Finish(ctx context.Context, d domain.Delivery) error {
	return must(s.q(ctx).Table("deliveries").Where("id = ?", d.ID).Updates(map[string]any{
		"state": string(
			d.State,
		), "error": d.Error, "outcome": d.Outcome, "next_try_at": d.NextTryAt, "done_at": moment(d.DoneAt), "lease_until": nil}))
}

// One returns one delivery, or ErrNotFound.
func (s Deliveries) One(ctx context.Context, id domain.ID) (domain.Delivery, error) {
	var row deliveryRow
	err := s.q(ctx).Take(&row, id).Error
	return toldOne(ctx, s.area, row.domain(), known(err), whyOfDelivery)
}

// Of returns all deliveries of an incident in the order of time.
func (s Deliveries) Of(ctx context.Context, incidentID domain.ID) ([]domain.Delivery, error) {
	var rows []deliveryRow
	err := s.q(ctx).Where("incident_id = ?", incidentID).Order("created_at, id").Find(&rows).Error
	return told(ctx, s.area, each(rows, deliveryRow.domain), err, whyOfDelivery)
}

// Find returns the newest deliveries, of one state or of all for "".
func (s Deliveries) Find(ctx context.Context, f domain.DeliveryFilter) ([]domain.Delivery, int64, error) {
	q := s.q(ctx).Model(&deliveryRow{})
	q = when(q, f.State != "", "state = ?", string(f.State))
	q = when(q, f.IncidentID != 0, "incident_id = ?", f.IncidentID)
	q, total, err := s.pagedOr(ctx, q, nil, f.Page, "id DESC", f.Limit)
	if err != nil {
		return nil, 0, err
	}
	var rows []deliveryRow
	err = q.Offset(f.Offset).Find(&rows).Error
	out, err := told(ctx, s.area, each(rows, deliveryRow.domain), err, whyOfDelivery)
	return out, total, err
}

// CountFailed counts those that failed for good since a time.
func (s Deliveries) CountFailed(ctx context.Context, since time.Time) (n int64, err error) {
	err = s.q(ctx).Table("deliveries").Where("state = 'failed' AND done_at > ?", since).Count(&n).Error
	return n, err
}

// Retry makes a delivery that failed for good due again.
func (s Deliveries) Retry(ctx context.Context, id domain.ID, now time.Time) error {
	return must(
		s.q(ctx).
			Table("deliveries").
			Where("id = ? AND state = 'failed'", id).
			Updates(map[string]any{"state": "waiting", "next_try_at": now, "done_at": nil}),
	)
}

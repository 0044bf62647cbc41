package store

import (
	"context"
	"encoding/json"
	"strconv"
	"time"

	"gorm.io/gorm"

	"tirelessowl/internal/domain"
)

// Audit is what was changed or refused, and by whom. Rows are added; the database
// itself refuses to change them.
type Audit struct{ area }

type auditRow struct {
	ID        int64
	At        time.Time
	ActorKind string
	ActorID   int64
	Actor     string
	Origin    string
	Act       string
	Refused   bool
	Kind      string
	ThingID   int64
	Thing     string
	PlaceID   *int64
	Before    *json.RawMessage `gorm:"serializer:json"`
	After     *json.RawMessage `gorm:"serializer:json"`
	Reason    string
	// ChangeSetID is the set of changes that it belongs to.
	ChangeSetID *int64
}

func (auditRow) TableName() string { return "audit" }

func (r auditRow) domain() domain.Entry {
	return domain.Entry{
		ID:        r.ID,
		At:        r.At.UTC(),
		ActorKind: r.ActorKind,
		ActorID:   r.ActorID,
		Actor:     r.Actor,
		Origin:    r.Origin,
		Act:       r.Act,
		Refused:   r.Refused,
		Kind:      r.Kind,
		ThingID:   r.ThingID,
		Thing:     r.Thing,
		PlaceID:   orZero(r.PlaceID),
		Before:    rawOf(r.Before),
		After:     rawOf(r.After),
		Reason:    r.Reason,
		ChangeSet: orZero(r.ChangeSetID),
	}
}

func rawOf(r *json.RawMessage) json.RawMessage {
	if r == nil {
		return nil
	}
	return *r
}

func orNull(r json.RawMessage) *json.RawMessage {
	if len(r) == 0 {
		return nil
	}
	return &r
}

// Add notes what was done or refused.
func (s Audit) Add(ctx context.Context, entries ...domain.Entry) error {
	if len(entries) == 0 {
		return nil
	}
	rows := make([]auditRow, len(entries))
	for i, e := range entries {
		rows[i] = auditRow{
			At:        e.At,
			ActorKind: e.ActorKind,
			ActorID:   e.ActorID,
			Actor:     e.Actor,
			Origin:    e.Origin,
			Act:       e.Act,
			Refused:   e.Refused,
			Kind:      e.Kind,
			ThingID:   e.ThingID,
			Thing:     e.Thing,
			PlaceID:   null(e.PlaceID),
			Before:    orNull(e.Before),
			After:     orNull(e.After),
			Reason:    e.Reason,

			ChangeSetID: null(e.ChangeSet),
		}
	}
	return s.q(ctx).CreateInBatches(&rows, 1000).Error
}

// Find returns what was noted, the newest first.
func (s Audit) Find(ctx context.Context, f domain.EntryFilter) ([]domain.Entry, error) {
	q := s.q(ctx).Order("id DESC").Limit(f.Limit).Offset(f.Offset)
	q = entriesOf(q, f)
	var rows []auditRow
	err := q.Find(&rows).Error
	return each(rows, auditRow.domain), err
}

// Page returns a page of what was noted, and how much there is in all.
func (s Audit) Page(ctx context.Context, f domain.EntryFilter) ([]domain.Entry, int64, error) {
	q, total, err := s.paged(ctx, entriesOf(s.q(ctx).Model(&auditRow{}), f), "id", nil, *f.Page)
	if err != nil {
		return nil, 0, err
	}
	var rows []auditRow
	err = q.Find(&rows).Error
	return each(rows, auditRow.domain), total, err
}

// One returns an entry, or ErrNotFound.
func (s Audit) One(ctx context.Context, id domain.ID) (domain.Entry, error) {
	var row auditRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

func entriesOf(q *gorm.DB, f domain.EntryFilter) *gorm.DB {
	q = when(q, f.Kind != "", "kind = ?", f.Kind)
	q = when(q, f.ThingID != 0, "thing_id = ?", f.ThingID)
	q = when(q, f.ActorKind != "", "actor_kind = ?", f.ActorKind)
	q = when(q, f.ActorID != 0, "actor_id = ?", f.ActorID)
	q = when(q, f.Act != "", "act = ?", f.Act)
	q = when(q, f.Refused, "refused")
	q = when(q, f.ChangeSet != 0, "change_set_id = ?", f.ChangeSet)
	q = when(q, !f.From.IsZero(), "at >= ?", f.From)
	q = when(q, !f.Until.IsZero(), "at < ?", f.Until)
	q = when(q, f.Before != 0, "id < ?", f.Before)
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("concat_ws(' ', actor, act, thing, reason, origin, before::text, after::text) ILIKE ?", like)
	}
	return q
}

// Acts are the names of all that was ever done.
func (s Audit) Acts(ctx context.Context) (out []string, err error) {
	// Each name is found by the one before it: there are few among many rows.
	return out, s.q(ctx).Raw(`WITH RECURSIVE a AS (
		(SELECT act FROM audit ORDER BY act LIMIT 1)
		UNION ALL SELECT (SELECT n.act FROM audit n WHERE n.act > a.act ORDER BY n.act LIMIT 1) FROM a WHERE a.act IS NOT NULL)
		SELECT act FROM a WHERE act IS NOT NULL`).Scan(&out).Error
}

// The limits of how long entries are kept, in days.
const (
	LeastAuditDays = 30
	MostAuditDays  = 3650
	UsualAuditDays = 400
)

const auditDays = "audit.days"

// Days is for how many days entries are kept.
func (s Audit) Days(ctx context.Context) (int, error) {
	text, err := Settings(s).Get(ctx, auditDays)
	if err != nil || text == "" {
		return UsualAuditDays, err
	}
	return strconv.Atoi(text)
}

// SetDays sets for how many days entries are kept.
func (s Audit) SetDays(ctx context.Context, days int) error {
	return Settings(s).Set(ctx, auditDays, strconv.Itoa(days))
}

// Older counts the entries that are older than so many days, by the clock of the
// database, and tells since when the oldest of all is there; zero without any.
func (s Audit) Older(ctx context.Context, days int) (count int64, oldest time.Time, err error) {
	var row struct {
		Count  int64
		Oldest *time.Time
	}
	err = s.q(ctx).Raw(`SELECT (SELECT count(*) FROM audit WHERE at < now() - make_interval(days => ?)) AS count,
		(SELECT min(at) FROM audit) AS oldest`, days).Scan(&row).Error
	return row.Count, orNever(row.Oldest), err
}

// dropBatch bounds how many entries one statement removes, so that it ends soon.
const dropBatch = 10_000

// Drop removes what was noted longer ago than is kept: the setting audit.days, 400
// where it was never set and at least 30. By the clock of the database, whose trigger
// lets nothing younger go. It returns how many entries went.
func (s Audit) Drop(ctx context.Context) (gone int64, err error) {
	for {
		res := s.q(ctx).Exec(`DELETE FROM audit WHERE id IN (SELECT id FROM audit
			WHERE at < now() - make_interval(
				days => greatest(30, coalesce((SELECT value::int FROM settings WHERE key = 'audit.days'), 400)))
			ORDER BY at LIMIT ?)`, dropBatch)
		gone += res.RowsAffected
		if res.Error != nil || res.RowsAffected < dropBatch {
			return gone, res.Error
		}
	}
}

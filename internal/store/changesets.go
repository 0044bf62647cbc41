package store

import (
	"context"
	"encoding/json"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// ChangeSets are changes that are made together.
type ChangeSets struct{ area }

type changeSetRow struct {
	ID         int64
	Name       string
	Reason     string
	State      domain.ChangeState
	AuthorKind string
	AuthorID   int64
	Author     string
	Edits      []domain.Edit    `gorm:"serializer:json"`
	Effect     *json.RawMessage `gorm:"serializer:json"`
	RollsBack  *int64
	CreatedAt  time.Time
	AppliedAt  *time.Time
	AppliedBy  string
	Version    int
	RolledBack *int64 `gorm:"->;-:migration"`
	Count      int    `gorm:"->;-:migration"`
}

func (changeSetRow) TableName() string { return "change_sets" }

func (r changeSetRow) domain() domain.ChangeSet {
	return domain.ChangeSet{
		ID:         r.ID,
		Name:       r.Name,
		Reason:     r.Reason,
		State:      r.State,
		AuthorKind: r.AuthorKind,
		AuthorID:   r.AuthorID,
		Author:     r.Author,
		Edits:      r.Edits,
		Count:      max(r.Count, len(r.Edits)),
		Effect:     rawOf(r.Effect),
		RollsBack:  orZero(r.RollsBack),
		RolledBack: orZero(r.RolledBack),
		CreatedAt:  r.CreatedAt.UTC(),
		AppliedAt:  orNever(r.AppliedAt),
		AppliedBy:  r.AppliedBy,
		Version:    r.Version,
	}
}

// withEnd adds which set took one back last, unless that was taken back itself.
const withEnd = "change_sets.*, " + end

const end = `(SELECT max(b.id) FROM change_sets b WHERE b.rolls_back = change_sets.id AND b.state = 'applied'
	AND NOT EXISTS (SELECT FROM change_sets c WHERE c.rolls_back = b.id AND c.state = 'applied')) AS rolled_back`

// briefly leaves out the edits, which may be megabytes.
const briefly = `id, name, reason, state, author_kind, author_id, author, effect, rolls_back, created_at, applied_at, applied_by, version,
	jsonb_array_length(edits) AS count, ` + end

// All returns all of them, the newest first, without their edits.
func (s ChangeSets) All(ctx context.Context) ([]domain.ChangeSet, error) {
	var rows []changeSetRow
	err := s.q(ctx).Select(briefly).Order("id DESC").Find(&rows).Error
	return each(rows, changeSetRow.domain), err
}

// By returns those that somebody gathers or has applied, the newest first, without their edits.
func (s ChangeSets) By(ctx context.Context, kind string, id domain.ID) ([]domain.ChangeSet, error) {
	var rows []changeSetRow
	err := s.q(ctx).Select(briefly).Where("author_kind = ? AND author_id = ?", kind, id).Order("id DESC").Find(&rows).Error
	return each(rows, changeSetRow.domain), err
}

// Draft returns the newest that somebody gathers, or ErrNotFound.
func (s ChangeSets) Draft(ctx context.Context, kind string, id domain.ID) (domain.ChangeSet, error) {
	var row changeSetRow
	err := s.q(ctx).Where("state = ? AND author_kind = ? AND author_id = ?", domain.Gathering, kind, id).Order("id DESC").Take(&row).Error
	return row.domain(), known(err)
}

// One returns one, or ErrNotFound.
func (s ChangeSets) One(ctx context.Context, id domain.ID) (domain.ChangeSet, error) {
	var row changeSetRow
	err := s.q(ctx).Select(withEnd).Take(&row, id).Error
	return row.domain(), known(err)
}

// Lock is One for who changes it; nobody else does until the end of the transaction.
func (s ChangeSets) Lock(ctx context.Context, id domain.ID) (domain.ChangeSet, error) {
	var row changeSetRow
	err := s.q(ctx).Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error
	if err != nil {
		return domain.ChangeSet{}, known(err)
	}
	return s.One(ctx, id)
}

// Save stores one that is new, or changes one that has an id.
func (s ChangeSets) Save(ctx context.Context, c domain.ChangeSet) (domain.ChangeSet, error) {
	row := changeSetRow{
		ID:         c.ID,
		Name:       c.Name,
		Reason:     c.Reason,
		State:      c.State,
		AuthorKind: c.AuthorKind,
		AuthorID:   c.AuthorID,
		Author:     c.Author,
		Edits:      c.Edits,
		Effect:     orNull(c.Effect),
		RollsBack:  null(c.RollsBack),
		CreatedAt:  c.CreatedAt,
		AppliedAt:  moment(c.AppliedAt),
		AppliedBy:  c.AppliedBy,
		Version:    c.Version + 1,
	}
	if row.Edits == nil {
		row.Edits = []domain.Edit{}
	}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// Remove takes one away that was not applied.
func (s ChangeSets) Remove(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Where("state = ?", domain.Gathering).Delete(&changeSetRow{}, id).Error
}

package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Users are people.
type Users struct{ area }

type userRow struct {
	ID        int64
	Name      string
	Display   string
	PlaceID   *int64
	Locked    bool
	RemovedAt *time.Time
	CreatedAt time.Time
	SeenAt    *time.Time
	Version   int
	Hash      string
}

func (userRow) TableName() string { return "users" }

func (r userRow) domain() domain.User {
	return domain.User{
		ID:        r.ID,
		Name:      r.Name,
		Display:   r.Display,
		PlaceID:   orZero(r.PlaceID),
		Locked:    r.Locked,
		RemovedAt: orNever(r.RemovedAt),
		CreatedAt: r.CreatedAt.UTC(),
		SeenAt:    orNever(r.SeenAt),
		Version:   r.Version,
		Hash:      r.Hash,
	}
}

// ByName returns a user who was not removed, or ErrNotFound.
func (s Users) ByName(ctx context.Context, name string) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Where("name = ? AND removed_at IS NULL", name).Take(&row).Error
	return row.domain(), known(err)
}

// One returns a user who was not removed, or ErrNotFound.
func (s Users) One(ctx context.Context, id domain.ID) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Where("removed_at IS NULL").Take(&row, id).Error
	return row.domain(), known(err)
}

// All returns everybody who was not removed, by name.
func (s Users) All(ctx context.Context) ([]domain.User, error) {
	var rows []userRow
	err := s.q(ctx).Where("removed_at IS NULL").Order("name").Find(&rows).Error
	return each(rows, userRow.domain), err
}

// Add inserts a user, or returns ErrConflict where somebody has the name.
func (s Users) Add(ctx context.Context, u domain.User) (domain.User, error) {
	row := userRow{Name: u.Name, Display: u.Display, PlaceID: null(u.PlaceID), Hash: u.Hash, CreatedAt: u.CreatedAt, Version: 1}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// Update changes what is known of a person, whose version it must be.
func (s Users) Update(ctx context.Context, u domain.User) error {
	return same(s.q(ctx).Exec(`UPDATE users SET display = ?, place_id = ?, locked = ?, removed_at = ?, hash = ?, version = version + 1
		WHERE id = ? AND version = ? AND removed_at IS NULL`,
		u.Display, null(u.PlaceID), u.Locked, moment(u.RemovedAt), u.Hash, u.ID, u.Version))
}

// Seen notes that a person signed in.
func (s Users) Seen(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Exec("UPDATE users SET seen_at = ? WHERE id = ?", at, id).Error
}

// Count returns how many users there are.
func (s Users) Count(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Table("users").Where("removed_at IS NULL").Count(&n).Error
}

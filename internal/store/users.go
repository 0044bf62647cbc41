package store

import (
	"context"

	"tirelessowl/internal/domain"

	"gorm.io/gorm/clause"
)

// Users are people.
type Users struct{ area }

type userRow struct {
	ID      int64
	Name    string
	Display string
	Level   string
	Hash    string
}

func (userRow) TableName() string { return "users" }

func (r userRow) domain() domain.User {
	return domain.User{ID: r.ID, Name: r.Name, Display: r.Display, Level: domain.Access(r.Level), Hash: r.Hash}
}

// ByName returns a user, or ErrNotFound.
func (s Users) ByName(ctx context.Context, name string) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Where("name = ?", name).Take(&row).Error
	return row.domain(), known(err)
}

// One returns a user, or ErrNotFound.
func (s Users) One(ctx context.Context, id domain.ID) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Save inserts a user, or replaces the one of the same name.
func (s Users) Save(ctx context.Context, u domain.User) error {
	row := userRow{Name: u.Name, Display: u.Display, Level: string(u.Level), Hash: u.Hash}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "name"}}, DoUpdates: clause.AssignmentColumns([]string{"display", "level", "hash"})}).Create(&row).Error
}

// Count returns how many users there are.
func (s Users) Count(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Table("users").Count(&n).Error
}

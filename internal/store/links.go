package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Links let people set a password once; a person has one at most.
type Links struct{ area }

type linkRow struct {
	Hash   []byte
	UserID int64
	EndsAt time.Time
}

func (linkRow) TableName() string { return "links" }

// Set makes a link that of a person, in the place of one before.
func (s Links) Set(ctx context.Context, user domain.ID, hash []byte, ends time.Time) error {
	row := linkRow{hash, user, ends}
	upsert := clause.OnConflict{Columns: []clause.Column{{Name: "user_id"}}, UpdateAll: true}
	return s.q(ctx).Clauses(upsert).Create(&row).Error
}

// User returns whose link has a hash, or ErrNotFound where there is none that holds.
func (s Links) User(ctx context.Context, hash []byte, now time.Time) (domain.ID, error) {
	var row linkRow
	err := s.q(ctx).Where("hash = ? AND ends_at > ?", hash, now).Take(&row).Error
	return row.UserID, known(err)
}

// Until returns until when a person's link holds; zero where there is none.
func (s Links) Until(ctx context.Context, user domain.ID, now time.Time) (time.Time, error) {
	var rows []linkRow
	err := s.q(ctx).Where("user_id = ? AND ends_at > ?", user, now).Find(&rows).Error
	if err != nil || len(rows) == 0 {
		return time.Time{}, err
	}
	return rows[0].EndsAt.UTC(), nil
}

// Drop takes the link of a person back, and tells whether there was one.
func (s Links) Drop(ctx context.Context, user domain.ID) (bool, error) {
	res := s.q(ctx).Where("user_id = ?", user).Delete(&linkRow{})
	return res.RowsAffected > 0, res.Error
}

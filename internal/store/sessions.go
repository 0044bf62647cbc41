package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"
)

// Sessions are those of people who are signed in, as the library for sessions
// wants to store them. What is asked without a context gives up after a while.
type Sessions struct{ area }

type sessionRow struct {
	Token  string `gorm:"primaryKey"`
	Data   []byte
	Expiry time.Time
}

func (sessionRow) TableName() string { return "sessions" }

// FindCtx returns the data of a session; exists is false when there is none, or
// when it has expired.
func (s Sessions) FindCtx(ctx context.Context, token string) (data []byte, exists bool, err error) {
	var rows []sessionRow
	err = s.q(ctx).Where("token = ? AND expiry > ?", token, time.Now().UTC()).Limit(1).Find(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, false, err
	}
	return rows[0].Data, true, nil
}

// CommitCtx stores the data of a session.
func (s Sessions) CommitCtx(ctx context.Context, token string, data []byte, expiry time.Time) error {
	row := sessionRow{token, data, expiry.UTC()}
	return s.q(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

// DeleteCtx ends a session.
func (s Sessions) DeleteCtx(ctx context.Context, token string) error {
	return s.q(ctx).Delete(&sessionRow{Token: token}).Error
}

// Drop removes the sessions that have expired.
func (s Sessions) Drop(ctx context.Context, now time.Time) error {
	return s.q(ctx).Where("expiry < ?", now).Delete(&sessionRow{}).Error
}

// sessionPatience is how long the calls without a context wait.
const sessionPatience = 5 * time.Second

// Find is FindCtx.
func (s Sessions) Find(token string) ([]byte, bool, error) {
	ctx, cancel := context.WithTimeout(context.Background(), sessionPatience)
	defer cancel()
	return s.FindCtx(ctx, token)
}

// Commit is CommitCtx.
func (s Sessions) Commit(token string, data []byte, expiry time.Time) error {
	ctx, cancel := context.WithTimeout(context.Background(), sessionPatience)
	defer cancel()
	return s.CommitCtx(ctx, token, data, expiry)
}

// Delete is DeleteCtx.
func (s Sessions) Delete(token string) error {
	ctx, cancel := context.WithTimeout(context.Background(), sessionPatience)
	defer cancel()
	return s.DeleteCtx(ctx, token)
}

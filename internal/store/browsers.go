package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Browsers are those that people trust.
type Browsers struct{ area }

type browserRow struct {
	ID     int64
	UserID int64
	Hash   []byte
	Agent  string
	Since  time.Time
	UsedAt time.Time
	EndsAt time.Time
}

func (browserRow) TableName() string { return "browsers" }

func (r browserRow) domain() domain.Browser {
	return domain.Browser{
		ID:     r.ID,
		UserID: r.UserID,
		Agent:  r.Agent,
		Since:  r.Since.UTC(),
		UsedAt: r.UsedAt.UTC(),
		EndsAt: r.EndsAt.UTC(),
	}
}

// Add notes that a person trusts a browser, which keeps a key with the given hash.
func (s Browsers) Add(ctx context.Context, b domain.Browser, hash []byte) (domain.Browser, error) {
	row := browserRow{UserID: b.UserID, Hash: hash, Agent: b.Agent, Since: b.Since, UsedAt: b.UsedAt, EndsAt: b.EndsAt}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// ByKey returns the browser that a person trusts and that keeps the key with the given
// hash, or ErrNotFound.
func (s Browsers) ByKey(ctx context.Context, user domain.ID, hash []byte, now time.Time) (domain.Browser, error) {
	var row browserRow
	err := s.q(ctx).Where("user_id = ? AND hash = ? AND ends_at > ?", user, hash, now).Take(&row).Error
	return row.domain(), known(err)
}

// Of returns the browsers that a person trusts, the one used last first.
func (s Browsers) Of(ctx context.Context, user domain.ID, now time.Time) ([]domain.Browser, error) {
	var rows []browserRow
	err := s.q(ctx).Where("user_id = ? AND ends_at > ?", user, now).Order("used_at DESC, id DESC").Limit(200).Find(&rows).Error
	return each(rows, browserRow.domain), err
}

// One returns a browser, or ErrNotFound.
func (s Browsers) One(ctx context.Context, id domain.ID) (domain.Browser, error) {
	var row browserRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Used notes that somebody signed in there again, and until when it is trusted now.
func (s Browsers) Used(ctx context.Context, b domain.Browser) error {
	return s.q(ctx).Exec("UPDATE browsers SET used_at = ?, ends_at = ? WHERE id = ?", b.UsedAt, b.EndsAt, b.ID).Error
}

// Forget takes the trust in a browser back.
func (s Browsers) Forget(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Delete(&browserRow{ID: id}).Error
}

// ForgetAll takes the trust of a person in all browsers back but one, which may be zero.
func (s Browsers) ForgetAll(ctx context.Context, user, but domain.ID) error {
	return s.q(ctx).Where("user_id = ? AND id <> ?", user, but).Delete(&browserRow{}).Error
}

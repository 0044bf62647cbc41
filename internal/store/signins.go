package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// SignIns are people who are signed in, each at a browser.
type SignIns struct{ area }

type signInRow struct {
	ID        int64
	UserID    int64
	BrowserID *int64
	Agent     string
	Origin    string
	Since     time.Time
	UsedAt    time.Time
	EndsAt    time.Time
}

func (signInRow) TableName() string { return "sign_ins" }

func (r signInRow) domain() domain.SignIn {
	return domain.SignIn{
		ID:        r.ID,
		UserID:    r.UserID,
		BrowserID: orZero(r.BrowserID),
		Agent:     r.Agent,
		Origin:    r.Origin,
		Since:     r.Since.UTC(),
		UsedAt:    r.UsedAt.UTC(),
		EndsAt:    r.EndsAt.UTC(),
	}
}

// Add notes that somebody signed in.
func (s SignIns) Add(ctx context.Context, in domain.SignIn) (domain.SignIn, error) {
	row := signInRow{
		UserID:    in.UserID,
		BrowserID: null(in.BrowserID),
		Agent:     in.Agent,
		Origin:    in.Origin,
		Since:     in.Since,
		UsedAt:    in.UsedAt,
		EndsAt:    in.EndsAt,
	}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// presentColumns leave out the browser where its trust is over.
const presentColumns = `s.id, s.user_id, s.agent, s.origin, s.since, s.used_at, s.ends_at,
	(SELECT b.id FROM browsers b WHERE b.id = s.browser_id AND b.ends_at > @now) AS browser_id`

// Present returns a sign-in that has not ended, and whose it is, or ErrNotFound.
func (s SignIns) Present(ctx context.Context, id domain.ID, now time.Time) (domain.SignIn, domain.User, error) {
	var row struct {
		SignIn signInRow `gorm:"embedded;embeddedPrefix:s_"`
		User   userRow   `gorm:"embedded;embeddedPrefix:u_"`
	}
	err := s.q(ctx).Raw(`SELECT s.id AS s_id, s.user_id AS s_user_id, s.agent AS s_agent, s.origin AS s_origin, s.since AS s_since,
		s.used_at AS s_used_at, s.ends_at AS s_ends_at, b.id AS s_browser_id, u.id AS u_id, u.name AS u_name, u.display AS u_display,
		u.place_id AS u_place_id, u.locked AS u_locked, u.created_at AS u_created_at, u.seen_at AS u_seen_at, u.version AS u_version,
		u.hash AS u_hash
		FROM sign_ins s JOIN users u ON u.id = s.user_id AND u.removed_at IS NULL
		LEFT JOIN browsers b ON b.id = s.browser_id AND b.ends_at > @now
		WHERE s.id = @id AND s.ends_at > @now`, map[string]any{"id": id, "now": now}).Take(&row).Error
	return row.SignIn.domain(), row.User.domain(), known(err)
}

// One returns a sign-in, or ErrNotFound.
func (s SignIns) One(ctx context.Context, id domain.ID) (domain.SignIn, error) {
	var row signInRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Of returns the sign-ins of a person that have not ended, the one used last first, up to a
// limit, and how many there are.
func (s SignIns) Of(ctx context.Context, user domain.ID, now time.Time, limit int) (out []domain.SignIn, total int64, err error) {
	if err := s.q(ctx).Table("sign_ins").Where("user_id = ? AND ends_at > ?", user, now).Count(&total).Error; err != nil {
		return nil, 0, err
	}
	var rows []signInRow
	err = s.q(ctx).Raw("SELECT "+presentColumns+` FROM sign_ins s WHERE s.user_id = @user AND s.ends_at > @now
		ORDER BY s.used_at DESC, s.id DESC LIMIT @limit`, map[string]any{"user": user, "now": now, "limit": limit}).Scan(&rows).Error
	return each(rows, signInRow.domain), total, err
}

// Used notes that a sign-in was used, from where, and until when it lasts now.
func (s SignIns) Used(ctx context.Context, in domain.SignIn) error {
	return s.q(ctx).Exec("UPDATE sign_ins SET used_at = ?, origin = ?, ends_at = ? WHERE id = ?",
		in.UsedAt, in.Origin, in.EndsAt, in.ID).Error
}

// Trust puts a sign-in into a trusted browser.
func (s SignIns) Trust(ctx context.Context, id, browser domain.ID) error {
	return s.q(ctx).Exec("UPDATE sign_ins SET browser_id = ? WHERE id = ?", browser, id).Error
}

// End ends a sign-in.
func (s SignIns) End(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Delete(&signInRow{ID: id}).Error
}

// EndAll ends all sign-ins of a person but one, which may be zero.
func (s SignIns) EndAll(ctx context.Context, user, but domain.ID) error {
	return s.q(ctx).Where("user_id = ? AND id <> ?", user, but).Delete(&signInRow{}).Error
}

// Drop removes what has ended: sign-ins, trust in browsers, and links.
func (s SignIns) Drop(ctx context.Context, now time.Time) error {
	for _, table := range []string{"sign_ins", "browsers", "links"} {
		if err := s.q(ctx).Exec("DELETE FROM "+table+" WHERE ends_at < ?", now).Error; err != nil {
			return err
		}
	}
	return nil
}

package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Factors are the second factors of people: codes of the time, codes for when the
// program that shows those is lost, and passkeys.
type Factors struct {
	area
	keys *Vault
}

type codeFactorRow struct {
	UserID int64 `gorm:"primaryKey"`
	Sealed []byte
	Since  *time.Time
	Step   int64
}

func (codeFactorRow) TableName() string { return "code_factors" }

// Codes returns the codes of a person, or ErrNotFound.
func (s Factors) Codes(ctx context.Context, user domain.ID) (domain.CodeFactor, error) {
	var row codeFactorRow
	if err := s.q(ctx).Take(&row, "user_id = ?", user).Error; err != nil {
		return domain.CodeFactor{}, known(err)
	}
	secret, err := s.keys.Open(row.Sealed)
	return domain.CodeFactor{UserID: row.UserID, Secret: secret, Since: orNever(row.Since), Step: row.Step}, err
}

// SetCodes stores the codes of a person, in the place of those before.
func (s Factors) SetCodes(ctx context.Context, f domain.CodeFactor) error {
	data, err := s.keys.Seal(f.Secret)
	if err != nil {
		return err
	}
	row := codeFactorRow{f.UserID, data, moment(f.Since), f.Step}
	return s.q(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
}

// Step notes the step of a code that is used; it is false where that one, or a later one,
// was used before.
func (s Factors) Step(ctx context.Context, user domain.ID, step int64) (bool, error) {
	res := s.q(ctx).Exec("UPDATE code_factors SET step = ? WHERE user_id = ? AND step < ?", step, user, step)
	return res.RowsAffected == 1, res.Error
}

type recoveryRow struct {
	UserID int64
	Hash   []byte
}

func (recoveryRow) TableName() string { return "recovery_codes" }

// SetRecovery stores the hashes of recovery codes, in the place of those before.
func (s Factors) SetRecovery(ctx context.Context, user domain.ID, hashes [][]byte) error {
	if err := s.q(ctx).Where("user_id = ?", user).Delete(&recoveryRow{}).Error; err != nil {
		return err
	}
	if len(hashes) == 0 {
		return nil
	}
	rows := each(hashes, func(h []byte) recoveryRow { return recoveryRow{user, h} })
	return s.q(ctx).Create(&rows).Error
}

// UseRecovery uses up a recovery code; it is false where there is none of that hash.
func (s Factors) UseRecovery(ctx context.Context, user domain.ID, hash []byte) (bool, error) {
	res := s.q(ctx).Where("user_id = ? AND hash = ?", user, hash).Delete(&recoveryRow{})
	return res.RowsAffected == 1, res.Error
}

// Recovery counts the recovery codes that a person has left.
func (s Factors) Recovery(ctx context.Context, user domain.ID) (n int64, err error) {
	return n, s.q(ctx).Model(&recoveryRow{}).Where("user_id = ?", user).Count(&n).Error
}

// DropCodes takes the codes of a person away.
func (s Factors) DropCodes(ctx context.Context, user domain.ID) error {
	if err := s.SetRecovery(ctx, user, nil); err != nil {
		return err
	}
	return s.q(ctx).Where("user_id = ?", user).Delete(&codeFactorRow{}).Error
}

type passkeyRow struct {
	ID         int64
	UserID     int64
	Name       string
	KeyID      []byte
	Credential string
	Since      time.Time
	UsedAt     *time.Time
}

func (passkeyRow) TableName() string { return "passkeys" }

func (r passkeyRow) domain() domain.Passkey {
	return domain.Passkey{
		ID:         r.ID,
		UserID:     r.UserID,
		Name:       r.Name,
		Since:      r.Since.UTC(),
		UsedAt:     orNever(r.UsedAt),
		KeyID:      r.KeyID,
		Credential: []byte(r.Credential),
	}
}

// Passkeys returns those of a person, by their age.
func (s Factors) Passkeys(ctx context.Context, user domain.ID) ([]domain.Passkey, error) {
	var rows []passkeyRow
	err := s.q(ctx).Where("user_id = ?", user).Order("id").Find(&rows).Error
	return each(rows, passkeyRow.domain), err
}

// Passkey returns one, or ErrNotFound.
func (s Factors) Passkey(ctx context.Context, id domain.ID) (domain.Passkey, error) {
	var row passkeyRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// AddPasskey stores one; it is ErrConflict where it is there already.
func (s Factors) AddPasskey(ctx context.Context, k domain.Passkey) (domain.Passkey, error) {
	row := passkeyRow{UserID: k.UserID, Name: k.Name, KeyID: k.KeyID, Credential: string(k.Credential), Since: k.Since}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// UsedPasskey notes that one was used, and what is known of it since.
func (s Factors) UsedPasskey(ctx context.Context, k domain.Passkey) error {
	return s.q(ctx).Exec("UPDATE passkeys SET credential = ?::jsonb, used_at = ? WHERE id = ?", string(k.Credential), k.UsedAt, k.ID).Error
}

// DropPasskey takes one away.
func (s Factors) DropPasskey(ctx context.Context, id domain.ID) error {
	return s.q(ctx).Delete(&passkeyRow{ID: id}).Error
}

// DropPasskeys takes all of a person away.
func (s Factors) DropPasskeys(ctx context.Context, user domain.ID) error {
	return s.q(ctx).Where("user_id = ?", user).Delete(&passkeyRow{}).Error
}

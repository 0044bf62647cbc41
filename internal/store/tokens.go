package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Tokens are programs that may use the API.
type Tokens struct{ area }

type tokenRow struct {
	ID        int64
	Name      string
	OwnerID   *int64
	PlaceID   *int64
	Level     string
	Areas     []domain.Area `gorm:"serializer:json"`
	Hash      []byte
	CreatedAt time.Time
	EndsAt    *time.Time
	UsedAt    *time.Time
}

func (tokenRow) TableName() string { return "tokens" }

func (r tokenRow) domain() domain.Token {
	return domain.Token{
		ID:        r.ID,
		Name:      r.Name,
		OwnerID:   orZero(r.OwnerID),
		Grant:     domain.Grant{PlaceID: orZero(r.PlaceID), Level: domain.Access(r.Level), Areas: r.Areas},
		CreatedAt: r.CreatedAt.UTC(),
		EndsAt:    orNever(r.EndsAt),
		UsedAt:    orNever(r.UsedAt),
	}
}

// Add stores the hash of a token.
func (s Tokens) Add(ctx context.Context, t domain.Token, hash []byte) (domain.Token, error) {
	row := tokenRow{
		Name:      t.Name,
		OwnerID:   null(t.OwnerID),
		PlaceID:   null(t.Grant.PlaceID),
		Level:     string(t.Grant.Level),
		Areas:     append([]domain.Area{}, t.Grant.Areas...),
		Hash:      hash,
		CreatedAt: t.CreatedAt,
		EndsAt:    moment(t.EndsAt),
	}
	err := s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// ByHash returns a token, or ErrNotFound.
func (s Tokens) ByHash(ctx context.Context, hash []byte) (domain.Token, error) {
	var row tokenRow
	err := s.q(ctx).Where("hash = ?", hash).Take(&row).Error
	return row.domain(), known(err)
}

// One returns a token, or ErrNotFound.
func (s Tokens) One(ctx context.Context, id domain.ID) (domain.Token, error) {
	var row tokenRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// All returns all tokens by name.
func (s Tokens) All(ctx context.Context) ([]domain.Token, error) {
	var rows []tokenRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, tokenRow.domain), err
}

// Used notes when a token was used last.
func (s Tokens) Used(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Exec("UPDATE tokens SET used_at = ? WHERE id = ?", at, id).Error
}

// Delete takes a token back.
func (s Tokens) Delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&tokenRow{}, id))
}

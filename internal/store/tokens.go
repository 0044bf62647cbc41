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
	Level     string
	Hash      []byte
	CreatedAt time.Time
}

func (tokenRow) TableName() string { return "tokens" }

// Add stores the hash of a token.
func (s Tokens) Add(ctx context.Context, t domain.Token, hash []byte) error {
	return known(s.q(ctx).Create(&tokenRow{Name: t.Name, Level: string(t.Level), Hash: hash, CreatedAt: t.CreatedAt}).Error)
}

// ByHash returns a token, or ErrNotFound.
func (s Tokens) ByHash(ctx context.Context, hash []byte) (domain.Token, error) {
	var row tokenRow
	err := s.q(ctx).Where("hash = ?", hash).Take(&row).Error
	return domain.Token{ID: row.ID, Name: row.Name, Level: domain.Access(row.Level), CreatedAt: row.CreatedAt}, known(err)
}

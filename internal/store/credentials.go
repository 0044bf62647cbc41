package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// Credentials are the secrets that devices are asked with, sealed.
type Credentials struct {
	area
	keys *Vault
}

type credentialRow struct {
	ID     int64
	Name   string
	Kind   string
	Sealed []byte
}

func (credentialRow) TableName() string { return "credentials" }

// All returns all credentials, without their secrets.
func (s Credentials) All(ctx context.Context) ([]domain.Credential, error) {
	var rows []credentialRow
	err := s.q(ctx).Select("id", "name", "kind").Order("name").Find(&rows).Error
	return each(rows, func(r credentialRow) domain.Credential {
		return domain.Credential{ID: r.ID, Name: r.Name, Kind: r.Kind}
	}), err
}

// Add stores a secret, sealed, under a name.
func (s Credentials) Add(ctx context.Context, c domain.Credential, secret domain.Secret) (domain.Credential, error) {
	sealed, err := s.keys.Seal(secret)
	if err != nil {
		return c, err
	}
	row := credentialRow{Name: c.Name, Kind: c.Kind, Sealed: sealed}
	err = s.q(ctx).Create(&row).Error
	c.ID = row.ID
	return c, known(err)
}

// Secrets returns all credentials' secrets, for collecting.
func (s Credentials) Secrets(ctx context.Context) (map[domain.ID]domain.Secret, error) {
	var rows []credentialRow
	if err := s.q(ctx).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[domain.ID]domain.Secret{}
	for _, r := range rows {
		secret, err := s.keys.Open(r.Sealed)
		if err != nil {
			return nil, err
		}
		out[r.ID] = secret
	}
	return out, nil
}

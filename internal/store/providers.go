package store

import (
	"context"

	"tirelessowl/internal/domain"
)

// Providers is the provider that says who people are, if there is one, and whom it knows
// as whom.
type Providers struct {
	area
	keys *Vault
}

type providerRow struct {
	ID          int
	Title       string
	Issuer      string
	ClientID    string
	Sealed      []byte
	GroupsClaim string
	Groups      map[domain.ID][]string `gorm:"serializer:json"`
	Enabled     bool
	Version     int
}

func (providerRow) TableName() string { return "providers" }

func (r providerRow) domain() domain.Provider {
	return domain.Provider{
		Title:       r.Title,
		Issuer:      r.Issuer,
		ClientID:    r.ClientID,
		GroupsClaim: r.GroupsClaim,
		Groups:      r.Groups,
		Enabled:     r.Enabled,
		Stored:      len(r.Sealed) > 0,
		Version:     r.Version,
	}
}

// Get returns the provider, or ErrNotFound.
func (s Providers) Get(ctx context.Context) (domain.Provider, error) {
	var row providerRow
	err := s.q(ctx).Take(&row).Error
	return row.domain(), known(err)
}

// Secret returns what the application shows to the provider; empty where there is none.
func (s Providers) Secret(ctx context.Context) (domain.Secret, error) {
	var row providerRow
	if err := s.q(ctx).Take(&row).Error; err != nil || len(row.Sealed) == 0 {
		return "", known(err)
	}
	return s.keys.Open(row.Sealed)
}

// Save stores the provider, whose version must be the present one (zero where there is
// none), with its secret.
func (s Providers) Save(ctx context.Context, p domain.Provider, secret domain.Secret) error {
	row := providerRow{
		ID:          1,
		Title:       p.Title,
		Issuer:      p.Issuer,
		ClientID:    p.ClientID,
		GroupsClaim: p.GroupsClaim,
		Groups:      p.Groups,
		Enabled:     p.Enabled,
		Version:     p.Version + 1,
	}
	if secret != "" {
		data, err := s.keys.Seal(secret)
		if err != nil {
			return err
		}
		row.Sealed = data
	}
	if p.Version == 0 {
		return known(s.q(ctx).Create(&row).Error)
	}
	return same(s.q(ctx).Model(&providerRow{}).Where("id = 1 AND version = ?", p.Version).Select("*").Updates(&row))
}

// Person returns whom a provider knows as a subject, or ErrNotFound.
func (s Providers) Person(ctx context.Context, issuer, subject string) (domain.ID, error) {
	var ids []domain.ID
	err := s.q(ctx).Table("identities").Where("issuer = ? AND subject = ?", issuer, subject).Pluck("user_id", &ids).Error
	if err == nil && len(ids) == 0 {
		err = domain.ErrNotFound
	}
	if err != nil {
		return 0, err
	}
	return ids[0], nil
}

// Of returns whether a provider knows a person.
func (s Providers) Of(ctx context.Context, user domain.ID) (bool, error) {
	var n int64
	err := s.q(ctx).Table("identities").Where("user_id = ?", user).Count(&n).Error
	return n > 0, err
}

// Know notes whom a provider knows as a subject.
func (s Providers) Know(ctx context.Context, issuer, subject string, user domain.ID) error {
	return s.q(ctx).Exec(`INSERT INTO identities (issuer, subject, user_id) VALUES (?, ?, ?)
		ON CONFLICT (issuer, subject) DO UPDATE SET user_id = excluded.user_id`, issuer, subject, user).Error
}

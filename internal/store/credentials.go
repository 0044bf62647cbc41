package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Credentials are what devices are asked with, their secrets sealed.
type Credentials struct {
	area
	keys *Vault
}

type credentialRow struct {
	ID       int64
	PlaceID  *int64
	Name     string
	Kind     string
	Settings map[string]string `gorm:"serializer:json"`
	Secrets  sealed            `gorm:"serializer:json"`
	Ranges   string
	SealedAt *time.Time
}

func (credentialRow) TableName() string { return "credentials" }

func (r credentialRow) domain() domain.Credential {
	return domain.Credential{
		ID:       r.ID,
		PlaceID:  orZero(r.PlaceID),
		Name:     r.Name,
		Kind:     r.Kind,
		Settings: r.Settings,
		Ranges:   r.Ranges,
		SealedAt: orNever(r.SealedAt),
	}
}

// All returns all credentials, without their secrets.
func (s Credentials) All(ctx context.Context) ([]domain.Credential, error) {
	var rows []credentialRow
	err := s.q(ctx).Select("id", "place_id", "name", "kind", "settings", "ranges", "sealed_at").Order("name").Find(&rows).Error
	return each(rows, credentialRow.domain), err
}

// Add stores a credential under a name, its secrets sealed.
func (s Credentials) Add(ctx context.Context, c domain.Credential, secrets domain.Secrets) (domain.Credential, error) {
	row := credentialRow{PlaceID: null(c.PlaceID), Name: c.Name, Kind: c.Kind, Settings: c.Settings, Ranges: c.Ranges}
	row.SealedAt = moment(time.Now().UTC())
	if row.Settings == nil {
		row.Settings = map[string]string{}
	}
	var err error
	if row.Secrets, err = s.keys.sealAll(nil, secrets); err != nil {
		return c, err
	}
	err = s.q(ctx).Create(&row).Error
	return row.domain(), known(err)
}

// SetRanges changes to which addresses a credential may be sent.
func (s Credentials) SetRanges(ctx context.Context, id domain.ID, ranges string) error {
	return must(s.q(ctx).Model(&credentialRow{}).Where("id = ?", id).Update("ranges", ranges))
}

// Opened is a credential with its secrets.
type Opened struct {
	domain.Credential
	Secrets domain.Secrets
}

// Secrets returns all credentials with their secrets, for collecting.
func (s Credentials) Secrets(ctx context.Context) (map[domain.ID]Opened, error) {
	var rows []credentialRow
	if err := s.q(ctx).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make(map[domain.ID]Opened, len(rows))
	for _, r := range rows {
		secrets, err := s.keys.openAll(r.Secrets)
		if err != nil {
			return nil, err
		}
		out[r.ID] = Opened{r.domain(), secrets}
	}
	return out, nil
}

package store

import (
	"context"
	"time"

	"tirelessowl/internal/domain"
)

// Channels are the ways to tell someone, with their secrets sealed.
type Channels struct {
	area
	keys *Vault
}

type channelRow struct {
	ID       int64
	Name     string
	Kind     string
	Settings map[string]string `gorm:"serializer:json"`
	Secrets  sealed            `gorm:"serializer:json"`
	SealedAt *time.Time
	Version  int
}

func (channelRow) TableName() string { return "channels" }

func (r channelRow) domain() domain.Channel {
	return domain.Channel{
		ID:       r.ID,
		Name:     r.Name,
		Kind:     r.Kind,
		Settings: r.Settings,
		Secrets:  r.Secrets.names(),
		SealedAt: orNever(r.SealedAt),
		Version:  r.Version,
	}
}

// All returns all channels, without their secrets.
func (s Channels) All(ctx context.Context) ([]domain.Channel, error) {
	var rows []channelRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, channelRow.domain), err
}

// One returns a channel with its secrets, or ErrNotFound.
func (s Channels) One(ctx context.Context, id domain.ID) (domain.Channel, domain.Secrets, error) {
	var row channelRow
	if err := s.q(ctx).Take(&row, id).Error; err != nil {
		return domain.Channel{}, nil, known(err)
	}
	secrets, err := s.keys.openAll(row.Secrets)
	return row.domain(), secrets, err
}

// Save inserts a channel, or changes one that has an id. Secrets that are not
// given stay what they are.
func (s Channels) Save(ctx context.Context, c domain.Channel, secrets domain.Secrets) (domain.Channel, error) {
	row := channelRow{ID: c.ID, Name: c.Name, Kind: c.Kind, Settings: c.Settings, Version: 1}
	if c.ID != 0 {
		var before channelRow
		if err := s.q(ctx).Take(&before, c.ID).Error; err != nil {
			return c, known(err)
		}
		row.Kind, row.Secrets, row.SealedAt, row.Version = before.Kind, before.Secrets, before.SealedAt, before.Version+1
	}
	var err error
	if row.Secrets, err = s.keys.sealAll(row.Secrets, secrets); err != nil {
		return c, err
	}
	if anyTyped(secrets) {
		row.SealedAt = moment(time.Now().UTC())
	}
	err = s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

func anyTyped(secrets domain.Secrets) bool {
	for _, s := range secrets {
		if s != "" {
			return true
		}
	}
	return false
}

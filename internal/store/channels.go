package store

import (
	"context"

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
	Sealed   []byte
}

func (channelRow) TableName() string { return "channels" }

func (r channelRow) domain() domain.Channel {
	return domain.Channel{ID: r.ID, Name: r.Name, Kind: domain.ChannelKind(r.Kind), Settings: r.Settings, HasKey: len(r.Sealed) > 0}
}

// All returns all channels, without their secrets.
func (s Channels) All(ctx context.Context) ([]domain.Channel, error) {
	var rows []channelRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, channelRow.domain), err
}

// One returns a channel with its secret, or ErrNotFound.
func (s Channels) One(ctx context.Context, id domain.ID) (domain.Channel, domain.Secret, error) {
	var row channelRow
	if err := s.q(ctx).Take(&row, id).Error; err != nil {
		return domain.Channel{}, "", known(err)
	}
	if len(row.Sealed) == 0 {
		return row.domain(), "", nil
	}
	secret, err := s.keys.Open(row.Sealed)
	return row.domain(), secret, err
}

// Save inserts a channel, or changes one that has an id. An empty
// secret keeps the one that is stored.
func (s Channels) Save(ctx context.Context, c domain.Channel, secret domain.Secret) (domain.Channel, error) {
	row := channelRow{ID: c.ID, Name: c.Name, Kind: string(c.Kind), Settings: c.Settings}
	if secret != "" {
		sealed, err := s.keys.Seal(secret)
		if err != nil {
			return c, err
		}
		row.Sealed = sealed
	}
	var err error
	if row.ID == 0 {
		err = s.q(ctx).Create(&row).Error
	} else {
		q := s.q(ctx).Model(&row).Select("name", "settings")
		if secret != "" {
			q = s.q(ctx).Model(&row).Select("name", "settings", "sealed")
		}
		err = q.Updates(&row).Error
	}
	return row.domain(), known(err)
}

package store

import (
	"context"
	"time"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

type credentialRow struct {
	ID     int64
	Name   string
	Kind   string
	Sealed []byte
}

func (credentialRow) TableName() string { return "credentials" }

// Credentials returns all credentials, without their secrets.
func (s *Store) Credentials(ctx context.Context) ([]domain.Credential, error) {
	var rows []credentialRow
	err := s.q(ctx).Select("id", "name", "kind").Order("name").Find(&rows).Error
	return each(rows, func(r credentialRow) domain.Credential {
		return domain.Credential{ID: r.ID, Name: r.Name, Kind: r.Kind}
	}), err
}

// AddCredential stores a secret, sealed, under a name.
func (s *Store) AddCredential(ctx context.Context, c domain.Credential, secret domain.Secret) (domain.Credential, error) {
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
func (s *Store) Secrets(ctx context.Context) (map[domain.ID]domain.Secret, error) {
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

// Channels returns all channels, without their secrets.
func (s *Store) Channels(ctx context.Context) ([]domain.Channel, error) {
	var rows []channelRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, channelRow.domain), err
}

// Channel returns a channel with its secret, or ErrNotFound.
func (s *Store) Channel(ctx context.Context, id domain.ID) (domain.Channel, domain.Secret, error) {
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

// SaveChannel inserts a channel, or changes one that has an id. An empty
// secret keeps the one that is stored.
func (s *Store) SaveChannel(ctx context.Context, c domain.Channel, secret domain.Secret) (domain.Channel, error) {
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

type userRow struct {
	ID      int64
	Name    string
	Display string
	Level   string
	Hash    string
}

func (userRow) TableName() string { return "users" }

func (r userRow) domain() domain.User {
	return domain.User{ID: r.ID, Name: r.Name, Display: r.Display, Level: domain.Access(r.Level), Hash: r.Hash}
}

// UserByName returns a user, or ErrNotFound.
func (s *Store) UserByName(ctx context.Context, name string) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Where("name = ?", name).Take(&row).Error
	return row.domain(), known(err)
}

// User returns a user, or ErrNotFound.
func (s *Store) User(ctx context.Context, id domain.ID) (domain.User, error) {
	var row userRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// SaveUser inserts a user, or replaces the one of the same name.
func (s *Store) SaveUser(ctx context.Context, u domain.User) error {
	row := userRow{Name: u.Name, Display: u.Display, Level: string(u.Level), Hash: u.Hash}
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "name"}}, DoUpdates: clause.AssignmentColumns([]string{"display", "level", "hash"})}).Create(&row).Error
}

// CountUsers returns how many users there are.
func (s *Store) CountUsers(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Table("users").Count(&n).Error
}

type tokenRow struct {
	ID        int64
	Name      string
	Level     string
	Hash      []byte
	CreatedAt time.Time
}

func (tokenRow) TableName() string { return "tokens" }

// AddToken stores the hash of a token.
func (s *Store) AddToken(ctx context.Context, t domain.Token, hash []byte) error {
	return known(s.q(ctx).Create(&tokenRow{Name: t.Name, Level: string(t.Level), Hash: hash, CreatedAt: t.CreatedAt}).Error)
}

// TokenByHash returns a token, or ErrNotFound.
func (s *Store) TokenByHash(ctx context.Context, hash []byte) (domain.Token, error) {
	var row tokenRow
	err := s.q(ctx).Where("hash = ?", hash).Take(&row).Error
	return domain.Token{ID: row.ID, Name: row.Name, Level: domain.Access(row.Level), CreatedAt: row.CreatedAt}, known(err)
}

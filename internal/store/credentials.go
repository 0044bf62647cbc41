package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"tirelessowl/internal/core/way"
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
	Version  int
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
		Secrets:  r.Secrets.names(),
		SealedAt: orNever(r.SealedAt),
		Version:  r.Version,
	}
}

// All returns all credentials by name, without their secrets.
func (s Credentials) All(ctx context.Context) ([]domain.Credential, error) {
	var rows []credentialRow
	err := s.q(ctx).Order("name, id").Find(&rows).Error
	return each(rows, credentialRow.domain), err
}

// One returns a credential without its secrets, or ErrNotFound.
func (s Credentials) One(ctx context.Context, id domain.ID) (domain.Credential, error) {
	var row credentialRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Lock returns a credential that nobody else changes until the end, or ErrNotFound.
func (s Credentials) Lock(ctx context.Context, id domain.ID) (domain.Credential, error) {
	var row credentialRow
	err := s.q(ctx).Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error
	return row.domain(), known(err)
}

// Add stores a credential under a name, its secrets sealed. It is ErrConflict where its
// place has one of that name.
func (s Credentials) Add(ctx context.Context, c domain.Credential, secrets domain.Secrets) (domain.Credential, error) {
	return s.save(ctx, credentialRow{}, c, secrets)
}

// Change changes name, place, settings and ranges of a credential. Secrets that are not given
// stay what they are.
func (s Credentials) Change(ctx context.Context, c domain.Credential, secrets domain.Secrets) (domain.Credential, error) {
	var before credentialRow
	if err := s.q(ctx).Take(&before, c.ID).Error; err != nil {
		return c, known(err)
	}
	return s.save(ctx, before, c, secrets)
}

func (s Credentials) save(
	ctx context.Context,
	before credentialRow,
	c domain.Credential,
	secrets domain.Secrets,
) (domain.Credential, error) {
	row := credentialRow{ID: before.ID, PlaceID: null(c.PlaceID), Name: c.Name, Kind: c.Kind, Settings: c.Settings, Ranges: c.Ranges,
		SealedAt: before.SealedAt, Version: before.Version + 1}
	if row.Settings == nil {
		row.Settings = map[string]string{}
	}
	var err error
	if row.Secrets, err = s.keys.sealAll(before.Secrets, secrets); err != nil {
		return c, err
	}
	if before.ID == 0 || anyTyped(secrets) {
		row.SealedAt = moment(time.Now().UTC())
	}
	err = s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

// Delete removes a credential; it is ErrConflict while something uses it.
func (s Credentials) Delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&credentialRow{}, id))
}

// Uses tells of each credential by what it is used.
func (s Credentials) Uses(ctx context.Context) (map[domain.ID]domain.CredentialUse, error) {
	var rows []struct {
		ID                      int64
		Devices, Places, Sweeps int
	}
	err := s.q(ctx).Raw(`SELECT c.id,
		(SELECT count(*) FROM endpoints e WHERE e.credential_id = c.id) +
		(SELECT count(*) FROM fittings f WHERE f.parameters <> '{}' AND
			jsonb_path_exists(f.parameters, '$.* ? (@ == $ref)', jsonb_build_object('ref', 'credential:' || c.id))) AS devices,
		(SELECT count(*) FROM overrides o WHERE o.key LIKE 'credential\_%' AND o.value = c.id::text
			OR o.value = 'credential:' || c.id) AS places,
		(SELECT count(*) FROM sweep_credentials s WHERE s.credential_id = c.id) AS sweeps
		FROM credentials c`).Scan(&rows).Error
	out := make(map[domain.ID]domain.CredentialUse, len(rows))
	for _, r := range rows {
		out[r.ID] = domain.CredentialUse{Devices: r.Devices, Places: r.Places, Sweeps: r.Sweeps}
	}
	return out, err
}

// SetRanges changes to which addresses a credential may be sent.
func (s Credentials) SetRanges(ctx context.Context, id domain.ID, ranges string) error {
	now := map[string]any{"ranges": ranges, "version": gorm.Expr("version + 1")}
	return must(s.q(ctx).Model(&credentialRow{}).Where("id = ?", id).Updates(now))
}

// Opened is a credential with its secrets.
type Opened struct {
	domain.Credential
	Secrets domain.Secrets
}

// Ready is the credential as ways use it.
func (o Opened) Ready() way.Opened {
	return way.Opened{Kind: o.Kind, Settings: o.Settings, Secrets: o.Secrets}
}

// Secrets returns all credentials with their secrets, for collecting.
func (s Credentials) Secrets(ctx context.Context) (map[domain.ID]Opened, error) {
	return s.opened(s.q(ctx))
}

// SecretsOf returns some of them, by id.
func (s Credentials) SecretsOf(ctx context.Context, ids []domain.ID) (map[domain.ID]Opened, error) {
	return s.opened(s.q(ctx).Where("id = ANY(?::bigint[])", arrayOf(ids)))
}

func (s Credentials) opened(q *gorm.DB) (map[domain.ID]Opened, error) {
	var rows []credentialRow
	if err := q.Find(&rows).Error; err != nil {
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

package store

import (
	"context"
	"database/sql"
	"net/netip"
	"time"

	"tirelessowl/internal/domain"
)

// Devices are what is watched.
type Devices struct{ area }

type deviceRow struct {
	ID           int64
	PlaceID      int64
	Name         string
	Address      string
	Port         int
	Kind         string
	Vendor       string
	Model        string
	Description  string
	ObjectID     string
	Identity     string
	CredentialID *int64
	ViaID        *int64
	Paused       bool
	Health       string
	HealthSince  time.Time
	HealthNote   string
	BootedAt     *time.Time
	CreatedAt    time.Time
}

func (deviceRow) TableName() string { return "devices" }

func (r deviceRow) domain() domain.Device {
	return domain.Device{ID: r.ID, PlaceID: r.PlaceID, Name: r.Name, Address: parseAddr(r.Address), Port: r.Port, Kind: r.Kind,
		Vendor: r.Vendor, Model: r.Model, Description: r.Description, ObjectID: r.ObjectID, CredentialID: orZero(r.CredentialID),
		ViaID: orZero(r.ViaID), Paused: r.Paused, Health: domain.Health(r.Health), HealthSince: r.HealthSince.UTC(),
		HealthNote: r.HealthNote, BootedAt: orNever(r.BootedAt), CreatedAt: r.CreatedAt.UTC()}
}

// parseAddr reads an inet column, which may carry a prefix length.
func parseAddr(text string) netip.Addr {
	if p, err := netip.ParsePrefix(text); err == nil {
		return p.Addr()
	}
	a, _ := netip.ParseAddr(text)
	return a
}

// All returns all devices, ordered by name.
func (s Devices) All(ctx context.Context) ([]domain.Device, error) {
	// Scanned without reflection: there may be many thousands.
	rows, err := s.q(ctx).Raw(`SELECT id, place_id, name, host(address), port, kind, vendor, model, description, object_id, identity,
		credential_id, via_id, paused, health, health_since, health_note, booted_at, created_at FROM devices ORDER BY name`).Rows()
	return collect(rows, err, func(rows *sql.Rows) (domain.Device, error) {
		var r deviceRow
		err := rows.Scan(&r.ID, &r.PlaceID, &r.Name, &r.Address, &r.Port, &r.Kind, &r.Vendor, &r.Model, &r.Description, &r.ObjectID, &r.Identity,
			&r.CredentialID, &r.ViaID, &r.Paused, &r.Health, &r.HealthSince, &r.HealthNote, &r.BootedAt, &r.CreatedAt)
		return r.domain(), err
	})
}

// Names returns the names of the given devices.
func (s Devices) Names(ctx context.Context, ids []domain.ID) (map[domain.ID]string, error) {
	var rows []deviceRow
	err := s.q(ctx).Select("id", "name").Where("id = ANY(?::bigint[])", arrayOf(ids)).Find(&rows).Error
	out := make(map[domain.ID]string, len(rows))
	for _, r := range rows {
		out[r.ID] = r.Name
	}
	return out, err
}

// One returns one device, or ErrNotFound.
func (s Devices) One(ctx context.Context, id domain.ID) (domain.Device, error) {
	var row deviceRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Add inserts a device with its addresses and its identity.
func (s Devices) Add(ctx context.Context, d domain.Device, identity string, addresses []string) (domain.Device, error) {
	row := deviceRow{PlaceID: d.PlaceID, Name: d.Name, Address: d.Address.String(), Port: d.Port, Kind: d.Kind, Vendor: d.Vendor, Model: d.Model,
		Description: d.Description, ObjectID: d.ObjectID, Identity: identity, CredentialID: null(d.CredentialID), ViaID: null(d.ViaID),
		Health: string(domain.Unknown), HealthSince: d.CreatedAt, HealthNote: "waits for its first value", CreatedAt: d.CreatedAt}
	if err := s.q(ctx).Create(&row).Error; err != nil {
		return domain.Device{}, known(err)
	}
	for _, a := range append([]string{row.Address}, addresses...) {
		if err := s.q(ctx).Exec("INSERT INTO device_addresses VALUES (?, ?) ON CONFLICT DO NOTHING", row.ID, a).Error; err != nil {
			return domain.Device{}, err
		}
	}
	return row.domain(), nil
}

// Update changes what people may change of a device.
func (s Devices) Update(ctx context.Context, d domain.Device) error {
	return must(s.q(ctx).Model(&deviceRow{}).Where("id = ?", d.ID).Updates(map[string]any{
		"place_id": d.PlaceID, "name": d.Name, "via_id": null(d.ViaID), "paused": d.Paused}))
}

// SetHealth records a device's health.
func (s Devices) SetHealth(ctx context.Context, id domain.ID, h domain.Health, since time.Time, note string) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Updates(map[string]any{"health": string(h), "health_since": since, "health_note": note}).Error
}

// SetBooted records when a device started, as learnt from sysUpTime.
func (s Devices) SetBooted(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Update("booted_at", at).Error
}

// KnownDevice is how a find is recognised as watched already.
type KnownDevice struct {
	ID       int64
	Identity string
	Address  string
}

// Known returns identity and every address of all devices.
func (s Devices) Known(ctx context.Context) (byIdentity, byAddress map[string]domain.ID, err error) {
	var rows []KnownDevice
	err = s.q(ctx).Raw("SELECT d.id, d.identity, host(a.address) AS address FROM devices d JOIN device_addresses a ON a.device_id = d.id").Scan(&rows).Error
	byIdentity, byAddress = map[string]domain.ID{}, map[string]domain.ID{}
	for _, r := range rows {
		byAddress[r.Address] = r.ID
		if r.Identity != "" {
			byIdentity[r.Identity] = r.ID
		}
	}
	return byIdentity, byAddress, err
}

// Addresses returns the further addresses of a device.
func (s Devices) Addresses(ctx context.Context, id domain.ID) ([]string, error) {
	var out []string
	err := s.q(ctx).Raw("SELECT host(address) FROM device_addresses WHERE device_id = ? ORDER BY address", id).Scan(&out).Error
	return out, err
}

// delete removes a device with everything that hangs on it; its samples are
// the store's affair.
func (s Devices) delete(ctx context.Context, id domain.ID) error {
	return must(s.q(ctx).Delete(&deviceRow{}, id))
}

package store

import (
	"context"
	"database/sql"
	"fmt"
	"net/netip"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
)

// Devices are what is watched.
type Devices struct{ area }

type deviceRow struct {
	ID          int64
	PlaceID     int64
	Name        string
	Friendly    string
	Address     string
	Kind        string
	Vendor      string
	Model       string
	Description string
	ObjectID    string
	Identity    string
	Paused      bool
	Health      string
	HealthSince time.Time
	HealthNote  string
	BehindID    *int64
	BootedAt    *time.Time
	AgentSince  *time.Time
	CreatedAt   time.Time
	Version     int
}

func (deviceRow) TableName() string { return "devices" }

func (r deviceRow) domain() domain.Device {
	return domain.Device{ID: r.ID, PlaceID: r.PlaceID, Name: r.Name, Friendly: r.Friendly, Address: parseAddr(r.Address), Kind: r.Kind,
		Vendor: r.Vendor, Model: r.Model, Description: r.Description, ObjectID: r.ObjectID,
		Paused: r.Paused, Health: domain.Health(r.Health), HealthSince: r.HealthSince.UTC(),
		HealthNote: r.HealthNote, BehindID: orZero(r.BehindID), Version: r.Version,
		BootedAt: orNever(r.BootedAt), AgentSince: orNever(r.AgentSince), CreatedAt: r.CreatedAt.UTC()}
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
	rows, err := s.q(ctx).Raw("SELECT " + deviceColumns + " FROM devices d ORDER BY d.name").Rows()
	return collect(rows, err, scanDevice)
}

// In returns the devices that a value which is set on the tree reaches, by name.
func (s Devices) In(ctx context.Context, r inherit.Reach) ([]domain.Device, error) {
	rows, err := s.q(ctx).Raw("SELECT "+deviceColumns+" FROM devices d WHERE "+reached+" ORDER BY d.name", reachedBy(r)...).Rows()
	return collect(rows, err, scanDevice)
}

// reached are the devices d that a value reaches which is set on the tree.
const reached = "(d.id = ? OR d.id = ANY(?::bigint[]) OR d.place_id = ANY(?::bigint[]) AND d.id <> ALL(?::bigint[]))"

func reachedBy(r inherit.Reach) []any {
	return []any{r.Device, arrayOf(r.Devices), arrayOf(r.Places), arrayOf(r.Without)}
}

// Names returns the names of the given devices, also of those no longer watched.
func (s Devices) Names(ctx context.Context, ids []domain.ID) (map[domain.ID]string, error) {
	var rows []deviceRow
	err := s.q(ctx).Table("all_devices").Select("id", "name").Where("id = ANY(?::bigint[])", arrayOf(ids)).Find(&rows).Error
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

// Lock returns one device, or ErrNotFound, and lets nobody else change it until the
// transaction ends.
func (s Devices) Lock(ctx context.Context, id domain.ID) (domain.Device, error) {
	var row deviceRow
	err := s.q(ctx).Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Take(&row, id).Error
	return row.domain(), known(err)
}

// Add inserts a device with its addresses and its identity.
func (s Devices) Add(ctx context.Context, d domain.Device, identity string, addresses []string) (domain.Device, error) {
	row := deviceRow{
		PlaceID:     d.PlaceID,
		Name:        d.Name,
		Friendly:    d.Friendly,
		Address:     d.Address.String(),
		Kind:        d.Kind,
		Vendor:      d.Vendor,
		Model:       d.Model,
		Description: d.Description,
		ObjectID:    d.ObjectID,
		Identity:    identity,
		Health:      string(domain.Unknown),
		HealthSince: d.CreatedAt,
		HealthNote:  "waits for its first value",
		CreatedAt:   d.CreatedAt,
		Version:     1,
	}
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
	return must(
		s.q(ctx).
			Exec("UPDATE all_devices SET place_id = ?, name = ?, friendly = ?, address = ?, paused = ?, version = version + 1 "+
				"WHERE id = ? AND removed_at IS NULL",
				d.PlaceID, d.Name, d.Friendly, d.Address.String(), d.Paused, d.ID),
	)
}

// Named returns the device of a name in the organisation that a place belongs to, or
// ErrNotFound.
func (s Devices) Named(ctx context.Context, place domain.ID, name string) (domain.Device, error) {
	var row deviceRow
	err := s.q(ctx).
		Take(&row, "id = (SELECT id FROM all_devices WHERE organisation_id = organisation_of(?) AND name = ? AND "+
			"removed_at IS NULL)", place, name).
		Error
	return row.domain(), known(err)
}

// Readdress lets a device be known by another address in the place of one.
func (s Devices) Readdress(ctx context.Context, id domain.ID, old, now netip.Addr) error {
	if err := s.q(ctx).Exec("DELETE FROM device_addresses WHERE device_id = ? AND address = ?", id, old.String()).Error; err != nil {
		return err
	}
	return s.q(ctx).Exec("INSERT INTO device_addresses VALUES (?, ?) ON CONFLICT DO NOTHING", id, now.String()).Error
}

// Watched tells whether a device is there, and keeps it from being removed until the
// transaction ends.
func (s Devices) Watched(ctx context.Context, id domain.ID) (is bool, err error) {
	err = s.q(ctx).Raw("SELECT true FROM devices WHERE id = ? FOR SHARE", id).Scan(&is).Error
	return is, err
}

// SetHealth records a device's health, and what it is out of reach behind, zero for
// nothing.
func (s Devices) SetHealth(ctx context.Context, id domain.ID, h domain.Health, since time.Time, note string, behind domain.ID) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Updates(map[string]any{
		"health":       string(h),
		"health_since": since,
		"health_note":  note,
		"behind_id":    null(behind),
	}).Error
}

// SetBehind records that a device is out of reach behind another than before.
func (s Devices) SetBehind(ctx context.Context, id, behind domain.ID, note string) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Updates(map[string]any{"health_note": note, "behind_id": null(behind)}).Error
}

// SetUptimes records since when a machine runs, and what answers for it.
func (s Devices) SetUptimes(ctx context.Context, id domain.ID, booted, agent time.Time) error {
	return s.q(ctx).
		Model(&deviceRow{}).
		Where("id = ?", id).
		Updates(map[string]any{"booted_at": moment(booted), "agent_since": moment(agent)}).
		Error
}

// KnownDevice is how a find is recognised as watched already.
type KnownDevice struct {
	ID       domain.ID
	PlaceID  domain.ID
	Identity string
	Name     string
	Address  string // that it is asked at
	// Known is one of the addresses that it is known by, Credential what it is
	// asked with by a way.
	Known      string
	Credential domain.ID
}

// Known returns all devices, once for each address that they are known by.
func (s Devices) Known(ctx context.Context, way string) (out []KnownDevice, err error) {
	err = s.q(ctx).
		Raw(`SELECT d.id, d.place_id, d.identity, d.name, host(d.address) AS address, host(a.address) AS known,
			coalesce(e.credential_id, 0) AS credential
		FROM devices d JOIN device_addresses a ON a.device_id = d.id LEFT JOIN endpoints e ON e.device_id = d.id AND e.way = ?`, way).
		Scan(&out).
		Error
	return out, err
}

// At returns the device that is watched at an address, its own or a further one; 0 for none.
func (s Devices) At(ctx context.Context, a netip.Addr) (id domain.ID, err error) {
	q := s.q(ctx).Raw(`SELECT a.device_id FROM device_addresses a JOIN devices d ON d.id = a.device_id
		WHERE a.address = ? ORDER BY host(d.address) = ? DESC, a.device_id LIMIT 1`, a.String(), a.String())
	err = q.Scan(&id).Error
	return id, err
}

// Addresses returns the further addresses of a device.
func (s Devices) Addresses(ctx context.Context, id domain.ID) ([]string, error) {
	var out []string
	err := s.q(ctx).Raw("SELECT host(address) FROM device_addresses WHERE device_id = ? ORDER BY address", id).Scan(&out).Error
	return out, err
}

// deviceColumns are what a list of devices is made of, in the order of scanDevice.
const deviceColumns = `d.id, d.place_id, d.name, host(d.address), d.kind, d.vendor, d.model, d.description, d.object_id, d.identity,
	d.paused, d.health, d.health_since, d.health_note, d.behind_id, d.booted_at, d.agent_since, d.created_at, d.version, d.friendly`

// scanDevice reads a row without reflection: lists may have many thousands.
func scanDevice(rows *sql.Rows) (domain.Device, error) {
	var r deviceRow
	err := rows.Scan(&r.ID, &r.PlaceID, &r.Name, &r.Address, &r.Kind, &r.Vendor, &r.Model, &r.Description, &r.ObjectID, &r.Identity,
		&r.Paused, &r.Health, &r.HealthSince, &r.HealthNote, &r.BehindID, &r.BootedAt, &r.AgentSince, &r.CreatedAt, &r.Version,
		&r.Friendly)
	return r.domain(), err
}

// badness orders health for "worst first" as the domain does.
var badness = func() string {
	var b strings.Builder
	b.WriteString("CASE d.health")
	for _, h := range domain.AllHealth() {
		fmt.Fprintf(&b, " WHEN '%s' THEN %d", h, h.Badness())
	}
	return b.String() + " ELSE 0 END"
}()

// HealthCount is how many devices of a place have a health.
type HealthCount struct {
	PlaceID domain.ID
	Health  domain.Health
	N       int
}

// Count counts devices by place and health.
func (s Devices) Count(ctx context.Context) (out []HealthCount, err error) {
	return out, s.q(ctx).Raw("SELECT place_id, health, count(*) AS n FROM devices GROUP BY 1, 2").Scan(&out).Error
}

// Conspicuous returns devices that are not fine, the worst first, at most so many of each
// place; those that are out of reach behind another one are left to that one. Of the places
// that are open all devices are returned, the fine ones too.
func (s Devices) Conspicuous(ctx context.Context, perPlace int, open []domain.ID) ([]domain.Device, error) {
	rows, err := s.q(ctx).Raw("SELECT "+deviceColumns+` FROM (
		SELECT d.*, row_number() OVER (PARTITION BY place_id ORDER BY `+badness+` DESC, name) AS place FROM devices d
		WHERE health <> 'fine' AND (health <> 'unreachable' OR behind_id IS NULL) OR place_id = ANY(?::bigint[])) d
		WHERE d.place <= ? OR d.place_id = ANY(?::bigint[])
			ORDER BY `+badness+" DESC, d.name", arrayOf(open), perPlace, arrayOf(open)).Rows()
	return collect(rows, err, scanDevice)
}

// Some returns the given devices, by name.
func (s Devices) Some(ctx context.Context, ids []domain.ID) ([]domain.Device, error) {
	rows, err := s.q(ctx).Raw("SELECT "+deviceColumns+" FROM devices d WHERE d.id = ANY(?::bigint[]) ORDER BY d.name", arrayOf(ids)).Rows()
	return collect(rows, err, scanDevice)
}

// Troubled is a device that is not fine.
type Troubled struct {
	ID, PlaceID domain.ID
	Health      domain.Health
	// BehindID is what it is out of reach behind, zero for nothing.
	BehindID domain.ID
}

// Troubled returns all devices that are not fine.
func (s Devices) Troubled(ctx context.Context) (out []Troubled, err error) {
	const query = "SELECT id, place_id, health, coalesce(behind_id, 0) AS behind_id FROM devices WHERE health <> 'fine'"
	return out, s.q(ctx).Raw(query).Scan(&out).Error
}

// Kinds returns which kinds of devices there are.
func (s Devices) Kinds(ctx context.Context) (out []string, err error) {
	return out, s.q(ctx).Raw("SELECT DISTINCT kind FROM devices ORDER BY kind").Scan(&out).Error
}

// picked are the devices d that were picked by what holds for them.
const picked = "((d.place_id = ANY(?::bigint[]) AND d.id <> ALL(?::bigint[])) OR d.id = ANY(?::bigint[]))"

func pickedBy(p domain.PickedDevices) []any {
	return []any{arrayOf(p.Places), arrayOf(p.Without), arrayOf(p.With)}
}

// deviceOrder are the orders of a list; the other way round for a leading "-".
var deviceOrder = map[string]string{
	"name": "d.name", "address": "d.address", "kind": "d.kind, d.name", "place": "p.name, d.name", "since": "d.health_since DESC, d.name",
	"-name": "d.name DESC", "-address": "d.address DESC", "-kind": "d.kind DESC, d.name DESC", "-place": "p.name DESC, d.name DESC",
	"-since": "d.health_since, d.name", "-health": badness + ", d.name DESC",
}

// pageFound asks for a page of devices and counts all. Where they are searched for, all of them
// are looked through once: not again for the page.
func (s Devices) pageFound(ctx context.Context, q *gorm.DB, searched bool, p domain.Page) (page *gorm.DB, total int64, err error) {
	if !searched {
		return s.paged(ctx, q, "d.id", deviceColumn, p)
	}
	ids, err := manyIDs(q, "d.id", "")
	if err != nil {
		return nil, 0, err
	}
	// As a table they are joined by their hashes; as an array each device was compared with each.
	found := s.q(ctx).Table("devices d").Where("d.id IN (SELECT unnest(?::text::bigint[]))", arrayOf(ids))
	page, err = pageOf(found, "d.id", deviceColumn, p)
	return page, min(int64(len(ids)), domain.MostCounted+1), err
}

// Find returns devices, the worst first unless sorted otherwise, and how many
// match in all.
func (s Devices) Find(ctx context.Context, f domain.DeviceFilter) (out []domain.Device, total int64, err error) {
	q := s.q(ctx).Table("devices d").Joins("JOIN places p ON p.id = d.place_id")
	q = when(q, f.Health != "", "d.health = ?", string(f.Health))
	q = when(q, f.Kind != "", "d.kind = ?", f.Kind)
	if f.Search != "" {
		q = q.Where(
			`concat_ws(' ', d.name, d.friendly, host(d.address), d.vendor, d.model, p.name, d.health_note) ILIKE @like
			OR d.id IN (SELECT device_id FROM attributes WHERE device_id IS NOT NULL AND concat_ws('=', name, value) ILIKE @like)`,
			map[string]any{"like": "%" + escapeLike(f.Search) + "%"},
		)
	}
	if f.Picked != nil {
		q = q.Where(picked, pickedBy(*f.Picked)...)
	}
	if f.Page != nil {
		page, total, err := s.pageFound(ctx, q, f.Search != "", *f.Page)
		if err != nil {
			return nil, 0, err
		}
		rows, err := page.Select(deviceColumns).Rows()
		out, err = collect(rows, err, scanDevice)
		return out, total, err
	}
	order, ok := deviceOrder[f.Sort]
	if !ok {
		order = badness + " DESC, d.name"
	}
	if f.Search != "" { // to look through all of them once is enough
		ids, err := manyIDs(q, "d.id", order)
		if err != nil {
			return nil, 0, err
		}
		end := len(ids)
		if f.Limit >= 0 {
			end = min(f.Offset+f.Limit, end)
		}
		shown := ids[min(f.Offset, end):end]
		out, err := s.inOrder(ctx, shown)
		return out, int64(len(ids)), err
	}
	if err := q.Count(&total).Error; err != nil {
		return nil, 0, err
	}
	rows, err := q.Select(deviceColumns).Order(order).Limit(f.Limit).Offset(f.Offset).Rows()
	out, err = collect(rows, err, scanDevice)
	return out, total, err
}

var deviceColumn = map[string]column{"name": {"d.name", ofText}, "since": {"d.health_since", ofTime}, "created": {"d.created_at", ofTime}}

// inOrder returns the given devices in their order.
func (s Devices) inOrder(ctx context.Context, ids []domain.ID) ([]domain.Device, error) {
	rows, err := s.q(ctx).Raw("SELECT "+deviceColumns+` FROM unnest(?::text::bigint[]) WITH ORDINALITY AS o(id, place)
		JOIN devices d ON d.id = o.id ORDER BY o.place`, arrayOf(ids)).Rows()
	return collect(rows, err, scanDevice)
}

package store

import (
	"cmp"
	"context"
	"net/netip"
	"time"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

type placeRow struct {
	ID        int64
	ParentID  *int64
	Name      string
	Kind      string
	GatewayID *int64
}

func (placeRow) TableName() string { return "places" }

func (r placeRow) domain() domain.Place {
	return domain.Place{ID: r.ID, ParentID: orZero(r.ParentID), Name: r.Name, Kind: domain.PlaceKind(r.Kind), GatewayID: orZero(r.GatewayID)}
}

// Places returns all places, parents not necessarily first, ordered by name.
func (s *Store) Places(ctx context.Context) ([]domain.Place, error) {
	var rows []placeRow
	if err := s.q(ctx).Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	return each(rows, placeRow.domain), nil
}

// SavePlace inserts a place, or changes one that has an id.
func (s *Store) SavePlace(ctx context.Context, p domain.Place) (domain.Place, error) {
	row := placeRow{p.ID, null(p.ParentID), p.Name, string(p.Kind), null(p.GatewayID)}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

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

// Devices returns all devices, ordered by name.
func (s *Store) Devices(ctx context.Context) ([]domain.Device, error) {
	// Read without reflection: every overview needs all of them.
	rows, err := s.pool.Query(ctx, `SELECT id, place_id, name, host(address), port, kind, vendor, model, description, object_id, identity,
		credential_id, via_id, paused, health, health_since, health_note, booted_at, created_at FROM devices ORDER BY name`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(x pgx.CollectableRow) (domain.Device, error) {
		var r deviceRow
		err := x.Scan(&r.ID, &r.PlaceID, &r.Name, &r.Address, &r.Port, &r.Kind, &r.Vendor, &r.Model, &r.Description, &r.ObjectID, &r.Identity,
			&r.CredentialID, &r.ViaID, &r.Paused, &r.Health, &r.HealthSince, &r.HealthNote, &r.BootedAt, &r.CreatedAt)
		return r.domain(), err
	})
}

// DeviceNames returns the names of the given devices.
func (s *Store) DeviceNames(ctx context.Context, ids []domain.ID) (map[domain.ID]string, error) {
	rows, err := s.pool.Query(ctx, "SELECT id, name FROM devices WHERE id = ANY($1)", ids)
	if err != nil {
		return nil, err
	}
	out := map[domain.ID]string{}
	var id domain.ID
	var name string
	_, err = pgx.ForEachRow(rows, []any{&id, &name}, func() error { out[id] = name; return nil })
	return out, err
}

// Device returns one device, or ErrNotFound.
func (s *Store) Device(ctx context.Context, id domain.ID) (domain.Device, error) {
	var row deviceRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// AddDevice inserts a device with its addresses and its identity.
func (s *Store) AddDevice(ctx context.Context, d domain.Device, identity string, addresses []string) (domain.Device, error) {
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

// UpdateDevice changes what people may change of a device.
func (s *Store) UpdateDevice(ctx context.Context, d domain.Device) error {
	return must(s.q(ctx).Model(&deviceRow{}).Where("id = ?", d.ID).Updates(map[string]any{
		"place_id": d.PlaceID, "name": d.Name, "via_id": null(d.ViaID), "paused": d.Paused}))
}

// DeleteDevice removes a device with everything that hangs on it.
func (s *Store) DeleteDevice(ctx context.Context, id domain.ID) error {
	var series []domain.ID
	if err := s.q(ctx).Table("series").Where("device_id = ?", id).Pluck("id", &series).Error; err != nil {
		return err
	}
	if err := must(s.q(ctx).Delete(&deviceRow{}, id)); err != nil {
		return err
	}
	s.Samples.Forget(series)
	s.words.forget(series)
	return nil
}

// SetHealth records a device's health.
func (s *Store) SetHealth(ctx context.Context, id domain.ID, h domain.Health, since time.Time, note string) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Updates(map[string]any{"health": string(h), "health_since": since, "health_note": note}).Error
}

// SetBooted records when a device started, as learnt from sysUpTime.
func (s *Store) SetBooted(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Model(&deviceRow{}).Where("id = ?", id).Update("booted_at", at).Error
}

// KnownDevice is how a find is recognised as watched already.
type KnownDevice struct {
	ID       int64
	Identity string
	Address  string
}

// KnownDevices returns identity and every address of all devices.
func (s *Store) KnownDevices(ctx context.Context) (byIdentity, byAddress map[string]domain.ID, err error) {
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

// AddressesOf returns the further addresses of a device.
func (s *Store) AddressesOf(ctx context.Context, id domain.ID) ([]string, error) {
	var out []string
	err := s.q(ctx).Raw("SELECT host(address) FROM device_addresses WHERE device_id = ? ORDER BY address", id).Scan(&out).Error
	return out, err
}

type fittingRow struct {
	ID         int64
	DeviceID   int64
	Kit        string
	Parameters map[string]string `gorm:"serializer:json"`
}

func (fittingRow) TableName() string { return "fittings" }

func (r fittingRow) domain() domain.Fitting {
	return domain.Fitting{ID: r.ID, DeviceID: r.DeviceID, Kit: r.Kit, Parameters: r.Parameters}
}

// Fittings returns the fitted kits of a device, or of all for id 0.
func (s *Store) Fittings(ctx context.Context, deviceID domain.ID) ([]domain.Fitting, error) {
	q := s.q(ctx).Order("device_id, kit")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []fittingRow
	err := q.Find(&rows).Error
	return each(rows, fittingRow.domain), err
}

// Fit puts a kit on a device, or changes its parameters there.
func (s *Store) Fit(ctx context.Context, f domain.Fitting) error {
	if f.Parameters == nil {
		f.Parameters = map[string]string{}
	}
	row := fittingRow{DeviceID: f.DeviceID, Kit: f.Kit, Parameters: f.Parameters}
	return known(s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "device_id"}, {Name: "kit"}}, DoUpdates: clause.AssignmentColumns([]string{"parameters"})}).Create(&row).Error)
}

type partRow struct {
	ID       int64
	DeviceID int64
	Kit      string
	Kind     string
	Key      string
	Index    string
	Name     string
	Note     string
	Speed    float64
	GoneAt   *time.Time
}

func (partRow) TableName() string { return "parts" }

func (r partRow) domain() domain.Part {
	return domain.Part{ID: r.ID, DeviceID: r.DeviceID, Kit: r.Kit, Kind: r.Kind, Key: r.Key, Index: r.Index, Name: r.Name, Note: r.Note, Speed: r.Speed, GoneAt: orNever(r.GoneAt)}
}

// Parts returns the parts of a device, or of all for id 0.
func (s *Store) Parts(ctx context.Context, deviceID domain.ID) ([]domain.Part, error) {
	q := s.q(ctx).Order("device_id, kind, id")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []partRow
	err := q.Find(&rows).Error
	return each(rows, partRow.domain), err
}

// SaveParts inserts parts without an id and changes the others. The result
// has the ids.
func (s *Store) SaveParts(ctx context.Context, parts []domain.Part) ([]domain.Part, error) {
	rows := make([]partRow, len(parts))
	for i, p := range parts {
		rows[i] = partRow{p.ID, p.DeviceID, p.Kit, p.Kind, p.Key, p.Index, p.Name, p.Note, p.Speed, moment(p.GoneAt)}
		if err := s.q(ctx).Save(&rows[i]).Error; err != nil {
			return nil, known(err)
		}
	}
	return each(rows, partRow.domain), nil
}

// PartName returns the name of a part; empty for none.
func (s *Store) PartName(ctx context.Context, id domain.ID) (name string, err error) {
	err = s.q(ctx).Raw("SELECT coalesce((SELECT name FROM parts WHERE id = ?), '')", id).Scan(&name).Error
	return name, err
}

type seriesRow struct {
	ID       int64
	DeviceID int64
	PartID   *int64
	Kit      string
	Reading  string
	Name     string
	Unit     string
	Kind     string
	EveryS   int `gorm:"column:every_s"`
	State    string
	Error    string
}

func (seriesRow) TableName() string { return "series" }

func (r seriesRow) domain() domain.Series {
	return domain.Series{ID: r.ID, DeviceID: r.DeviceID, PartID: orZero(r.PartID), Kit: r.Kit, Reading: r.Reading, Name: r.Name, Unit: r.Unit,
		Kind: domain.SeriesKind(r.Kind), Interval: time.Duration(r.EveryS) * time.Second, State: domain.SeriesState(r.State), Error: r.Error}
}

// SeriesOf returns the series of a device, or of all for id 0.
func (s *Store) SeriesOf(ctx context.Context, deviceID domain.ID) ([]domain.Series, error) {
	q := s.q(ctx).Order("device_id, id")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []seriesRow
	err := q.Find(&rows).Error
	return each(rows, seriesRow.domain), err
}

// Series returns one series, or ErrNotFound.
func (s *Store) Series(ctx context.Context, id domain.ID) (domain.Series, error) {
	var row seriesRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// AddSeries inserts series; the result has the ids.
func (s *Store) AddSeries(ctx context.Context, series []domain.Series) ([]domain.Series, error) {
	if len(series) == 0 {
		return nil, nil
	}
	rows := make([]seriesRow, len(series))
	for i, x := range series {
		rows[i] = seriesRow{0, x.DeviceID, null(x.PartID), x.Kit, x.Reading, x.Name, x.Unit, string(cmp.Or(x.Kind, domain.KindNumber)), int(x.Interval / time.Second), string(domain.SeriesWaiting), ""}
	}
	err := s.q(ctx).CreateInBatches(&rows, 1000).Error
	return each(rows, seriesRow.domain), known(err)
}

// SetKind says what the values of all series of a reading are.
func (s *Store) SetKind(ctx context.Context, kit, reading string, kind domain.SeriesKind) error {
	return s.q(ctx).Exec("UPDATE series SET kind = ? WHERE kit = ? AND reading = ? AND kind <> ?", kind, kit, reading, kind).Error
}

// SetSeriesState records how collecting goes, for several series at once.
func (s *Store) SetSeriesState(ctx context.Context, states []domain.Series) error {
	ids, state, errs := make([]int64, len(states)), make([]string, len(states)), make([]string, len(states))
	for i, x := range states {
		ids[i], state[i], errs[i] = x.ID, string(x.State), x.Error
	}
	_, err := s.pool.Exec(ctx, `UPDATE series s SET state = n.state, error = n.error
		FROM unnest($1::bigint[], $2::text[], $3::text[]) AS n(id, state, error) WHERE s.id = n.id`, ids, state, errs)
	return err
}

func each[A, B any](in []A, f func(A) B) []B {
	out := make([]B, len(in))
	for i, x := range in {
		out[i] = f(x)
	}
	return out
}

// CountSeries returns how many series there are.
func (s *Store) CountSeries(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Table("series").Count(&n).Error
}

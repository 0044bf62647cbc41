package store

import (
	"cmp"
	"context"
	"database/sql"
	"time"

	"tirelessowl/internal/domain"
)

// Series are what is collected.
type Series struct{ area }

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
	return domain.Series{
		ID:       r.ID,
		DeviceID: r.DeviceID,
		PartID:   orZero(r.PartID),
		Kit:      r.Kit,
		Reading:  r.Reading,
		Name:     r.Name,
		Unit:     r.Unit,
		Kind: domain.SeriesKind(
			r.Kind,
		),
		Interval: time.Duration(r.EveryS) * time.Second,
		State:    domain.SeriesState(r.State),
		Error:    r.Error,
	}
}

// Of returns the series of a device, or of all for id 0.
func (s Series) Of(ctx context.Context, deviceID domain.ID) ([]domain.Series, error) {
	q := s.q(ctx).Order("device_id, id")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []seriesRow
	err := q.Find(&rows).Error
	return each(rows, seriesRow.domain), err
}

// OfPart returns the series of a part.
func (s Series) OfPart(ctx context.Context, partID domain.ID) ([]domain.Series, error) {
	var rows []seriesRow
	err := s.q(ctx).Where("part_id = ?", partID).Order("id").Find(&rows).Error
	return each(rows, seriesRow.domain), err
}

// One returns one series, or ErrNotFound.
func (s Series) One(ctx context.Context, id domain.ID) (domain.Series, error) {
	var row seriesRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// Some returns the given series, as far as they are there.
func (s Series) Some(ctx context.Context, ids []domain.ID) ([]domain.Series, error) {
	var rows []seriesRow
	err := s.q(ctx).Where("id = ANY(?::bigint[])", arrayOf(ids)).Order("id").Find(&rows).Error
	return each(rows, seriesRow.domain), err
}

// Add inserts series; the result has the ids.
func (s Series) Add(ctx context.Context, series []domain.Series) ([]domain.Series, error) {
	if len(series) == 0 {
		return nil, nil
	}
	rows := make([]seriesRow, len(series))
	for i, x := range series {
		rows[i] = seriesRow{
			DeviceID: x.DeviceID,
			PartID:   null(x.PartID),
			Kit:      x.Kit,
			Reading:  x.Reading,
			Name:     x.Name,
			Unit:     x.Unit,
			Kind:     string(cmp.Or(x.Kind, domain.KindNumber)),
			EveryS:   int(x.Interval / time.Second),
			State:    string(domain.SeriesWaiting),
		}
	}
	err := s.q(ctx).CreateInBatches(&rows, 1000).Error
	return each(rows, seriesRow.domain), known(err)
}

// SetReading brings all series of a reading in step with what it is now, but for how often
// it is collected, which differs by device.
func (s Series) SetReading(ctx context.Context, x domain.Series) error {
	return s.q(ctx).Exec(`UPDATE series SET name = ?, unit = ?, kind = ? WHERE kit = ? AND reading = ?
		AND (name, unit, kind) IS DISTINCT FROM (?::text, ?::text, ?::text)`,
		x.Name, x.Unit, x.Kind, x.Kit, x.Reading, x.Name, x.Unit, x.Kind).Error
}

// SetInterval notes how often some series are collected.
func (s Series) SetInterval(ctx context.Context, ids []domain.ID, every time.Duration) error {
	return s.q(ctx).Table("series").Where("id = ANY(?::bigint[])", arrayOf(ids)).Update("every_s", int(every/time.Second)).Error
}

type seriesState struct {
	ID    domain.ID `json:"id"`
	State string    `json:"state"`
	Error string    `json:"error"`
}

// SetStates records how collecting goes, for several series at once.
func (s Series) SetStates(ctx context.Context, states []domain.Series) error {
	rows := make([]seriesState, len(states))
	for i, x := range states {
		rows[i] = seriesState{ID: x.ID, State: string(x.State), Error: x.Error}
	}
	return s.q(ctx).Exec(`UPDATE series s SET state = n.state, error = n.error
		FROM jsonb_to_recordset(?::jsonb) AS n(id bigint, state text, error text) WHERE s.id = n.id`, recordsOf(rows)).Error
}

// Beside returns, by the ids of series, those of another reading of the same kit, device and part; readings are by
// the same ids.
func (s Series) Beside(ctx context.Context, readings map[domain.ID]string) (map[domain.ID]domain.Series, error) {
	wanted := make([]besideRow, 0, len(readings))
	for id, reading := range readings {
		wanted = append(wanted, besideRow{id, reading})
	}
	var rows []struct {
		Of  int64
		Row seriesRow `gorm:"embedded"`
	}
	err := s.q(ctx).Raw(`SELECT s.id AS of, b.* FROM jsonb_to_recordset(?::jsonb) AS n(of bigint, reading text)
		JOIN series s ON s.id = n.of
		JOIN series b ON b.device_id = s.device_id AND b.kit = s.kit AND b.reading = n.reading
			AND b.part_id IS NOT DISTINCT FROM s.part_id`, recordsOf(wanted)).Scan(&rows).Error
	out := make(map[domain.ID]domain.Series, len(rows))
	for _, r := range rows {
		out[r.Of] = r.Row.domain()
	}
	return out, err
}

type besideRow struct {
	Of      domain.ID `json:"of"`
	Reading string    `json:"reading"`
}

// Count returns how many series there are.
func (s Series) Count(ctx context.Context) (n int64, err error) {
	return n, s.q(ctx).Table("series").Count(&n).Error
}

// IDs returns all series of a reading.
func (s Series) IDs(ctx context.Context, k domain.ReadingKey) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Table("series").Where("kit = ? AND reading = ?", k.Kit, k.Reading).Order("id").Pluck("id", &ids).Error
}

// SeriesSubject is a series with the names of what it belongs to.
type SeriesSubject struct {
	domain.Series
	Device string
	Part   string
	Speed  float64 // bit/s, zero when not known
}

type subjectRow struct {
	Row    seriesRow `gorm:"embedded"`
	Device string
	Part   string
	Speed  float64
}

func (r subjectRow) subject() SeriesSubject {
	return SeriesSubject{Series: r.Row.domain(), Device: r.Device, Part: r.Part, Speed: r.Speed}
}

// Read names a reading of a kit, at one device or, with none, at all.
type Read struct {
	Kit, Reading string
	DeviceID     domain.ID
}

// OfReading returns the series of one reading with the names of their
// devices and parts.
func (s Series) OfReading(ctx context.Context, r Read, limit int) ([]SeriesSubject, error) {
	var rows []subjectRow
	err := s.q(ctx).
		Raw(`SELECT s.*, d.name AS device, coalesce(p.name, '') AS part, coalesce(p.speed, 0) AS speed FROM series s
			JOIN devices d ON d.id = s.device_id
		LEFT JOIN parts p ON p.id = s.part_id WHERE s.kit = ? AND s.reading = ? AND (? = 0 OR s.device_id = ?)
		ORDER BY d.name, p.id LIMIT ?`, r.Kit, r.Reading, r.DeviceID, r.DeviceID, limit).
		Scan(&rows).
		Error
	return each(rows, subjectRow.subject), err
}

// NamedSeries is a series with the names that tell it from all others.
type NamedSeries struct {
	ID      domain.ID
	Device  string
	Part    string
	Kit     string
	Reading string
	Unit    string
	Kind    domain.SeriesKind
}

// NamedFilter picks series by their names; empty fields do not filter.
type NamedFilter struct {
	Device, Part, Kit, Reading string
	ID                         domain.ID
}

// Named returns series by kit, reading, device and part.
func (s Series) Named(ctx context.Context, f NamedFilter) (rows []NamedSeries, err error) {
	q := s.q(ctx).Table("series s").Joins("JOIN devices d ON d.id = s.device_id").Joins("LEFT JOIN parts p ON p.id = s.part_id")
	q = when(q, f.Device != "", "d.name = ?", f.Device)
	q = when(q, f.Part != "", "p.name = ?", f.Part)
	q = when(q, f.Kit != "", "s.kit = ?", f.Kit)
	q = when(q, f.Reading != "", "s.reading = ?", f.Reading)
	q = when(q, f.ID != 0, "s.id = ?", f.ID)
	err = q.Select("s.id, d.name AS device, coalesce(p.name, '') AS part, s.kit, s.reading, s.unit, s.kind").
		Order("s.kit, s.reading, d.name, p.name, s.id").
		Scan(&rows).
		Error
	return rows, err
}

// OfDevice returns the ids of a device's series.
func (s Series) OfDevice(ctx context.Context, deviceID domain.ID) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Table("series").Where("device_id = ?", deviceID).Pluck("id", &ids).Error
}

// OfReadings returns the series of some readings of a device's present parts,
// with the parts.
func (s Series) OfReadings(ctx context.Context, deviceID domain.ID, kit string, readings []string) (map[domain.ID]domain.ID, error) {
	if len(readings) == 0 {
		return nil, nil
	}
	var rows []struct{ ID, PartID int64 }
	err := s.q(ctx).Table("series").Select("id, part_id").
		Where("device_id = ? AND kit = ? AND reading IN ?", deviceID, kit, readings).
		Where("part_id IN (SELECT id FROM parts WHERE device_id = ? AND gone_at IS NULL)", deviceID).Scan(&rows).Error
	out := make(map[domain.ID]domain.ID, len(rows))
	for _, r := range rows {
		out[r.ID] = r.PartID
	}
	return out, err
}

// AllIDs returns the ids of all series.
func (s Series) AllIDs(ctx context.Context) (ids []domain.ID, err error) {
	return ids, s.q(ctx).Table("series").Order("id").Pluck("id", &ids).Error
}

// Surveyed is a device with where it stands and its series.
type Surveyed struct {
	DeviceID, PlaceID domain.ID
	Series            []domain.ID
}

// Survey returns all devices that have series, with these.
func (s Series) Survey(ctx context.Context) ([]Surveyed, error) {
	rows, err := s.q(ctx).Raw(`SELECT d.id, d.place_id, s.ids FROM all_devices d
		JOIN (SELECT device_id, string_agg(id::text, ',') AS ids FROM series GROUP BY device_id) s ON s.device_id = d.id`).Rows()
	return collect(rows, err, func(rows *sql.Rows) (x Surveyed, err error) {
		var ids string
		if err := rows.Scan(&x.DeviceID, &x.PlaceID, &ids); err != nil {
			return x, err
		}
		x.Series, err = readIDs(ids)
		return x, err
	})
}

// SetOK records that values of some series have come.
func (s Series) SetOK(ctx context.Context, ids []domain.ID) error {
	return s.q(ctx).Exec("UPDATE series SET state = 'ok' WHERE id = ANY(?::bigint[])", arrayOf(ids)).Error
}

// OfParts returns the series of a device itself and of some of its parts.
func (s Series) OfParts(ctx context.Context, deviceID domain.ID, parts []domain.ID) ([]domain.Series, error) {
	var rows []seriesRow
	err := s.q(ctx).
		Where("device_id = ? AND (part_id IS NULL OR part_id = ANY(?::bigint[]))", deviceID, arrayOf(parts)).
		Order("id").
		Find(&rows).
		Error
	return each(rows, seriesRow.domain), err
}

// SeriesCount is how many series there are, how many of them fail, and how many
// values came that cannot be.
type SeriesCount struct {
	All, Failing        int
	Implausible         int64
	NewestImplausibleAt *time.Time
}

// CountOf counts the series of a device.
func (s Series) CountOf(ctx context.Context, deviceID domain.ID) (n SeriesCount, err error) {
	return n, s.q(ctx).Raw(`SELECT count(*) AS "all", count(*) FILTER (WHERE s.state = 'failing') AS failing,
			coalesce(sum(i.count), 0) AS implausible, max(i.last_at) AS newest_implausible_at
		FROM series s LEFT JOIN implausible i ON i.series_id = s.id WHERE s.device_id = ?`, deviceID).Scan(&n).Error
}

// Among returns those of some devices.
func (s Series) Among(ctx context.Context, devices []domain.ID) ([]domain.Series, error) {
	var rows []seriesRow
	err := s.q(ctx).Where("device_id = ANY(?::bigint[])", arrayOf(devices)).Order("device_id, id").Find(&rows).Error
	return each(rows, seriesRow.domain), err
}

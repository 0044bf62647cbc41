package store

import (
	"context"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"

	"gorm.io/gorm/clause"
)

// Fittings are which kits are fitted where.
type Fittings struct{ area }

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

// Of returns the fitted kits of a device, or of all for id 0.
func (s Fittings) Of(ctx context.Context, deviceID domain.ID) ([]domain.Fitting, error) {
	q := s.q(ctx).Order("device_id, kit")
	if deviceID != 0 {
		q = q.Where("device_id = ?", deviceID)
	}
	var rows []fittingRow
	err := q.Find(&rows).Error
	return each(rows, fittingRow.domain), err
}

// Volume is on how many devices a kit is fitted, and how many parts it has there by kind.
type Volume struct {
	Kit     string
	Devices int
	Parts   map[string]int
}

// Volumes tells of each kit how much there is of it where a value reaches that is set on
// the tree, by kit.
func (s Fittings) Volumes(ctx context.Context, r inherit.Reach) (out []Volume, err error) {
	var rows []struct {
		Kit, Kind string
		Devices   int
		Parts     int
	}
	err = s.q(ctx).Raw(`SELECT f.kit, coalesce(p.kind, '') AS kind, count(DISTINCT f.device_id) AS devices, count(p.id) AS parts
		FROM fittings f JOIN devices d ON d.id = f.device_id
		LEFT JOIN parts p ON p.device_id = f.device_id AND p.kit = f.kit AND p.gone_at IS NULL
		WHERE `+reached+" GROUP BY 1, 2 ORDER BY 1, 2", reachedBy(r)...).Scan(&rows).Error
	for _, row := range rows {
		if len(out) == 0 || out[len(out)-1].Kit != row.Kit {
			out = append(out, Volume{Kit: row.Kit, Parts: map[string]int{}})
		}
		v := &out[len(out)-1]
		v.Devices = max(v.Devices, row.Devices)
		v.Parts[row.Kind] = row.Parts
	}
	return out, err
}

// Volume tells how much there is of one kit.
func (s Fittings) Volume(ctx context.Context, kit string) (Volume, error) {
	var rows []struct {
		Kind    string
		Devices int
		Parts   int
	}
	err := s.q(ctx).Raw(`SELECT coalesce(p.kind, '') AS kind, count(DISTINCT f.device_id) AS devices, count(p.id) AS parts
		FROM fittings f JOIN devices d ON d.id = f.device_id
		LEFT JOIN parts p ON p.device_id = f.device_id AND p.kit = f.kit AND p.gone_at IS NULL
		WHERE f.kit = ? GROUP BY 1`, kit).Scan(&rows).Error
	v := Volume{Kit: kit, Parts: map[string]int{}}
	for _, row := range rows {
		v.Devices, v.Parts[row.Kind] = max(v.Devices, row.Devices), row.Parts
	}
	return v, err
}

// Fit puts a kit on a device, or changes its parameters there.
func (s Fittings) Fit(ctx context.Context, f domain.Fitting) error {
	if f.Parameters == nil {
		f.Parameters = map[string]string{}
	}
	row := fittingRow{DeviceID: f.DeviceID, Kit: f.Kit, Parameters: f.Parameters}
	return known(
		s.q(ctx).
			Clauses(clause.OnConflict{
				Columns:   []clause.Column{{Name: "device_id"}, {Name: "kit"}},
				DoUpdates: clause.AssignmentColumns([]string{"parameters"}),
			}).
			Create(&row).
			Error,
	)
}

package store

import (
	"context"

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

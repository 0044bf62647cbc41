package store

import (
	"context"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// Sightings are what answered a sweep, though not as a device that can be asked.
type Sightings struct{ area }

type sightingRow struct {
	SweepID int64  `gorm:"primaryKey"`
	Address string `gorm:"primaryKey"`
	Said    string
}

func (sightingRow) TableName() string { return "sightings" }

// Of returns those of a sweep by address.
func (s Sightings) Of(ctx context.Context, sweepID domain.ID) (out []domain.Sighting, err error) {
	const query = "SELECT host(address) AS address, said FROM sightings WHERE sweep_id = ? ORDER BY sightings.address"
	return out, s.q(ctx).Raw(query, sweepID).Scan(&out).Error
}

// Save adds sightings of a sweep, or brings them up to date.
func (s Sightings) Save(ctx context.Context, sweepID domain.ID, in []domain.Sighting) error {
	if len(in) == 0 {
		return nil
	}
	rows := make([]sightingRow, len(in))
	for i, x := range in {
		rows[i] = sightingRow{sweepID, x.Address, x.Said}
	}
	return s.q(ctx).Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(&rows, 500).Error
}

// Drop removes those of a sweep, which begins anew.
func (s Sightings) Drop(ctx context.Context, sweepID domain.ID) error {
	return s.q(ctx).Where("sweep_id = ?", sweepID).Delete(&sightingRow{}).Error
}

package store

import (
	"context"
	"time"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/domain"
)

// SweepRuns are what the runs of sweeps came to.
type SweepRuns struct{ area }

// SweepRun is one of them.
type SweepRun struct {
	ID                 domain.ID
	SweepID            domain.ID
	StartedAt, EndedAt time.Time
	State              domain.SweepState
	Tried, Found       int64
	Changes            []identity.Change `gorm:"serializer:json"`
	// Seen is what the next run is compared with; nil for all but the last that was done.
	Seen []identity.Seen `gorm:"serializer:json"`
}

// TableName implements gorm's Tabler.
func (SweepRun) TableName() string { return "sweep_runs" }

// mostRunsKept is how many runs of each sweep are kept.
const mostRunsKept = 100

// Add keeps a run, and forgets the oldest of its sweep.
func (s SweepRuns) Add(ctx context.Context, r SweepRun) error {
	if err := s.q(ctx).Create(&r).Error; err != nil {
		return err
	}
	if r.Seen != nil {
		err := s.q(ctx).Exec("UPDATE sweep_runs SET seen = NULL WHERE sweep_id = ? AND id <> ? AND seen IS NOT NULL", r.SweepID, r.ID).Error
		if err != nil {
			return err
		}
	}
	return s.q(ctx).Exec(`DELETE FROM sweep_runs WHERE sweep_id = ? AND id <= (SELECT id FROM sweep_runs WHERE sweep_id = ?
		ORDER BY id DESC OFFSET ? LIMIT 1)`, r.SweepID, r.SweepID, mostRunsKept).Error
}

// Seen is what the next run of a sweep is compared with; ok is false where none was done before.
func (s SweepRuns) Seen(ctx context.Context, sweepID domain.ID) (seen []identity.Seen, ok bool, err error) {
	var rows []SweepRun
	err = s.q(ctx).Where("sweep_id = ? AND seen IS NOT NULL", sweepID).Order("id DESC").Limit(1).Find(&rows).Error
	if err != nil || len(rows) == 0 {
		return nil, false, err
	}
	return rows[0].Seen, true, nil
}

// Of returns the runs of a sweep, the last first, without what they saw.
func (s SweepRuns) Of(ctx context.Context, sweepID domain.ID) (out []SweepRun, err error) {
	return out, s.q(ctx).Omit("seen").Where("sweep_id = ?", sweepID).Order("id DESC").Find(&out).Error
}

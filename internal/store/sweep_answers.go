package store

import (
	"context"
	"encoding/json"

	"gorm.io/gorm/clause"

	"tirelessowl/internal/domain"
)

// SweepAnswers are what devices said of themselves to a sweep, until it begins anew.
type SweepAnswers struct{ area }

type sweepAnswerRow struct {
	SweepID      int64  `gorm:"primaryKey"`
	Address      string `gorm:"primaryKey"`
	CredentialID *int64
	Said         string
}

func (sweepAnswerRow) TableName() string { return "sweep_answers" }

func (r sweepAnswerRow) domain() domain.SweepAnswer {
	return domain.SweepAnswer{Address: parseAddr(r.Address), CredentialID: orZero(r.CredentialID), Said: json.RawMessage(r.Said)}
}

// Of returns those of a sweep.
func (s SweepAnswers) Of(ctx context.Context, sweepID domain.ID) ([]domain.SweepAnswer, error) {
	var rows []sweepAnswerRow
	err := s.q(ctx).Where("sweep_id = ?", sweepID).Order("address").Find(&rows).Error
	return each(rows, sweepAnswerRow.domain), err
}

// Save adds answers to a sweep, in the place of what the same addresses said before.
func (s SweepAnswers) Save(ctx context.Context, sweepID domain.ID, in []domain.SweepAnswer) error {
	if len(in) == 0 {
		return nil
	}
	rows := make([]sweepAnswerRow, len(in))
	for i, x := range in {
		rows[i] = sweepAnswerRow{sweepID, x.Address.String(), null(x.CredentialID), string(x.Said)}
	}
	return s.q(ctx).Clauses(clause.OnConflict{UpdateAll: true}).CreateInBatches(&rows, 500).Error
}

// Drop removes those of a sweep, which begins anew.
func (s SweepAnswers) Drop(ctx context.Context, sweepID domain.ID) error {
	return s.q(ctx).Where("sweep_id = ?", sweepID).Delete(&sweepAnswerRow{}).Error
}

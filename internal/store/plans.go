package store

import (
	"context"

	"tirelessowl/internal/core/plan"
)

// Plans are who is told of what.
type Plans struct{ area }

type planRow struct {
	ID      int64
	Name    string
	Enabled bool
	Steps   []plan.Step `gorm:"serializer:json"`
	Tags    []string    `gorm:"serializer:json"`
	Version int
}

func (planRow) TableName() string { return "plans" }

func (r planRow) domain() plan.Plan {
	return plan.Plan{ID: r.ID, Name: r.Name, Enabled: r.Enabled, Steps: r.Steps, Tags: orNil(r.Tags), Version: r.Version}
}

// All returns the response plans.
func (s Plans) All(ctx context.Context) ([]plan.Plan, error) {
	var rows []planRow
	err := s.q(ctx).Order("name").Find(&rows).Error
	return each(rows, planRow.domain), err
}

// Save inserts a plan, or changes one that has an id; its version is the next one then.
func (s Plans) Save(ctx context.Context, p plan.Plan) (plan.Plan, error) {
	row := planRow{p.ID, p.Name, p.Enabled, append([]plan.Step{}, p.Steps...), orNone(p.Tags), p.Version + 1}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
}

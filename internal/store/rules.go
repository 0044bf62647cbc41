package store

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Rules are what counts as trouble, and where it is.
type Rules struct{ area }

type ruleRow struct {
	ID        int64
	Key       string
	Name      string
	Kit       string
	Reading   string
	Unit      string
	Kind      string
	Condition string // the document of its condition
	Title     string
	Runbook   string
	Cause     string
	Enabled   bool
	Tags      []string `gorm:"serializer:json"`
	Version   int
	DeviceID  *int64
	RemovedAt *time.Time
}

func (ruleRow) TableName() string { return "rules" }

func (r ruleRow) domain() (rule.Rule, error) {
	c, err := kinds.All.Decode(r.Kind, []byte(r.Condition))
	return rule.Rule{ID: r.ID, Key: r.Key, Name: r.Name, Kit: r.Kit, Reading: r.Reading, Unit: r.Unit, Condition: c,
		Title: r.Title, Runbook: r.Runbook, Cause: r.Cause, Enabled: r.Enabled, Tags: orNil(r.Tags),
		Version: r.Version, DeviceID: orZero(r.DeviceID)}, err
}

// present are the rules that are not removed, nor their devices.
const present = "removed_at IS NULL AND (device_id IS NULL OR device_id IN (SELECT id FROM devices))"

// All returns all rules, ordered by kit and name.
func (s Rules) All(ctx context.Context) ([]rule.Rule, error) {
	return s.find(s.q(ctx).Where(present).Order("kit, reading, name"))
}

// On returns the rules that judge a reading at a device, by name.
func (s Rules) On(ctx context.Context, kit, reading string, deviceID domain.ID) ([]rule.Rule, error) {
	return s.find(s.q(ctx).Where(present).Where("kit = ? AND reading = ?", kit, reading).
		Where("device_id IS NULL OR device_id = ?", deviceID).Order("name"))
}

// Of returns the rules that judge readings of a kit.
func (s Rules) Of(ctx context.Context, kit string) ([]rule.Rule, error) {
	return s.find(s.q(ctx).Where(present).Where("kit = ?", kit))
}

// Ever returns all rules with those that are removed, which judge nothing any more.
func (s Rules) Ever(ctx context.Context) ([]rule.Rule, error) { return s.find(s.q(ctx)) }

func (s Rules) find(q *gorm.DB) ([]rule.Rule, error) {
	var rows []ruleRow
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]rule.Rule, len(rows))
	for i, r := range rows {
		var err error
		if out[i], err = r.domain(); err != nil {
			return nil, fmt.Errorf("rule %d, “%s”: %w", r.ID, r.Name, err)
		}
	}
	return out, nil
}

// One returns one rule, or ErrNotFound.
func (s Rules) One(ctx context.Context, id domain.ID) (rule.Rule, error) {
	var row ruleRow
	if err := s.q(ctx).Where(present).Take(&row, id).Error; err != nil {
		return rule.Rule{}, known(err)
	}
	return row.domain()
}

// Lock returns one rule, or ErrNotFound. Nobody else changes it until the end of the
// transaction.
func (s Rules) Lock(ctx context.Context, id domain.ID) (rule.Rule, error) {
	var row ruleRow
	if err := s.q(ctx).Clauses(clause.Locking{Strength: "NO KEY UPDATE"}).Where(present).Take(&row, id).Error; err != nil {
		return rule.Rule{}, known(err)
	}
	return row.domain()
}

// Save inserts a rule, or changes one that has an id; its version is the next one then.
func (s Rules) Save(ctx context.Context, r rule.Rule) (rule.Rule, error) {
	doc, err := rule.Document(r.Condition)
	if err != nil {
		return r, err
	}
	row := ruleRow{
		ID:        r.ID,
		Key:       r.Key,
		Name:      r.Name,
		Kit:       r.Kit,
		Reading:   r.Reading,
		Unit:      r.Unit,
		Kind:      r.Condition.Kind(),
		Condition: string(doc),
		Title:     r.Title,
		Runbook:   r.Runbook,
		Cause:     r.Cause,
		Enabled:   r.Enabled,
		Tags:      orNone(r.Tags),
		Version:   r.Version + 1,
		DeviceID:  null(r.DeviceID),
	}
	if err := known(s.q(ctx).Save(&row).Error); err != nil {
		return r, err
	}
	r.ID, r.Version = row.ID, row.Version
	return r, nil
}

// Remove switches a rule off for good; what it raised still names it.
func (s Rules) Remove(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Exec("UPDATE rules SET removed_at = ?, enabled = false WHERE id = ?", at, id).Error
}

// Removed returns a rule that is removed, or ErrNotFound.
func (s Rules) Removed(ctx context.Context, id domain.ID) (rule.Rule, error) {
	var row ruleRow
	if err := s.q(ctx).Where("removed_at IS NOT NULL").Take(&row, id).Error; err != nil {
		return rule.Rule{}, known(err)
	}
	return row.domain()
}

// Restore has a rule back that was removed; it is ErrNotFound where it is not, and ErrConflict
// where another has its name by now.
func (s Rules) Restore(ctx context.Context, id domain.ID, enabled bool) error {
	done := s.q(ctx).Exec("UPDATE rules SET removed_at = NULL, enabled = ? WHERE id = ? AND removed_at IS NOT NULL", enabled, id)
	if done.Error == nil && done.RowsAffected == 0 {
		return domain.ErrNotFound
	}
	return known(done.Error)
}

// Brought returns what kits said last of the rules that they brought, by id, with those that left with
// their kits.
func (s Rules) Brought(ctx context.Context) (map[domain.ID]Brought, error) {
	var rows []Brought
	err := s.q(ctx).Raw("SELECT id, kit, key, brought AS document, removed_at IS NOT NULL AS away FROM rules WHERE key <> ''").
		Scan(&rows).Error
	out := make(map[domain.ID]Brought, len(rows))
	for _, r := range rows {
		out[r.ID] = r
	}
	return out, err
}

// Brought is what a kit said of a rule; empty where that is not known. Away is true while the kit has no
// such rule.
type Brought struct {
	ID       domain.ID
	Kit, Key string
	Document string
	Away     bool
}

// SetBrought notes what a kit says of a rule.
func (s Rules) SetBrought(ctx context.Context, id domain.ID, document []byte) error {
	return s.q(ctx).Exec("UPDATE rules SET brought = ?::jsonb WHERE id = ?", string(document), id).Error
}

// Leave lets a rule judge nothing while its kit has it not; it stays on or off as it is.
func (s Rules) Leave(ctx context.Context, id domain.ID, at time.Time) error {
	return s.q(ctx).Exec("UPDATE rules SET removed_at = ? WHERE id = ?", at, id).Error
}

// Return is the end of Leave.
func (s Rules) Return(ctx context.Context, id domain.ID) error {
	return known(s.q(ctx).Exec("UPDATE rules SET removed_at = NULL WHERE id = ?", id).Error)
}

// RuleState is the level of a rule on a series.
type RuleState struct {
	RuleID   int64
	SeriesID int64
	Level    domain.Level
	Held     bool
	Since    time.Time
	Why      why.Trace `gorm:"serializer:json"`
}

// TableName tells GORM where states are kept.
func (RuleState) TableName() string { return "rule_states" }

// States returns all states that are not at rest.
func (s Rules) States(ctx context.Context) ([]RuleState, error) {
	var rows []RuleState
	err := s.q(ctx).Where("level > 0").Find(&rows).Error
	return rows, err
}

// SetState records the level of a rule on a series.
func (s Rules) SetState(ctx context.Context, st RuleState) error {
	return s.q(ctx).
		Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "rule_id"}, {Name: "series_id"}}, UpdateAll: true}).
		Create(&st).
		Error
}

// Level is the worst level of trouble on a series, and the part that it is of.
type Level struct {
	SeriesID int64
	PartID   int64 // 0 for the device itself
	Level    domain.Level
}

// Levels returns the worst level on each series of a device that is not at
// rest; held trouble does not count.
func (s Rules) Levels(ctx context.Context, deviceID domain.ID) (rows []Level, err error) {
	return rows, s.q(ctx).
		Raw(`SELECT r.series_id, coalesce(s.part_id, 0) AS part_id, max(r.level) AS level FROM rule_states r
			JOIN series s ON s.id = r.series_id
		WHERE s.device_id = ? AND r.level > 0 AND NOT r.held GROUP BY 1, 2`, deviceID).
		Scan(&rows).
		Error
}

// RuleNoise is how much a rule was heard of.
type RuleNoise struct {
	RuleID  int64
	Alerts  int
	Seconds float64
}

// Longest is the longest alert.
func (n RuleNoise) Longest() time.Duration { return time.Duration(n.Seconds * float64(time.Second)) }

// Noise counts alerts by rule since a time.
func (s Rules) Noise(ctx context.Context, since time.Time) (map[domain.ID]RuleNoise, error) {
	var rows []RuleNoise
	err := s.q(ctx).Raw(`SELECT rule_id, count(*) AS alerts, max(extract(epoch FROM coalesce(ended_at, now()) - opened_at)) AS seconds
		FROM alerts WHERE opened_at >= ? AND rule_id IS NOT NULL GROUP BY rule_id`, since).Scan(&rows).Error
	out := map[domain.ID]RuleNoise{}
	for _, r := range rows {
		out[r.RuleID] = r
	}
	return out, err
}

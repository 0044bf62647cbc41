package store

import (
	"context"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

type ruleRow struct {
	ID            int64
	Name          string
	Kit           string
	Reading       string
	Unit          string
	Side          string
	InARow        int                         `gorm:"column:in_a_row"`
	RecoverInARow int                         `gorm:"column:recover_in_a_row"`
	Limits        map[domain.Level]rule.Limit `gorm:"serializer:json"`
	Title         string
	Runbook       string
	Cause         string
	Enabled       bool
}

func (ruleRow) TableName() string { return "rules" }

func (r ruleRow) domain() rule.Rule {
	return rule.Rule{ID: r.ID, Name: r.Name, Kit: r.Kit, Reading: r.Reading, Unit: r.Unit, Side: rule.Side(r.Side), InARow: r.InARow,
		RecoverInARow: r.RecoverInARow, Limits: r.Limits, Title: r.Title, Runbook: r.Runbook, Cause: r.Cause, Enabled: r.Enabled}
}

// Rules returns all rules, ordered by kit and name.
func (s *Store) Rules(ctx context.Context) ([]rule.Rule, error) {
	var rows []ruleRow
	err := s.q(ctx).Order("kit, reading, name").Find(&rows).Error
	return each(rows, ruleRow.domain), err
}

// Rule returns one rule, or ErrNotFound.
func (s *Store) Rule(ctx context.Context, id domain.ID) (rule.Rule, error) {
	var row ruleRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// SaveRule inserts a rule, or changes one that has an id.
func (s *Store) SaveRule(ctx context.Context, r rule.Rule) (rule.Rule, error) {
	row := ruleRow{r.ID, r.Name, r.Kit, r.Reading, r.Unit, string(r.Side), r.InARow, r.RecoverInARow, r.Limits, r.Title, r.Runbook, r.Cause, r.Enabled}
	err := s.q(ctx).Save(&row).Error
	return row.domain(), known(err)
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

// RuleStates returns all states that are not at rest.
func (s *Store) RuleStates(ctx context.Context) ([]RuleState, error) {
	var rows []RuleState
	err := s.q(ctx).Where("level > 0").Find(&rows).Error
	return rows, err
}

// SetRuleState records the level of a rule on a series.
func (s *Store) SetRuleState(ctx context.Context, st RuleState) error {
	return s.q(ctx).Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "rule_id"}, {Name: "series_id"}}, UpdateAll: true}).Create(&st).Error
}

type transitionRow struct {
	ID         int64
	DeviceID   int64
	SeriesID   *int64
	RuleID     *int64
	FromHealth string
	ToHealth   string
	At         time.Time
	Reason     string
	Held       bool
	Why        why.Trace `gorm:"serializer:json"`
}

func (transitionRow) TableName() string { return "transitions" }

func (r transitionRow) domain() domain.Transition {
	return domain.Transition{ID: r.ID, DeviceID: r.DeviceID, SeriesID: orZero(r.SeriesID), RuleID: orZero(r.RuleID), From: domain.Health(r.FromHealth),
		To: domain.Health(r.ToHealth), At: r.At.UTC(), Reason: r.Reason, Held: r.Held, Why: r.Why}
}

// AddTransitions records changes of health.
func (s *Store) AddTransitions(ctx context.Context, in []domain.Transition) error {
	if len(in) == 0 {
		return nil
	}
	rows := make([]transitionRow, len(in))
	for i, t := range in {
		rows[i] = transitionRow{0, t.DeviceID, null(t.SeriesID), null(t.RuleID), string(t.From), string(t.To), t.At, t.Reason, t.Held, t.Why}
	}
	return s.q(ctx).CreateInBatches(&rows, 500).Error
}

// TransitionFilter picks transitions; zero fields do not filter.
type TransitionFilter struct {
	DeviceID domain.ID
	SeriesID domain.ID
	To       domain.Health
	Search   string // part of a device's name or of the reason
	From     time.Time
	Until    time.Time
	Devices  bool // only those of whole devices
	Limit    int
	Offset   int
}

// Transitions returns changes of health, newest first.
func (s *Store) Transitions(ctx context.Context, f TransitionFilter) ([]domain.Transition, error) {
	q := s.q(ctx).Order("at DESC, id DESC")
	q = when(q, f.DeviceID != 0, "device_id = ?", f.DeviceID)
	q = when(q, f.SeriesID != 0, "series_id = ?", f.SeriesID)
	q = when(q, f.To != "", "to_health = ?", string(f.To))
	q = when(q, !f.From.IsZero(), "at >= ?", f.From)
	q = when(q, !f.Until.IsZero(), "at < ?", f.Until)
	q = when(q, f.Devices, "series_id IS NULL")
	if f.Search != "" {
		like := "%" + escapeLike(f.Search) + "%"
		q = q.Where("reason ILIKE ? OR device_id IN (SELECT id FROM devices WHERE name ILIKE ?)", like, like)
	}
	if f.Limit > 0 {
		q = q.Limit(f.Limit).Offset(f.Offset)
	}
	var rows []transitionRow
	err := q.Find(&rows).Error
	return each(rows, transitionRow.domain), err
}

// Transition returns one change, or ErrNotFound.
func (s *Store) Transition(ctx context.Context, id domain.ID) (domain.Transition, error) {
	var row transitionRow
	err := s.q(ctx).Take(&row, id).Error
	return row.domain(), known(err)
}

// RibbonChange is a device's change of health, without its explanation.
type RibbonChange struct {
	DeviceID   int64
	FromHealth string
	ToHealth   string
	At         time.Time
}

// RibbonChanges returns the changes of whole devices since a time, ordered by
// device and time; no ids mean all.
func (s *Store) RibbonChanges(ctx context.Context, ids []domain.ID, since time.Time) ([]RibbonChange, error) {
	q := s.q(ctx).Table("transitions").Select("device_id, from_health, to_health, at").Where("series_id IS NULL AND at >= ?", since).Order("device_id, at, id")
	q = when(q, len(ids) > 0, "device_id IN ?", ids)
	var rows []RibbonChange
	err := q.Scan(&rows).Error
	return rows, err
}

func when(q *gorm.DB, cond bool, where string, args ...any) *gorm.DB {
	if !cond {
		return q
	}
	return q.Where(where, args...)
}

// escapeLike makes text stand for itself within a LIKE pattern.
func escapeLike(text string) string {
	out := make([]rune, 0, len(text))
	for _, r := range text {
		if r == '%' || r == '_' || r == '\\' {
			out = append(out, '\\')
		}
		out = append(out, r)
	}
	return string(out)
}

// LevelsOf returns the worst level on each series of a device that is not at
// rest; held trouble does not count.
func (s *Store) LevelsOf(ctx context.Context, deviceID domain.ID) (map[domain.ID]domain.Level, error) {
	var rows []struct {
		SeriesID int64
		Level    domain.Level
	}
	err := s.q(ctx).Raw(`SELECT r.series_id, max(r.level) AS level FROM rule_states r JOIN series s ON s.id = r.series_id
		WHERE s.device_id = ? AND r.level > 0 AND NOT r.held GROUP BY r.series_id`, deviceID).Scan(&rows).Error
	out := map[domain.ID]domain.Level{}
	for _, r := range rows {
		out[r.SeriesID] = r.Level
	}
	return out, err
}

// Hit is something that a search found.
type Hit struct {
	Kind string
	ID   int64
	Name string
	Note string
}

// Search finds devices, places, parts, rules and incidents by any fragment of name or address.
func (s *Store) Search(ctx context.Context, text string, limit int) ([]Hit, error) {
	like := "%" + escapeLike(text) + "%"
	var hits []Hit
	err := s.q(ctx).Raw(`(SELECT 'device' AS kind, d.id, d.name, host(d.address) || ', ' || d.kind AS note FROM devices d
			WHERE d.name ILIKE ? OR EXISTS (SELECT 1 FROM device_addresses a WHERE a.device_id = d.id AND host(a.address) LIKE ?) ORDER BY length(d.name), d.name LIMIT ?)
		UNION ALL (SELECT 'place', p.id, p.name, count(d.id) || ' devices' FROM places p LEFT JOIN devices d ON d.place_id = p.id WHERE p.name ILIKE ? GROUP BY p.id ORDER BY p.name LIMIT 5)
		UNION ALL (SELECT 'incident', i.id, i.title, i.state FROM incidents i WHERE i.title ILIKE ? ORDER BY i.opened_at DESC LIMIT 5)
		UNION ALL (SELECT 'rule', r.id, r.name, r.kit FROM rules r WHERE r.name ILIKE ? ORDER BY r.name LIMIT 5)
		UNION ALL (SELECT 'part', p.device_id, p.name || ' of ' || d.name, p.note FROM parts p JOIN devices d ON d.id = p.device_id
			WHERE p.name ILIKE ? OR p.note ILIKE ? ORDER BY p.name, d.name LIMIT 6)`, like, like, limit, like, like, like, like, like).Scan(&hits).Error
	return hits, err
}

// RuleNoise is how much a rule was heard of.
type RuleNoise struct {
	RuleID  int64
	Alerts  int
	Seconds float64
}

// Longest is the longest alert.
func (n RuleNoise) Longest() time.Duration { return time.Duration(n.Seconds * float64(time.Second)) }

// RuleNoise counts alerts by rule since a time.
func (s *Store) RuleNoise(ctx context.Context, since time.Time) (map[domain.ID]RuleNoise, error) {
	var rows []RuleNoise
	err := s.q(ctx).Raw(`SELECT rule_id, count(*) AS alerts, max(extract(epoch FROM coalesce(ended_at, now()) - opened_at)) AS seconds
		FROM alerts WHERE opened_at >= ? AND rule_id IS NOT NULL GROUP BY rule_id`, since).Scan(&rows).Error
	out := map[domain.ID]RuleNoise{}
	for _, r := range rows {
		out[r.RuleID] = r
	}
	return out, err
}

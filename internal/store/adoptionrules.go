package store

import (
	"context"
	"encoding/json"

	"tirelessowl/internal/domain"
)

// AdoptionRules are what sweeps adopt without asking.
type AdoptionRules struct{ area }

// Of returns the rules of a sweep, in their order; none where it asks about everything.
func (s AdoptionRules) Of(ctx context.Context, sweepID domain.ID) (rules []domain.AdoptionRule, err error) {
	var stored []string
	if err := s.q(ctx).Raw("SELECT rules::text FROM adoption_rules WHERE sweep_id = ?", sweepID).Scan(&stored).Error; err != nil {
		return nil, err
	}
	if len(stored) == 0 {
		return nil, nil
	}
	return rules, json.Unmarshal([]byte(stored[0]), &rules)
}

// Set puts rules in the place of those that a sweep has.
func (s AdoptionRules) Set(ctx context.Context, sweepID domain.ID, rules []domain.AdoptionRule) error {
	if rules == nil {
		rules = []domain.AdoptionRule{}
	}
	return known(s.q(ctx).Exec(`INSERT INTO adoption_rules (sweep_id, rules) VALUES (?, ?::jsonb)
		ON CONFLICT (sweep_id) DO UPDATE SET rules = excluded.rules`, sweepID, recordsOf(rules)).Error)
}

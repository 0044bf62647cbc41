package collect

import (
	"bytes"
	"context"
	"fmt"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/store"
)

// inStep brings the rules of all kits into the database, and lets those follow that people left as their
// kits said. Those of kits that were withdrawn judge nothing. Series learn what their readings are now.
func (s *Service) inStep(ctx context.Context, withdrawn map[string]bool) error {
	return s.store.InTx(ctx, func(tx *store.Areas) error {
		existing, err := tx.Rules.Ever(ctx)
		if err != nil {
			return err
		}
		brought, err := tx.Rules.Brought(ctx)
		if err != nil {
			return err
		}
		b := bringing{tx.Rules, brought, existing}
		if err := b.leave(ctx, func(r rule.Rule) bool { return withdrawn[r.Kit] }); err != nil {
			return err
		}
		for _, k := range s.Kits() {
			for _, r := range k.Readings {
				x := seriesOf(k, r, 0, 0)
				if err := tx.Series.SetReading(ctx, x); err != nil {
					return err
				}
			}
			if err := b.bring(ctx, k); err != nil {
				return fmt.Errorf("rules of the kit %s: %w", k.Name, err)
			}
			present, err := tx.Rules.Of(ctx, k.Name)
			if err != nil {
				return err
			}
			if err := rulesFollow(ctx, tx, k, present); err != nil {
				return err
			}
		}
		return nil
	})
}

// rulesFollow lets the rules on the readings of a kit know the units and words that these have now.
func rulesFollow(ctx context.Context, tx *store.Areas, k *kit.Kit, rules []rule.Rule) error {
	for _, r := range rules {
		reading, ok := k.Reading(r.Reading)
		if r.Kit != k.Name || !ok {
			continue
		}
		changed, err := bound(&r, reading)
		if err != nil {
			return fmt.Errorf("rule %q of the kit %s: %w", r.Name, k.Name, err)
		}
		if !changed {
			continue
		}
		if _, err := tx.Rules.Save(ctx, r); err != nil {
			return fmt.Errorf("rule %q of the kit %s: %w", r.Name, k.Name, err)
		}
	}
	return nil
}

// bound lets a rule know the unit and the words of its reading.
func bound(r *rule.Rule, reading kit.Reading) (changed bool, err error) {
	changed = r.Unit != reading.Unit
	r.Unit = reading.Unit
	b, ok := r.Condition.(kit.Bound)
	if !ok {
		return changed, nil
	}
	before, err := rule.Document(r.Condition)
	if err != nil {
		return changed, err
	}
	b.Bind(reading.Codes)
	after, err := rule.Document(r.Condition)
	return changed || !bytes.Equal(before, after), err
}

// judged takes up what was changed of rules.
func (s *Service) judged(ctx context.Context) error {
	if s.Judged == nil {
		return nil
	}
	return s.Judged(ctx)
}

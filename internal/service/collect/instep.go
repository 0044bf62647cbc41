package collect

import (
	"bytes"
	"context"
	"fmt"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/store"
)

// inStep brings the rules of all kits into the database, once each by the
// kit's key: what people have changed stays as it is. Series learn what their
// readings are now.
func (s *Service) inStep(ctx context.Context) error {
	return s.store.InTx(ctx, func(tx *store.Areas) error {
		existing, err := tx.Rules.All(ctx)
		if err != nil {
			return err
		}
		have := map[string]bool{}
		for _, r := range existing {
			have[r.Kit+"/"+r.Key] = true
		}
		for _, k := range s.Kits() {
			for _, r := range k.Readings {
				x := seriesOf(k, r, 0, 0)
				if err := tx.Series.SetReading(ctx, x); err != nil {
					return err
				}
			}
			for _, r := range k.Rules {
				if have[k.Name+"/"+r.Key] {
					continue
				}
				if _, err := tx.Rules.Save(ctx, r); err != nil {
					return fmt.Errorf("rule %q of the kit %s: %w", r.Name, k.Name, err)
				}
			}
			if err := rulesFollow(ctx, tx, k, existing); err != nil {
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
		changed, err := follow(&r, reading)
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

func follow(r *rule.Rule, reading kit.Reading) (changed bool, err error) {
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

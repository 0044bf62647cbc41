package collect

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// bringing keeps the rules of kits as these say, and what people changed of them as they left it.
type bringing struct {
	rules   store.Rules
	brought map[domain.ID]store.Brought
	stored  []rule.Rule // with those that are away
}

// Judging are the rules that judge once the kits of the changes are in force that ctx is a part of: those that
// are stored, and those of kits as these would say.
func (s *Service) Judging(ctx context.Context, from *store.Areas) ([]rule.Rule, error) {
	present, err := from.Rules.All(ctx)
	kits := s.CatalogueIn(ctx)
	if err != nil || kits == s.Catalogue() {
		return present, err
	}
	brought, err := from.Rules.Brought(ctx)
	if err != nil {
		return nil, err
	}
	var out []rule.Rule
	for _, r := range present {
		k, err := kits.Kit(r.Kit)
		if err != nil || r.Key == "" {
			out = append(out, r) // it may be that of a kit that cannot be read now
			continue
		}
		i := slices.IndexFunc(k.Rules, func(x rule.Rule) bool { return x.Key == r.Key })
		if i < 0 {
			continue
		}
		was, err := wordsOf(brought[r.ID])
		if err != nil {
			return nil, err
		}
		merged := r
		if was != nil {
			if merged, _, err = follows(r, k.Rules[i], *was); err != nil {
				return nil, err
			}
		}
		out = append(out, merged)
	}
	for _, k := range kits.Kits() {
		for _, r := range k.Rules {
			if !slices.ContainsFunc(present, func(x rule.Rule) bool { return x.Kit == k.Name && x.Key == r.Key }) {
				out = append(out, r)
			}
		}
	}
	return out, nil
}

// bring brings the rules of a kit: new ones are stored, those that it has no more judge nothing until it
// has them again, and the others follow.
func (b bringing) bring(ctx context.Context, k *kit.Kit) error {
	err := b.leave(ctx, func(r rule.Rule) bool {
		return r.Kit == k.Name && !slices.ContainsFunc(k.Rules, func(x rule.Rule) bool { return x.Key == r.Key })
	})
	if err != nil {
		return err
	}
	for _, r := range k.Rules {
		i := slices.IndexFunc(b.stored, func(x rule.Rule) bool { return x.Kit == k.Name && x.Key == r.Key })
		if err := b.one(ctx, r, i); err != nil {
			return fmt.Errorf("rule %q: %w", r.Name, err)
		}
	}
	return nil
}

// leave lets those rules of kits judge nothing that are gone there.
func (b bringing) leave(ctx context.Context, gone func(rule.Rule) bool) error {
	for _, r := range b.stored {
		if r.Key == "" || b.brought[r.ID].Away || !gone(r) {
			continue
		}
		if err := b.rules.Leave(ctx, r.ID, time.Now().UTC()); err != nil {
			return err
		}
	}
	return nil
}

// one brings a rule that is stored in some place; less than zero for nowhere.
func (b bringing) one(ctx context.Context, r rule.Rule, at int) error {
	now, err := rule.SaidOf(r)
	if err != nil {
		return err
	}
	document, err := json.Marshal(now)
	if err != nil {
		return err
	}
	if at < 0 {
		r.Name = b.free(r)
		saved, err := b.rules.Save(ctx, r)
		if err != nil {
			return err
		}
		return b.rules.SetBrought(ctx, saved.ID, document)
	}
	stored := b.stored[at]
	before := b.brought[stored.ID]
	if before.Away {
		if err := b.rules.Return(ctx, stored.ID); err != nil {
			return err
		}
	}
	was, err := wordsOf(before)
	if err != nil {
		return err
	}
	if was == nil { // a release before this did not note it: what is stored is left as it is
		return b.rules.SetBrought(ctx, stored.ID, document)
	}
	merged, changed, err := follows(stored, r, *was)
	if err != nil {
		return err
	}
	if changed {
		if _, err := b.rules.Save(ctx, merged); err != nil {
			return err
		}
	}
	if alike(*was, now) {
		return nil
	}
	return b.rules.SetBrought(ctx, stored.ID, document)
}

// wordsOf is what a kit said of a rule last; nil where that is not known.
func wordsOf(b store.Brought) (*rule.Said, error) {
	if b.Document == "" {
		return nil, nil
	}
	out := &rule.Said{}
	return out, json.Unmarshal([]byte(b.Document), out)
}

// free is the name of a rule, or one that no other rule on its reading has.
func (b bringing) free(r rule.Rule) string {
	name := r.Name
	taken := func(x rule.Rule) bool { return x.Kit == r.Kit && x.Reading == r.Reading && x.Name == name }
	for n := 2; slices.ContainsFunc(b.stored, taken); n++ {
		name = fmt.Sprintf("%s (%d)", r.Name, n)
	}
	return name
}

// follows is a stored rule with what its kit says otherwise now than it did, and nobody has changed.
func follows(stored, now rule.Rule, was rule.Said) (out rule.Rule, changed bool, err error) {
	is, err := rule.SaidOf(stored)
	if err != nil {
		return stored, false, err
	}
	out = stored
	out.Reading, out.Cause = now.Reading, now.Cause
	follow(&out.Name, is.Name, was.Name, now.Name)
	follow(&out.Title, is.Title, was.Title, now.Title)
	follow(&out.Runbook, is.Runbook, was.Runbook, now.Runbook)
	if is.Enabled == was.Enabled {
		out.Enabled = now.Enabled
	}
	if slices.Equal(is.Tags, was.Tags) {
		out.Tags = now.Tags
	}
	if is.Kind == was.Kind && sameDocument(is.Condition, was.Condition) {
		out.Condition = now.Condition
	}
	then, err := rule.SaidOf(out)
	return out, !alike(is, then) || out.Reading != stored.Reading || out.Cause != stored.Cause, err
}

func follow(field *string, is, was, now string) {
	if is == was {
		*field = now
	}
}

func alike(a, b rule.Said) bool {
	return a.Name == b.Name && a.Kind == b.Kind && a.Title == b.Title && a.Runbook == b.Runbook && a.Enabled == b.Enabled &&
		slices.Equal(a.Tags, b.Tags) && sameDocument(a.Condition, b.Condition)
}

// sameDocument tells whether two documents say the same, in whatever order.
func sameDocument(a, b json.RawMessage) bool {
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	one, _ := json.Marshal(x)
	other, _ := json.Marshal(y)
	return string(one) == string(other)
}

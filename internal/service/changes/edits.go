package changes

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// things counts what an edit says.
func things(e domain.Edit) (n int) {
	for _, is := range []bool{e.Kit != nil, e.FittingRule != nil, e.Rule != nil, e.Setting != nil} {
		if is {
			n++
		}
	}
	return n
}

func bytesOf(e domain.Edit) int {
	out, _ := json.Marshal(e)
	return len(out)
}

// at is where a setting is set.
func at(x domain.SettingEdit) inherit.Thing {
	return inherit.Thing{Place: x.PlaceID, Device: x.DeviceID, Part: x.PartID}
}

// same tells whether two edits are about the same thing; new things are never the same, but for kits.
func same(a, b domain.Edit) bool {
	switch {
	case a.Kit != nil && b.Kit != nil:
		return a.Kit.Kit == b.Kit.Kit
	case a.FittingRule != nil && b.FittingRule != nil:
		return a.FittingRule.ID == b.FittingRule.ID && a.FittingRule.ID != 0
	case a.Rule != nil && b.Rule != nil:
		return a.Rule.ID == b.Rule.ID && a.Rule.ID != 0
	case a.Setting != nil && b.Setting != nil:
		return at(*a.Setting) == at(*b.Setting) && a.Setting.Key == b.Setting.Key
	}
	return false
}

// alike tells whether two edits make the same thing of what they are about, whatever it was made of.
func alike(a, b domain.Edit) bool { return bytes.Equal(plain(a), plain(b)) }

// plain is what an edit makes, without what it was made of.
func plain(e domain.Edit) []byte {
	out := domain.Edit{}
	switch {
	case e.Kit != nil:
		x := *e.Kit
		x.Base = 0
		out.Kit = &x
	case e.FittingRule != nil:
		x := *e.FittingRule
		if x.Remove {
			x = domain.FittingRuleEdit{Remove: true}
		}
		x.ID, x.Version, x.Rank = 0, 0, 0
		out.FittingRule = &x
	case e.Rule != nil:
		x := *e.Rule
		if x.Remove {
			x = domain.RuleEdit{Remove: true}
		}
		x.ID, x.Version = 0, 0
		x.Condition = compact(x.Condition)
		out.Rule = &x
	case e.Setting != nil:
		x := *e.Setting
		x.Mark = ""
		out.Setting = &x
	}
	document, _ := json.Marshal(out)
	return document
}

// compact is a document in one order, without spaces.
func compact(document json.RawMessage) json.RawMessage {
	var x any
	if json.Unmarshal(document, &x) != nil {
		return document
	}
	out, _ := json.Marshal(x)
	return out
}

// present is the edit that would make a thing what it is now.
func (s *Service) present(ctx context.Context, who access.Actor, e domain.Edit) (domain.Edit, error) {
	switch {
	case e.Kit != nil:
		return s.presentKit(ctx, who, e.Kit.Kit)
	case e.FittingRule != nil:
		return s.presentFittingRule(ctx, who, e.FittingRule.ID)
	case e.Rule != nil:
		return s.presentRule(ctx, who, e.Rule.ID)
	}
	return s.presentSetting(ctx, who, *e.Setting)
}

func (s *Service) presentKit(ctx context.Context, who access.Actor, name string) (domain.Edit, error) {
	none := domain.Edit{Kit: &domain.KitEdit{Kit: name}}
	all, err := s.Kits.Versions(ctx, who, name)
	if errors.Is(err, domain.ErrNotFound) {
		return none, nil
	}
	if err != nil {
		return none, err
	}
	v, err := s.Kits.Version(ctx, who, name, all[0].Revision)
	return domain.Edit{Kit: &domain.KitEdit{Kit: name, Document: v.Document, Base: v.Revision}}, err
}

func (s *Service) presentFittingRule(ctx context.Context, who access.Actor, id domain.ID) (domain.Edit, error) {
	r, err := s.Fitting.Rule(ctx, who, id)
	if errors.Is(err, domain.ErrNotFound) {
		r.ID = id
		return domain.Edit{FittingRule: &domain.FittingRuleEdit{FittingRule: r, Remove: true}}, nil
	}
	return domain.Edit{FittingRule: &domain.FittingRuleEdit{FittingRule: r}}, err
}

func (s *Service) presentRule(ctx context.Context, who access.Actor, id domain.ID) (domain.Edit, error) {
	r, err := s.Judge.Rule(ctx, who, id)
	if errors.Is(err, domain.ErrNotFound) {
		return domain.Edit{Rule: &domain.RuleEdit{ID: id, Remove: true}}, nil
	}
	if err != nil {
		return domain.Edit{}, err
	}
	return EditOf(r)
}

// EditOf is the edit that makes a rule what it is.
func EditOf(r rule.Rule) (domain.Edit, error) {
	document, err := rule.Document(r.Condition)
	return domain.Edit{Rule: &domain.RuleEdit{ID: r.ID, Kit: r.Kit, Reading: r.Reading, DeviceID: r.DeviceID, Name: r.Name,
		Kind: r.Condition.Kind(), Condition: document, Title: r.Title, Runbook: r.Runbook, Enabled: r.Enabled, Tags: r.Tags,
		Version: r.Version}}, err
}

func (s *Service) presentSetting(ctx context.Context, who access.Actor, x domain.SettingEdit) (domain.Edit, error) {
	value, mark, err := s.Settings.Here(ctx, who, at(x), x.Key)
	if errors.Is(err, domain.ErrNotFound) {
		err = nil // its kit, or the place, is not there yet or any more
	}
	x.Value, x.Mark = value, mark
	return domain.Edit{Setting: &x}, err
}

// do makes a thing what an edit says, by the use case for it, and returns the edit with the id that it has now.
func (s *Service) do(ctx context.Context, who access.Actor, e domain.Edit) (domain.Edit, error) {
	switch {
	case e.Kit != nil:
		return e, s.doKit(ctx, who, *e.Kit)
	case e.FittingRule != nil:
		return s.doFittingRule(ctx, who, *e.FittingRule)
	case e.Rule != nil:
		return s.doRule(ctx, who, *e.Rule)
	}
	x := *e.Setting
	return e, s.Settings.Set(ctx, who, settingTyped(x))
}

func (s *Service) doKit(ctx context.Context, who access.Actor, x domain.KitEdit) error {
	if x.Document == "" {
		return s.Kits.Withdraw(ctx, who, x.Kit, x.Base)
	}
	v, err := s.Kits.Bring(ctx, who, x.Document, x.Base)
	if err == nil && v.Kit != x.Kit {
		err = domain.FieldErrors{"document": fmt.Sprintf("The file names the kit %s, and not %s.", v.Kit, x.Kit)}
	}
	return err
}

func (s *Service) doFittingRule(ctx context.Context, who access.Actor, x domain.FittingRuleEdit) (out domain.Edit, err error) {
	if x.Remove {
		return domain.Edit{FittingRule: &x}, s.Fitting.Remove(ctx, who, x.ID, x.Version)
	}
	if x.ID != 0 && x.Version == 0 {
		if _, err := s.Fitting.Rule(ctx, who, x.ID); errors.Is(err, domain.ErrNotFound) {
			x.ID = 0 // one that was removed is made again, at its place
		}
	}
	x.FittingRule, err = s.Fitting.Save(ctx, who, x.FittingRule)
	return domain.Edit{FittingRule: &x}, err
}

func (s *Service) doRule(ctx context.Context, who access.Actor, x domain.RuleEdit) (out domain.Edit, err error) {
	if x.Remove {
		return domain.Edit{Rule: &x}, s.Judge.Remove(ctx, who, x.ID, x.Version)
	}
	var r rule.Rule
	switch {
	case x.ID == 0:
		r, err = s.Judge.Blank(ctx, who, x.Kit, x.Reading, x.DeviceID, x.Kind)
	default:
		r, err = s.Judge.Rule(ctx, who, x.ID)
		if errors.Is(err, domain.ErrNotFound) && x.Version == 0 {
			if err = s.Judge.Restore(ctx, who, x.ID, x.Enabled); err == nil {
				r, err = s.Judge.Rule(ctx, who, x.ID)
			}
		}
	}
	if err != nil {
		return out, err
	}
	if r, err = s.Judge.Decode(ctx, r, x.Kind, x.Condition); err != nil {
		return out, err
	}
	r.Name, r.Title, r.Runbook, r.Enabled, r.Tags = x.Name, x.Title, x.Runbook, x.Enabled, x.Tags
	if x.Version != 0 {
		r.Version = x.Version
	}
	if x.ID == 0 {
		r, err = s.Judge.Make(ctx, who, r)
	} else {
		r, err = s.Judge.Save(ctx, who, r)
	}
	if err != nil {
		return out, err
	}
	return EditOf(r)
}

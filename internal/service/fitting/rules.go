package fitting

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	makeRule   = act.Deed{Name: "make a fitting rule", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	changeRule = act.Deed{Name: "change a fitting rule", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	removeRule = act.Deed{Name: "remove a fitting rule", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	orderRules = act.Deed{Name: "order fitting rules", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// Bounds of rules.
const (
	mostName  = 80 // characters
	mostRules = 500
)

// Ruled is a fitting rule with on how many devices it fits something now.
type Ruled struct {
	domain.FittingRule
	Devices int
	Problem string // why it cannot be read, and is not asked; empty where it can
}

// Rules returns the fitting rules in their order. They hold for the whole tree, and who sees all of it
// sees them.
func (s *Service) Rules(ctx context.Context, who access.Actor) ([]Ruled, error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	all, err := seen.FittingRules.All(ctx)
	if err != nil {
		return nil, err
	}
	count, err := seen.Fittings.ByRule(ctx)
	_, problems := fit.Readable(all)
	out := make([]Ruled, len(all))
	for i, r := range all {
		out[i] = Ruled{r, count[r.ID], problems[r.ID]}
	}
	return out, err
}

// Rule returns one of them, or ErrNotFound.
func (s *Service) Rule(ctx context.Context, who access.Actor, id domain.ID) (domain.FittingRule, error) {
	all, err := s.Rules(ctx, who)
	if err != nil {
		return domain.FittingRule{}, err
	}
	i := slices.IndexFunc(all, func(r Ruled) bool { return r.ID == id })
	if i < 0 {
		return domain.FittingRule{}, fmt.Errorf("fitting rule %d: %w", id, domain.ErrNotFound)
	}
	return all[i].FittingRule, nil
}

// tidy is a rule with its spaces in order, and what is wrong with it by field: name, when, kits.
func (s *Service) tidy(ctx context.Context, r domain.FittingRule) (domain.FittingRule, domain.FieldErrors) {
	errs, kits := domain.FieldErrors{}, s.Kits.CatalogueIn(ctx)
	r.Name, r.When = strings.Join(strings.Fields(r.Name), " "), strings.TrimSpace(r.When)
	switch {
	case r.Name == "":
		errs["name"] = "Give the rule a name."
	case len([]rune(r.Name)) > mostName:
		errs["name"] = fmt.Sprintf("At most %d characters.", mostName)
	case !text.Printable(r.Name):
		errs["name"] = "It has characters that cannot be shown."
	}
	if problem := wrong(r.When); problem != "" {
		errs["when"] = problem
	}
	if len(r.Fits)+len(r.KeepsOff) == 0 {
		errs["kits"] = "Choose at least one kit."
	}
	for _, name := range slices.Concat(r.Fits, r.KeepsOff) {
		if _, err := kits.Kit(name); err != nil || strings.HasPrefix(name, own.Prefix) {
			errs["kits"] = "There is no kit " + name + "."
		}
		if slices.Contains(r.Fits, name) && slices.Contains(r.KeepsOff, name) {
			errs["kits"] = "It cannot both fit " + name + " and keep it off."
		}
	}
	slices.Sort(r.Fits)
	slices.Sort(r.KeepsOff)
	r.Fits, r.KeepsOff = slices.Compact(r.Fits), slices.Compact(r.KeepsOff)
	return r, errs
}

// wrong says what is wrong with a condition; empty for nothing.
func wrong(when string) string {
	if when == "" {
		return "Write for which devices, such as kind == \"switch\"."
	}
	_, err := fit.Compile(when)
	if err == nil {
		return ""
	}
	var w condition.Wrong
	if errors.As(err, &w) {
		w.Text = strings.ReplaceAll(w.Text, "there is no column", "there is no")
		return text.UpperFirst(w.Error()) + "."
	}
	return text.UpperFirst(err.Error()) + "."
}

// Save makes a rule, at the end of the order, or changes one that has an id, and fits kits by it at
// once. It is ErrChanged where it has another version, but zero.
func (s *Service) Save(ctx context.Context, who access.Actor, r domain.FittingRule) (saved domain.FittingRule, err error) {
	r, errs := s.tidy(ctx, r)
	deed := changeRule
	if r.ID == 0 {
		deed = makeRule
	}
	err = s.Desk.Do(ctx, who, deed, func(w *act.Work) error {
		all, err := lockRules(ctx, w)
		if err != nil {
			return err
		}
		var before any
		if r.ID != 0 {
			old, err := one(all, r.ID, r.Version)
			if err != nil {
				return err
			}
			before, r.Version, r.Rank = old, old.Version, old.Rank
		} else if r.Rank < 1 || r.Rank > len(all) {
			r.Rank = len(all) + 1
		}
		if len(all) >= mostRules && r.ID == 0 {
			errs["name"] = fmt.Sprintf("There are %d rules already; more are not kept.", mostRules)
		}
		if len(errs) > 0 {
			return errs
		}
		if err := s.bearable(ctx, w, r); err != nil {
			return err
		}
		if saved, err = w.FittingRules.Save(ctx, r); errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "Another rule has this name."}
		}
		if err != nil {
			return err
		}
		w.Note(thing(saved), before, saved)
		return s.follow(ctx, w)
	})
	return saved, err
}

// bearable refuses a rule that takes too long to decide about a device: everything that follows rules would
// wait for it.
func (s *Service) bearable(ctx context.Context, w *act.Work, r domain.FittingRule) error {
	all, err := s.read(ctx, w.Areas)
	if err != nil {
		return err
	}
	draft, err := fit.Read(r)
	if err != nil {
		return err
	}
	return new(Trial).ask(all, draft)
}

// lockRules returns all rules to who may change them, and lets nobody else do so.
func lockRules(ctx context.Context, w *act.Work) ([]domain.FittingRule, error) {
	if err := w.Whole(); err != nil {
		return nil, err
	}
	return w.FittingRules.Lock(ctx)
}

func one(all []domain.FittingRule, id domain.ID, version int) (domain.FittingRule, error) {
	i := slices.IndexFunc(all, func(r domain.FittingRule) bool { return r.ID == id })
	if i < 0 {
		return domain.FittingRule{}, fmt.Errorf("fitting rule %d: %w", id, domain.ErrNotFound)
	}
	if version != 0 && all[i].Version != version {
		return all[i], domain.ErrChanged
	}
	return all[i], nil
}

// follow fits all devices as the rules are now.
func (s *Service) follow(ctx context.Context, w *act.Work) error {
	if err := w.Fittings.Lock(ctx); err != nil {
		return err
	}
	w.AtEnd("fit by rules", func(ctx context.Context) error {
		changed, err := s.refit(ctx, w.Areas)
		w.ThenFor("devices", changed, s.Changed)
		return err
	})
	return nil
}

func thing(r domain.FittingRule) act.Thing {
	return act.Thing{Kind: "fitting-rule", ID: r.ID, Name: r.Name}
}

// Remove takes a rule away; what it fitted alone is taken off. It is ErrChanged where it has another
// version, but zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.Desk.Do(ctx, who, removeRule, func(w *act.Work) error {
		all, err := lockRules(ctx, w)
		if err != nil {
			return err
		}
		old, err := one(all, id, version)
		if err != nil {
			return err
		}
		w.Note(thing(old), old, nil)
		if err := w.FittingRules.Remove(ctx, id); err != nil {
			return err
		}
		return s.follow(ctx, w)
	})
}

// Move has a rule asked earlier or later by some places.
func (s *Service) Move(ctx context.Context, who access.Actor, id domain.ID, by int) error {
	return s.Desk.Do(ctx, who, orderRules, func(w *act.Work) error {
		all, err := lockRules(ctx, w)
		if err != nil {
			return err
		}
		old, err := one(all, id, 0)
		if err != nil {
			return err
		}
		ids := moved(all, id, by)
		if err := w.FittingRules.Rank(ctx, ids); err != nil {
			return err
		}
		w.Note(thing(old), placed{place(all, id)}, placed{slices.Index(ids, id) + 1})
		return s.follow(ctx, w)
	})
}

// placed is the place of a rule in the order, from 1, as it is noted.
type placed struct {
	Place int `json:"place"`
}

func place(all []domain.FittingRule, id domain.ID) int {
	return slices.IndexFunc(all, func(r domain.FittingRule) bool { return r.ID == id }) + 1
}

// placedNow is where a rule stands now.
func (s *Service) placedNow(ctx context.Context, who access.Actor, id domain.ID) (placed, error) {
	all, err := s.Rules(ctx, who)
	if err != nil {
		return placed{}, err
	}
	rules := make([]domain.FittingRule, len(all))
	for i, r := range all {
		rules[i] = r.FittingRule
	}
	at := place(rules, id)
	if at == 0 {
		return placed{}, fmt.Errorf("fitting rule %d: %w", id, domain.ErrNotFound)
	}
	return placed{at}, nil
}

// undoOrder puts a rule back to where it stood.
func (s *Service) undoOrder() act.Undoing {
	return act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			return s.placedNow(ctx, who, id)
		},
		Put: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			shall, err := act.Read[placed](document)
			if err != nil {
				return err
			}
			now, err := s.placedNow(ctx, who, id)
			if err != nil {
				return err
			}
			return s.Move(ctx, who, id, shall.Place-now.Place)
		},
	}
}

// moved are the ids of rules in their order, with one of them moved as far as there is room.
func moved(all []domain.FittingRule, id domain.ID, by int) (ids []domain.ID) {
	at := 0
	for i, r := range all {
		if r.ID == id {
			at = i
			continue
		}
		ids = append(ids, r.ID)
	}
	return slices.Insert(ids, min(max(0, at+by), len(ids)), id)
}

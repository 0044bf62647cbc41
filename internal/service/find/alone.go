package find

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/recognise"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var setAlone = act.Deed{Name: "change what a sweep adopts alone", Area: domain.AreaFind, Needs: domain.AccessConfigure}

// Alone are the rules by which a sweep adopts finds without asking, with their mark.
type Alone struct {
	Rules []domain.AdoptionRule
	Mark  string
}

// mostAlone is how many rules a sweep may have.
const mostAlone = 20

// Alone returns the rules of a sweep.
func (s *Service) Alone(ctx context.Context, who access.Actor, sweepID domain.ID) (a Alone, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaFind)
	if err != nil {
		return a, err
	}
	if _, err := seen.Sweeps.One(ctx, sweepID); err != nil {
		return a, err
	}
	a.Rules, err = seen.AdoptionRules.Of(ctx, sweepID)
	a.Mark = act.Mark(a.Rules)
	return a, err
}

// SetAlone sets the rules of a sweep; what is wrong is told by field: when-0, place-0, tags-0 for
// the first. It is ErrChanged where the rules are no more what was seen, by their mark.
func (s *Service) SetAlone(ctx context.Context, who access.Actor, sweepID domain.ID, rules []domain.AdoptionRule, mark string) error {
	return s.desk.Do(ctx, who, setAlone, func(w *act.Work) error {
		sweep, err := of(ctx, w, sweepID)
		if err != nil {
			return err
		}
		before, err := w.AdoptionRules.Of(ctx, sweepID)
		if err != nil {
			return err
		}
		if err := act.Since(before, mark); err != nil {
			return err
		}
		errs := checkRules(rules)
		if err := s.checkPlaces(ctx, w, who, sweep, rules, errs); err != nil {
			return err
		}
		if err := errs.OrNil(); err != nil {
			return err
		}
		w.Note(thing(sweep), noteAlone(before), noteAlone(rules))
		return w.AdoptionRules.Set(ctx, sweepID, rules)
	})
}

// notedAlone is how the rules of a sweep are noted.
type notedAlone struct {
	Rules []domain.AdoptionRule `json:"rules"`
}

func noteAlone(rules []domain.AdoptionRule) notedAlone {
	return notedAlone{append([]domain.AdoptionRule{}, rules...)} // none is an empty list, however it is read
}

// Undoing is how what was done to sweeps is undone, by deed.
func (s *Service) Undoing() map[string]act.Undoing {
	return map[string]act.Undoing{setAlone.Name: {
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) {
			a, err := s.Alone(ctx, who, id)
			return noteAlone(a.Rules), err
		},
		Put: func(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
			shall, err := act.Read[notedAlone](document)
			if err != nil {
				return err
			}
			return s.SetAlone(ctx, who, id, shall.Rules, "")
		},
	}}
}

func at(field string, i int) string { return field + "-" + strconv.Itoa(i) }

func checkRules(rules []domain.AdoptionRule) domain.FieldErrors {
	errs := domain.FieldErrors{}
	if len(rules) > mostAlone {
		errs[at("when", mostAlone)] = fmt.Sprintf("At most %d rules.", mostAlone)
		return errs
	}
	for i, r := range rules {
		if _, err := recognise.ReadAdopting(rules[i : i+1]); err != nil {
			errs[at("when", i)] = text.UpperFirst(err.Error()) + "."
		}
		if _, problem := tag.Read(strings.Join(r.Tags, ",")); problem != "" {
			errs[at("tags", i)] = problem
		}
	}
	return errs
}

// checkPlaces refuses places where the sweep, or who writes the rule, may not adopt.
func (s *Service) checkPlaces(
	ctx context.Context,
	w *act.Work,
	who access.Actor,
	sweep domain.Sweep,
	rules []domain.AdoptionRule,
	errs domain.FieldErrors,
) error {
	places, err := w.Places.All(ctx)
	if err != nil {
		return err
	}
	tree := access.NewTree(places)
	for i, r := range rules {
		there := slices.ContainsFunc(places, func(p domain.Place) bool { return p.ID == r.PlaceID })
		if !there || !tree.Within(r.PlaceID, sweep.PlaceID) || !who.May(adopt.Area, adopt.Needs, domain.At(r.PlaceID)) {
			errs[at("place", i)] = "Choose a place."
		}
		if len(r.Tags) > 0 && !who.May(domain.AreaCollect, domain.AccessConfigure, domain.At(r.PlaceID)) {
			errs[at("tags", i)] = "You may not set tags there."
		}
	}
	return nil
}

// Decided is what rules would do with a find.
type Decided struct {
	Find domain.Find
	Rule int // from 0; less for none
	Why  string
}

// RehearseAlone tells of each find of a sweep that is not watched what rules would do with it.
func (s *Service) RehearseAlone(
	ctx context.Context,
	who access.Actor,
	sweepID domain.ID,
	rules []domain.AdoptionRule,
) (out []Decided, err error) {
	sweep, err := s.Sweep(ctx, who, sweepID)
	if err != nil {
		return nil, err
	}
	finds, err := s.Finds(ctx, who, sweepID)
	if err != nil {
		return nil, err
	}
	if errs := checkRules(rules); len(errs) > 0 {
		return nil, errs
	}
	return s.decide(ctx, sweep, finds, rules)
}

// decide tells what rules do with finds of a sweep that are not watched.
func (s *Service) decide(
	ctx context.Context,
	sweep domain.Sweep,
	finds []domain.Find,
	rules []domain.AdoptionRule,
) (out []Decided, err error) {
	conditions, err := recognise.ReadAdopting(rules)
	if err != nil {
		return nil, err
	}
	var identities []string
	for _, f := range finds {
		identities = append(identities, f.Identity)
	}
	removed, err := s.store.Devices.GoneBy(ctx, sweep.PlaceID, identities)
	if err != nil {
		return nil, err
	}
	for _, f := range finds {
		d := Decided{Find: f, Rule: -1}
		switch {
		case f.DeviceID != 0:
			continue
		case f.Verdict == domain.FindIgnored:
			d.Why = "it was put aside"
		case f.Doubt != "":
			d.Why = "it may not be what it seems: " + f.Doubt
		case removed[f.Identity]:
			d.Why = "somebody removed it before"
		default:
			d.Rule, d.Why = conditions.Decide(f)
		}
		out = append(out, d)
	}
	return out, nil
}

// adoptAlone adopts what the rules of a sweep say, each find by itself: one that cannot be adopted
// keeps no other from it. It still runs meanwhile: whoever sees it at its end sees what it adopted.
func (w *sweep) adoptAlone(ctx context.Context) {
	if ctx.Err() != nil || w.last(ctx) != nil {
		return // it did not come to its end, or its finds are not there
	}
	if err := w.adoptBy(context.WithoutCancel(ctx)); err != nil {
		slog.Error("a sweep could not adopt alone", "sweep", w.ID, "error", err)
	}
}

func (w *sweep) adoptBy(ctx context.Context) error {
	rules, err := w.store.AdoptionRules.Of(ctx, w.ID)
	if err != nil || len(rules) == 0 {
		return err
	}
	finds, err := w.store.Finds.Of(ctx, w.ID)
	if err != nil {
		return err
	}
	decided, err := w.decide(ctx, w.Sweep, finds, rules)
	if err != nil {
		return err
	}
	who := access.Itself("the sweep “" + w.Name + "”")
	for _, d := range decided {
		if d.Rule < 0 {
			continue
		}
		if err := w.adoptAs(ctx, who, d.Find, rules[d.Rule]); err != nil {
			said := "rule " + strconv.Itoa(d.Rule+1) + " would adopt it: " + plainly(err)
			if err := w.store.Finds.Propose(ctx, d.Find.ID, text.Brief(said, mostSaid)); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *sweep) adoptAs(ctx context.Context, who access.Actor, f domain.Find, r domain.AdoptionRule) error {
	offers, err := w.Offers(ctx, []domain.Find{f}, r.PlaceID)
	if err != nil {
		return err
	}
	a := Adoption{FindIDs: []domain.ID{f.ID}, PlaceID: r.PlaceID, Tags: strings.Join(r.Tags, ", ")}
	for _, o := range offers {
		if o.Fits > 0 {
			a.Kits = append(a.Kits, o.Name)
		}
	}
	_, err = w.Adopt(ctx, who, w.ID, a)
	return err
}

// plainly is an error for people, without the names of fields.
func plainly(err error) string {
	var errs domain.FieldErrors
	if !errors.As(err, &errs) {
		return err.Error()
	}
	var out []string
	for _, problem := range errs {
		out = append(out, problem)
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

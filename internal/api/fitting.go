package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
)

// FittingRuleDraft is what people may change of a fitting rule.
type FittingRuleDraft struct {
	Name     string   `json:"name" maxLength:"200" example:"Power supplies"`
	When     string   `json:"when" maxLength:"2000" example:"\"ups\" in facts.mibs" doc:"A condition in CEL; docs/kits.md tells over what"`
	Fits     []string `json:"fits" required:"false" maxItems:"100" nullable:"false" doc:"Kits that devices get for which it holds"`
	KeepsOff []string `json:"keeps_off" required:"false" maxItems:"100" nullable:"false" doc:"Kits that they do not get"`
	Off      bool     `json:"off" required:"false" doc:"It is not asked"`
}

func (d FittingRuleDraft) rule(id domain.ID, version int) domain.FittingRule {
	return domain.FittingRule{ID: id, Name: d.Name, When: d.When, Fits: d.Fits, KeepsOff: d.KeepsOff, Off: d.Off, Version: version}
}

// FittingRule says which devices get, or do not get, some kits.
type FittingRule struct {
	ID   int64 `json:"id" example:"3"`
	Rank int   `json:"rank" example:"1" doc:"Its place in the order: the first rule that speaks of a kit and holds decides"`
	FittingRuleDraft
	Devices int `json:"devices" doc:"To which it fits something"`
	Version int `json:"version" example:"2"`
}

func fittingRuleOf(r fitting.Ruled) FittingRule {
	draft := FittingRuleDraft{r.Name, r.When, append([]string{}, r.Fits...), append([]string{}, r.KeepsOff...), r.Off}
	return FittingRule{r.ID, r.Rank, draft, r.Devices, r.Version}
}

func (r FittingRule) mark() string { return markOf(r.Version) }

func (r FittingRule) at(order string) (string, domain.ID) {
	if order == "name" {
		return r.Name, r.ID
	}
	return "", domain.ID(r.Rank)
}

// FittingEffect is what a change of fitting would do on one device.
type FittingEffect struct {
	DeviceID int64         `json:"device_id"`
	Device   string        `json:"device" example:"np-ups-1"`
	Gains    []KitDecision `json:"gains" nullable:"false"`
	Loses    []KitDecision `json:"loses" nullable:"false"`
}

// KitDecision is what becomes of one kit on one device.
type KitDecision struct {
	Kit string    `json:"kit" example:"ups"`
	On  bool      `json:"on"`
	Why why.Trace `json:"why"`
}

func kitDecisionOf(d fit.Decision) KitDecision { return KitDecision{d.Kit, d.On, d.Why} }

// FittingChange is what a change of fitting would do.
type FittingChange struct {
	Effects []FittingEffect `json:"effects" nullable:"false" doc:"Of the first 1,000 devices"`
	Devices int             `json:"devices" doc:"For which something would change"`
	Gained  KitCost         `json:"gained"`
	Lost    KitCost         `json:"lost"`
	Why     why.Trace       `json:"why"`
}

// mostEffects is of how many devices it is told what would change.
const mostEffects = 1000

func fittingChangeOf(r fitting.Rehearsal) FittingChange {
	out := FittingChange{[]FittingEffect{}, len(r.Effects), KitCost(r.Gained), KitCost(r.Lost), r.Why}
	for _, x := range r.Effects[:min(len(r.Effects), mostEffects)] {
		gains, loses := every(x.Gains, kitDecisionOf), every(x.Loses, kitDecisionOf)
		out.Effects = append(out.Effects, FittingEffect{x.Device.ID, x.Device.Name, gains, loses})
	}
	return out
}

// FittingTrial is what a fitting rule would do over the whole estate.
type FittingTrial struct {
	FittingChange
	Answers []FittingAnswer `json:"answers" nullable:"false" doc:"Of the first 1,000 devices, by name"`
	Asked   int             `json:"asked" doc:"How many devices there are"`
	Holds   int             `json:"holds" doc:"For how many it holds"`
	Failed  int             `json:"failed" doc:"For how many it could not be decided; there it does not hold"`
}

// FittingAnswer is what the condition of a rule says of a device.
type FittingAnswer struct {
	DeviceID int64  `json:"device_id"`
	Device   string `json:"device" example:"np-ups-1"`
	Holds    bool   `json:"holds"`
	Because  string `json:"because" example:"facts.mibs is interfaces, ups"`
	Failed   bool   `json:"failed"`
}

func fittingTrialOf(t fitting.Trial) FittingTrial {
	out := FittingTrial{fittingChangeOf(t.Rehearsal), []FittingAnswer{}, len(t.Answers), t.Holds, t.Wrong}
	for _, a := range t.Answers[:min(len(t.Answers), mostEffects)] {
		out.Answers = append(out.Answers, FittingAnswer{a.Device.ID, a.Device.Name, a.Holds, a.Because, a.Wrong})
	}
	return out
}

func (a *api) fittingRules() {
	list(a, operation{http.MethodGet, "/fitting-rules", "List fitting rules, in the order in which they are asked", domain.AreaCollect,
		domain.AccessSee}, orders{"rank", "name"},
		func(ctx context.Context, in SearchFilter) ([]FittingRule, error) {
			all, err := a.Fitting.Rules(ctx, caller(ctx))
			return some(all, func(r fitting.Ruled) bool { return holds(r.Name, in.Search) }, fittingRuleOf), err
		})
	kept[FittingRule, FittingRuleDraft]{
		path:  "/fitting-rules",
		one:   "a fitting rule",
		area:  domain.AreaCollect,
		see:   domain.AccessSee,
		level: domain.AccessConfigure,
		get:   a.fittingRule,
		draft: func(_ context.Context, r FittingRule) (FittingRuleDraft, error) { return r.FittingRuleDraft, nil },
		make: func(ctx context.Context, who access.Actor, d FittingRuleDraft) (domain.ID, error) {
			r, err := a.Fitting.Save(ctx, who, d.rule(0, 0))
			return r.ID, err
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d FittingRuleDraft, version int) error {
			_, err := a.Fitting.Save(ctx, who, d.rule(id, version))
			return err
		},
		remove: a.Fitting.Remove,
	}.register(a)
	a.fittingTrials()
}

func (a *api) fittingTrials() {
	type draft struct {
		Body struct {
			ID int64 `json:"id" required:"false" doc:"Of the rule that it would take the place of; left out for a new one"`
			FittingRuleDraft
		}
	}
	add(a, operation{http.MethodPost, "/fitting-rules/drafts/rehearsal", "Ask a rule about every device, and tell what would change",
		domain.AreaCollect, domain.AccessSee},
		func(ctx context.Context, in *draft) (*Body[FittingTrial], error) {
			t, err := a.Fitting.Try(ctx, caller(ctx), in.Body.rule(in.Body.ID, 0))
			return one(fittingTrialOf(t), err)
		})
	add(a, operation{http.MethodPost, "/fitting-rules/{id}/rehearsal", "What removing a fitting rule would do", domain.AreaCollect,
		domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[FittingChange], error) {
			r, err := a.Fitting.RehearseRemoval(ctx, caller(ctx), in.ID)
			return one(fittingChangeOf(r), err)
		})
	type move struct {
		ByID
		Body struct {
			By int `json:"by" minimum:"-500" maximum:"500" example:"-1" doc:"By how many places; less than 0 for earlier"`
		}
	}
	add(a, operation{http.MethodPost, "/fitting-rules/{id}/move", "Have a fitting rule asked earlier or later", domain.AreaCollect,
		domain.AccessConfigure},
		func(ctx context.Context, in *move) (*none, error) {
			return nil, a.Fitting.Move(ctx, caller(ctx), in.ID, in.Body.By)
		})
}

func (a *api) fittingRule(ctx context.Context, who access.Actor, id domain.ID) (FittingRule, error) {
	all, err := a.Fitting.Rules(ctx, who)
	for _, r := range all {
		if r.ID == id {
			return fittingRuleOf(r), nil
		}
	}
	if err == nil {
		err = domain.ErrNotFound
	}
	return FittingRule{}, err
}

// Fitting is a kit on a device, or kept off it.
type Fitting struct {
	DeviceID   int64             `json:"device_id"`
	Device     string            `json:"device" example:"np-ups-1"`
	By         string            `json:"by" enum:"hand,rule,kit" doc:"A person, a fitting rule, or a kit that brings it along"`
	Who        string            `json:"who" doc:"The person, where that is known"`
	Rule       string            `json:"rule" doc:"The name of the rule"`
	Inside     string            `json:"inside" doc:"The kit that brings it along"`
	Since      Moment            `json:"since"`
	Off        bool              `json:"off" doc:"It is kept off"`
	Parameters map[string]string `json:"parameters" nullable:"false" doc:"Those that are not as the kit says"`
}

func fittingOf(s fitting.Seat) Fitting {
	values := s.Values()
	if values == nil {
		values = map[string]string{}
	}
	return Fitting{s.Device.ID, s.Device.Name, string(s.By), s.Who, s.Rule, s.Inside, Moment{s.Since}, s.Off, values}
}

func (f Fitting) at(string) (string, domain.ID) { return f.Device, f.DeviceID }

func (a *api) fittings() {
	list(a, operation{http.MethodGet, "/kits/{name}/fittings", "List the devices on which a kit is fitted or kept off", domain.AreaCollect,
		domain.AccessSee}, orders{"device"},
		func(ctx context.Context, in OfKit) ([]Fitting, error) {
			all, err := a.Fitting.Seats(ctx, caller(ctx), in.Name)
			return every(all, fittingOf), err
		})
	type saying struct {
		Name string `path:"name" maxLength:"200" example:"ups"`
		Body struct {
			Devices    []int64           `json:"devices" minItems:"1" maxItems:"10000" nullable:"false"`
			Word       string            `json:"word" enum:"fit,keep_off,as_rules" doc:"It is fitted, kept off, or left to the rules"`
			Parameters map[string]string `json:"parameters" required:"false" doc:"With fit; left out they stay as they are"`
		}
	}
	said := func(in *saying) fitting.Saying {
		return fitting.Saying{Devices: in.Body.Devices, Kit: in.Name, Word: fitting.Word(in.Body.Word), Parameters: in.Body.Parameters}
	}
	add(a, operation{http.MethodPost, "/kits/{name}/fittings", "Fit a kit to devices, keep it off, or leave it to the rules",
		domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *saying) (*none, error) {
			return nil, a.Fitting.Say(ctx, caller(ctx), said(in))
		})
	add(a, operation{http.MethodPost, "/kits/{name}/fittings/rehearsal", "What that would do", domain.AreaCollect, domain.AccessConfigure},
		func(ctx context.Context, in *saying) (*Body[FittingChange], error) {
			r, err := a.Fitting.Rehearse(ctx, caller(ctx), said(in))
			return one(fittingChangeOf(r), err)
		})
}

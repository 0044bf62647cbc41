package api

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/judge"
)

// RuleDraft is what people may change of a rule.
type RuleDraft struct {
	Name      string          `json:"name" minLength:"1" maxLength:"200" example:"Volume nearly full"`
	Kind      string          `json:"kind" maxLength:"100" example:"limit" doc:"The kind of its condition, such as limit or state"`
	Condition json.RawMessage `json:"condition" doc:"The document of its condition, as kits write it"`
	Title     string          `json:"title" maxLength:"500" example:"{part} is nearly full" doc:"Of its alerts"`
	Runbook   string          `json:"runbook" maxLength:"10000" doc:"What to do about it" required:"false"`
	Enabled   bool            `json:"enabled"`
	Tags      []string        `json:"tags" maxItems:"50" doc:"They go along to its incidents" required:"false" nullable:"false"`
}

// Rule is when a series is in trouble, at which level.
type Rule struct {
	ID      int64  `json:"id" example:"5"`
	Key     string `json:"key" example:"nearly-full" doc:"What its kit calls it"`
	Kit     string `json:"kit" example:"volumes"`
	Reading string `json:"reading" example:"used"`
	Unit    string `json:"unit" example:"%"`
	Words   string `json:"words" doc:"What the rule does, in words"`
	Device  Ref    `json:"device_id" doc:"That it is for alone; null for all devices"`
	RuleDraft
	Version int `json:"version" example:"3"`
}

// NewRule is a rule to be made.
type NewRule struct {
	Kit     string `json:"kit" maxLength:"100" example:"volumes"`
	Reading string `json:"reading" maxLength:"100" example:"used"`
	Device  int64  `json:"device_id" required:"false" example:"12" doc:"That it is for alone; 0 or none for all devices"`
	RuleDraft
}

func ruleOf(r rule.Rule) (Rule, error) {
	document, err := rule.Document(r.Condition)
	return Rule{
		ID:      r.ID,
		Key:     r.Key,
		Kit:     r.Kit,
		Reading: r.Reading,
		Unit:    r.Unit,
		Words:   r.Words(),
		Device:  Ref(r.DeviceID),
		RuleDraft: RuleDraft{
			Name:      r.Name,
			Kind:      r.Condition.Kind(),
			Condition: document,
			Title:     r.Title,
			Runbook:   r.Runbook,
			Enabled:   r.Enabled,
			Tags:      append([]string{}, r.Tags...),
		},
		Version: r.Version,
	}, err
}

func (r Rule) mark() string { return markOf(r.Version) }

func (r Rule) at(order string) (string, domain.ID) {
	if order == "name" {
		return r.Name, r.ID
	}
	return "", r.ID
}

// RuleFilter picks rules.
type RuleFilter struct {
	Paging
	Search string `query:"q" maxLength:"200" doc:"Part of the name"`
	Kit    string `query:"kit" maxLength:"200"`
	Device int64  `query:"device" doc:"Only rules for this device alone"`
}

func (a *api) rules() {
	list(a, operation{http.MethodGet, "/rules", "List rules", domain.AreaJudge, domain.AccessSee}, orders{"name", "id"},
		func(ctx context.Context, in RuleFilter) (out []Rule, err error) {
			all, err := a.Judge.Rules(ctx, caller(ctx))
			for _, r := range all {
				if !holds(r.Name, in.Search) || in.Kit != "" && r.Kit != in.Kit || in.Device != 0 && r.DeviceID != in.Device {
					continue
				}
				x, err := ruleOf(r)
				if err != nil {
					return nil, err
				}
				out = append(out, x)
			}
			return out, err
		})
	rules := kept[Rule, RuleDraft]{
		path:   "/rules",
		one:    "a rule",
		area:   domain.AreaJudge,
		see:    domain.AccessSee,
		level:  domain.AccessConfigure,
		get:    a.rule,
		draft:  func(_ context.Context, r Rule) (RuleDraft, error) { return r.RuleDraft, nil },
		change: a.changeRule,
		remove: a.Judge.Remove,
	}
	rules.register(a)
	made(a, operation{http.MethodPost, "/rules", "Make a rule", domain.AreaJudge, domain.AccessConfigure},
		func(ctx context.Context, in *Draft[NewRule]) (*Made[Rule], error) {
			r, err := a.newRule(ctx, caller(ctx), in.Body)
			if err != nil {
				return nil, err
			}
			if r, err = a.Judge.Make(ctx, caller(ctx), r); err != nil {
				return nil, err
			}
			return rules.madeAs(ctx, r.ID)
		})
	type newTrial struct {
		Hours float64 `query:"hours" minimum:"1" maximum:"720" default:"168" doc:"How far back from now"`
		Body  NewRule
	}
	add(a, operation{http.MethodPost, "/rules/drafts/rehearsal", "Which alerts a new rule would have raised", domain.AreaJudge,
		domain.AccessSee},
		func(ctx context.Context, in *newTrial) (*Body[Rehearsal], error) {
			r, err := a.newRule(ctx, caller(ctx), in.Body)
			if err != nil {
				return nil, err
			}
			got, err := a.Judge.Rehearse(ctx, caller(ctx), r, hours(in.Hours))
			return one(rehearsalOf(got), err)
		})
	type trial struct {
		ByID
		Hours float64 `query:"hours" minimum:"1" maximum:"720" default:"168" doc:"How far back from now"`
		Body  RuleDraft
	}
	add(a, operation{http.MethodPost, "/rules/{id}/rehearsal", "Which alerts a rule would have raised, were it so", domain.AreaJudge,
		domain.AccessSee},
		func(ctx context.Context, in *trial) (*Body[Rehearsal], error) {
			r, err := a.drafted(ctx, caller(ctx), in.ID, in.Body)
			if err != nil {
				return nil, err
			}
			got, err := a.Judge.Rehearse(ctx, caller(ctx), r, hours(in.Hours))
			return one(rehearsalOf(got), err)
		})
}

func hours(n float64) time.Duration { return time.Duration(n * float64(time.Hour)) }

// newRule is a rule on a reading, as it would be.
func (a *api) newRule(ctx context.Context, who access.Actor, d NewRule) (rule.Rule, error) {
	r, err := a.Judge.Blank(ctx, who, d.Kit, d.Reading, d.Device, d.Kind)
	if err != nil {
		return r, err
	}
	return a.filled(ctx, r, d.RuleDraft)
}

// filled is a rule with what people set of it.
func (a *api) filled(ctx context.Context, r rule.Rule, d RuleDraft) (rule.Rule, error) {
	r.Name, r.Title, r.Runbook, r.Enabled, r.Tags = d.Name, d.Title, d.Runbook, d.Enabled, d.Tags
	return a.Judge.Decode(ctx, r, d.Kind, d.Condition)
}

func (a *api) rule(ctx context.Context, who access.Actor, id domain.ID) (Rule, error) {
	r, err := a.Judge.Rule(ctx, who, id)
	if err != nil {
		return Rule{}, err
	}
	return ruleOf(r)
}

// drafted is a rule as it would be.
func (a *api) drafted(ctx context.Context, who access.Actor, id domain.ID, d RuleDraft) (rule.Rule, error) {
	r, err := a.Judge.Rule(ctx, who, id)
	if err != nil {
		return r, err
	}
	return a.filled(ctx, r, d)
}

func (a *api) changeRule(ctx context.Context, who access.Actor, id domain.ID, d RuleDraft, version int) error {
	r, err := a.drafted(ctx, who, id, d)
	if err != nil {
		return err
	}
	r.Version = version
	_, err = a.Judge.Save(ctx, who, r)
	return err
}

// Rehearsal is what a rule would have done.
type Rehearsal struct {
	From           Moment         `json:"from"`
	To             Moment         `json:"to"`
	Series         int            `json:"series" doc:"Watched" example:"120"`
	Alerts         int            `json:"alerts" example:"4"`
	ByLevel        map[string]int `json:"by_level" nullable:"false"`
	LongestSeconds float64        `json:"longest_seconds" example:"3600"`
	Worst          []Noisy        `json:"worst" nullable:"false" doc:"Series with most alerts, at most ten"`
	Why            why.Trace      `json:"why"`
}

// Noisy is a series with the alerts that it would have had.
type Noisy struct {
	SeriesID int64   `json:"series_id" example:"815"`
	Device   string  `json:"device" example:"gr-sw-1"`
	Part     string  `json:"part" example:"eth0"`
	Alerts   int     `json:"alerts" example:"3"`
	Peak     float64 `json:"peak" example:"97.5"`
}

func rehearsalOf(r judge.Rehearsal) Rehearsal {
	out := Rehearsal{
		From:           Moment{r.From},
		To:             Moment{r.To},
		Series:         r.Series,
		Alerts:         r.Alerts,
		ByLevel:        map[string]int{},
		LongestSeconds: r.Longest.Seconds(),
		Worst:          every(r.Worst, func(n judge.Noisy) Noisy { return Noisy{n.Series.ID, n.Device, n.Part, n.Alerts, n.Peak} }),
		Why:            r.Why,
	}
	for level, n := range r.ByLevel {
		out.ByLevel[level.String()] = n
	}
	return out
}

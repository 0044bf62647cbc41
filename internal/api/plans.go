package api

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
)

// PlanDraft is what people may change of a response plan.
type PlanDraft struct {
	Enabled bool     `json:"enabled"`
	To      []string `json:"to" maxItems:"100" nullable:"false" doc:"Whom its steps tell of trouble"`
	AtLeast Level    `json:"at_least" doc:"From which level on they tell"`
	Tags    []string `json:"tags" maxItems:"50" nullable:"false" doc:"For incidents with one of these; for all where there are none"`
}

// Plan is who is told of what.
type Plan struct {
	ID   int64  `json:"id" example:"1"`
	Name string `json:"name" example:"Everything"`
	PlanDraft
	Steps   []Step `json:"steps" nullable:"false"`
	Version int    `json:"version" example:"3"`
}

// Step is one step of a plan.
type Step struct {
	Key       string   `json:"key" example:"tell"`
	Title     string   `json:"title"`
	On        []string `json:"on" nullable:"false" doc:"What it acts on"`
	AtLeast   Level    `json:"at_least"`
	Kind      string   `json:"kind" enum:"message,ticket,note" example:"message"`
	ChannelID Ref      `json:"channel_id"`
	To        []string `json:"to" nullable:"false"`
	OnlyTold  bool     `json:"only_told" doc:"It tells those, and only those, who were told of the trouble" example:"false"`
}

func stepOf(x plan.Step) Step {
	return Step{
		Key:       x.Key,
		Title:     x.Title,
		On:        every(x.On, func(k domain.EventKind) string { return string(k) }),
		AtLeast:   Level(x.AtLeast),
		Kind:      string(x.Kind),
		ChannelID: Ref(x.ChannelID),
		To:        append([]string{}, x.To...),
		OnlyTold:  x.OnlyTold,
	}
}

func planOf(p plan.Plan) Plan {
	out := Plan{ID: p.ID, Name: p.Name, Steps: every(p.Steps, stepOf), Version: p.Version}
	out.PlanDraft = PlanDraft{Enabled: p.Enabled, To: []string{}, Tags: append([]string{}, p.Tags...)}
	telling := slices.IndexFunc(p.Steps, func(x plan.Step) bool { return x.Kind == domain.DeliverMessage && !x.OnlyTold })
	if telling >= 0 {
		out.To, out.AtLeast = append(out.To, p.Steps[telling].To...), Level(p.Steps[telling].AtLeast)
	}
	return out
}

func (p Plan) mark() string { return markOf(p.Version) }

func (p Plan) at(order string) (string, domain.ID) {
	if order == "name" {
		return p.Name, p.ID
	}
	return "", p.ID
}

func (a *api) plans() {
	list(a, operation{http.MethodGet, "/plans", "List response plans", domain.AreaRespond, domain.AccessSee}, orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Plan, error) {
			all, err := a.Respond.Plans(ctx, caller(ctx))
			return some(all, func(p plan.Plan) bool { return holds(p.Name, in.Search) }, planOf), err
		})
	plans := kept[Plan, PlanDraft]{
		path:   "/plans",
		one:    "a response plan",
		area:   domain.AreaRespond,
		see:    domain.AccessSee,
		level:  domain.AccessConfigure,
		get:    a.plan,
		draft:  func(_ context.Context, p Plan) (PlanDraft, error) { return p.PlanDraft, nil },
		change: a.changePlan,
	}
	plans.register(a)
	made(a, operation{http.MethodPost, "/plans", "Make the usual plan on the channels that there are", domain.AreaRespond,
		domain.AccessConfigure},
		func(ctx context.Context, _ *none) (*Made[Plan], error) {
			p, err := a.Respond.MakePlan(ctx, caller(ctx))
			if err != nil {
				return nil, err
			}
			return plans.madeAs(ctx, p.ID)
		})
}

func (a *api) plan(ctx context.Context, who access.Actor, id domain.ID) (Plan, error) {
	all, err := a.Respond.Plans(ctx, who)
	if err != nil {
		return Plan{}, err
	}
	i := slices.IndexFunc(all, func(p plan.Plan) bool { return p.ID == id })
	if i < 0 {
		return Plan{}, domain.ErrNotFound
	}
	return planOf(all[i]), nil
}

func (a *api) changePlan(ctx context.Context, who access.Actor, id domain.ID, d PlanDraft, version int) error {
	return a.Respond.SetAudience(ctx, who, id, respond.Audience{
		To:      strings.Join(d.To, ", "),
		From:    domain.Level(d.AtLeast),
		Tags:    strings.Join(d.Tags, ", "),
		Enabled: &d.Enabled,
		Version: version,
	})
}

package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Reading is a series with its newest value.
type Reading struct {
	domain.Series
	IntervalSeconds int        `json:"interval_seconds"`
	Value           *float64   `json:"value" doc:"Newest value; null while it waits for its first one"`
	At              *time.Time `json:"at"`
	PreviousValue   *float64   `json:"previous_value"`
	// Stood is the value of a state or text with since when it stands.
	Stood *domain.Run `json:"stood,omitempty"`
}

func (a *api) devices() {
	const tag = "devices"
	type filter struct {
		Health string `query:"health" enum:"fine,notice,warning,critical,unreachable,unknown,paused,maintenance" required:"false"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/devices", tag, "All devices", func(ctx context.Context, in *filter) (*Body[Items[domain.Device]], error) {
		all, err := a.Store.Devices.All(ctx)
		out := []domain.Device{}
		for _, d := range all {
			if in.Health == "" || string(d.Health) == in.Health {
				out = append(out, d)
			}
		}
		return items(out, err)
	})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}", tag, "One device", func(ctx context.Context, in *ByID) (*Body[domain.Device], error) {
		return one(a.Store.Devices.One(ctx, in.ID))
	})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}/parts", tag, "Parts of a device", func(ctx context.Context, in *ByID) (*Body[Items[domain.Part]], error) {
		if _, err := a.Store.Devices.One(ctx, in.ID); err != nil {
			return nil, err
		}
		return items(a.Store.Parts.Of(ctx, in.ID))
	})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}/readings", tag, "Readings of a device with their newest values", a.readings)
	type asked struct {
		Requests int `json:"requests" doc:"How many requests are on their way"`
	}
	add(a, domain.AccessOperate, http.MethodPost, "/devices/{id}/collect", tag, "Collect everything of a device now", func(ctx context.Context, in *ByID) (*Body[asked], error) {
		if _, err := a.Store.Devices.One(ctx, in.ID); err != nil {
			return nil, err
		}
		return one(asked{a.Collect(in.ID)}, nil)
	})
	type since struct {
		Page
		DeviceID int64     `query:"device_id"`
		From     time.Time `query:"from"`
		To       time.Time `query:"to"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/transitions", tag, "Changes of health, newest first", func(ctx context.Context, in *since) (*Body[Items[domain.Transition]], error) {
		return items(a.Store.Transitions.Find(ctx, store.TransitionFilter{DeviceID: in.DeviceID, From: in.From, Until: in.To, Limit: in.Limit, Offset: in.Offset}))
	})
}

func (a *api) readings(ctx context.Context, in *ByID) (*Body[Items[Reading]], error) {
	if _, err := a.Store.Devices.One(ctx, in.ID); err != nil {
		return nil, err
	}
	series, err := a.Store.Series.Of(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	standing, err := a.Store.Values.Standing(ctx, series)
	if err != nil {
		return nil, err
	}
	out := []Reading{}
	for _, x := range series {
		r := Reading{Series: x, IntervalSeconds: int(x.Interval / time.Second)}
		if l, ok := a.Store.Values.LatestIn([]domain.ID{x.ID})[x.ID]; ok {
			r.Value, r.At, r.PreviousValue = &l.Value, &l.At, l.BeforeValue
		}
		if run, ok := standing[x.ID]; ok {
			r.Stood = &a.Watch.Worded(x, []domain.Run{run})[0]
		}
		out = append(out, r)
	}
	return items(out, nil)
}

// Samples is an answer about a series: steps with their true extremes.
type Samples struct {
	Unit        string        `json:"unit"`
	StepSeconds float64       `json:"step_seconds" doc:"Width of the steps"`
	Resolution  float64       `json:"resolution_seconds" doc:"Finest parts that were read: 0 for single values, else the width of stored steps"`
	Steps       []domain.Step `json:"steps" nullable:"false"`
}

// Standing is which values of a state or text stood when.
type Standing struct {
	Runs           []domain.Run `json:"runs" nullable:"false" doc:"In the order of time; a run that began earlier is whole within its days"`
	KnownSeconds   float64      `json:"known_seconds"`
	UnknownSeconds float64      `json:"unknown_seconds" doc:"Time without samples"`
	Shares         []Share      `json:"shares" nullable:"false"`
}

// Share is how long one value stood in all.
type Share struct {
	Value   float64 `json:"value"`
	Text    string  `json:"text"`
	Seconds float64 `json:"seconds"`
	Share   float64 `json:"share" doc:"Of the known time, 0 to 1"`
	Times   int     `json:"times"`
}

func (a *api) standing() {
	type window struct {
		ByID
		Span float64 `query:"hours" minimum:"0.1" maximum:"43800" default:"24" doc:"How far back from now"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}/runs", "series", "Which values a series of states or texts had, and how long each stood", func(ctx context.Context, in *window) (*Body[Standing], error) {
		x, err := a.Store.Series.One(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		if !x.Kind.Stands() {
			return nil, fmt.Errorf("%w: the values of this series are numbers that move; ask for its samples", domain.ErrConflict)
		}
		v, err := a.Watch.Standing(ctx, x, time.Duration(in.Span*float64(time.Hour)), time.Now().UTC())
		out := Standing{Runs: []domain.Run{}, KnownSeconds: v.Known.Seconds(), UnknownSeconds: v.Unknown.Seconds(), Shares: []Share{}}
		for _, s := range v.Spans {
			out.Runs = append(out.Runs, s.Run)
		}
		for _, s := range v.Shares {
			out.Shares = append(out.Shares, Share{s.Value, s.Text, s.Time.Seconds(), s.Part, s.Times})
		}
		return one(out, err)
	})
}

func (a *api) series() {
	const tag = "series"
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}", tag, "One series", func(ctx context.Context, in *ByID) (*Body[domain.Series], error) {
		return one(a.Store.Series.One(ctx, in.ID))
	})
	type window struct {
		ByID
		From   time.Time `query:"from" doc:"Begin; default is an hour before the end"`
		To     time.Time `query:"to" doc:"End, left out; default is now"`
		Points int       `query:"points" minimum:"1" maximum:"5000" default:"500" doc:"Most steps to return"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}/samples", tag, "Values of a series as minimum, average and maximum of each step", func(ctx context.Context, in *window) (*Body[Samples], error) {
		if in.To.IsZero() {
			in.To = time.Now()
		}
		if in.From.IsZero() {
			in.From = in.To.Add(-time.Hour)
		}
		if !in.From.Before(in.To) {
			return nil, domain.FieldErrors{"from": "Must lie before the end."}
		}
		x, err := a.Store.Series.One(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		steps, width, resolution, err := a.Store.Values.Range(ctx, x, in.From.UTC(), in.To.UTC(), in.Points)
		if steps == nil {
			steps = []domain.Step{}
		}
		return one(Samples{x.Unit, width.Seconds(), resolution.Seconds(), steps}, err)
	})
}

// Rule is a rule as the API shows and takes it.
type Rule struct {
	ID            int64            `json:"id" readOnly:"true"`
	Name          string           `json:"name" maxLength:"200"`
	Kit           string           `json:"kit" readOnly:"true"`
	Reading       string           `json:"reading" readOnly:"true"`
	Unit          string           `json:"unit" readOnly:"true"`
	Words         string           `json:"words" readOnly:"true" doc:"What the rule does, in words"`
	Side          string           `json:"side" enum:"above,below"`
	InARow        int              `json:"in_a_row" minimum:"1" maximum:"60"`
	RecoverInARow int              `json:"recover_in_a_row" minimum:"1" maximum:"60"`
	Limits        map[string]Limit `json:"limits" doc:"By level: notice, warning, critical"`
	Title         string           `json:"title"`
	Runbook       string           `json:"runbook"`
	Enabled       bool             `json:"enabled"`
}

// Limit is where a level begins and ends.
type Limit struct {
	Raise   float64 `json:"raise"`
	Recover float64 `json:"recover"`
}

func shown(r rule.Rule) Rule {
	out := Rule{ID: r.ID, Name: r.Name, Kit: r.Kit, Reading: r.Reading, Unit: r.Unit, Words: r.Words(), Side: string(r.Side), InARow: r.InARow, RecoverInARow: r.RecoverInARow,
		Title: r.Title, Runbook: r.Runbook, Enabled: r.Enabled, Limits: map[string]Limit{}}
	for l, x := range r.Limits {
		out.Limits[l.String()] = Limit(x)
	}
	return out
}

func (a *api) rules() {
	const tag = "rules"
	add(a, domain.AccessSee, http.MethodGet, "/rules", tag, "All rules", func(ctx context.Context, _ *none) (*Body[Items[Rule]], error) {
		rules, err := a.Judge.Rules(ctx)
		out := []Rule{}
		for _, r := range rules {
			out = append(out, shown(r))
		}
		return items(out, err)
	})
	add(a, domain.AccessSee, http.MethodGet, "/rules/{id}", tag, "One rule", func(ctx context.Context, in *ByID) (*Body[Rule], error) {
		r, err := a.Judge.Rule(ctx, in.ID)
		return one(shown(r), err)
	})
	type change struct {
		ByID
		Body Rule
	}
	add(a, domain.AccessConfigure, http.MethodPut, "/rules/{id}", tag, "Change a rule; it is in force at once", func(ctx context.Context, in *change) (*Body[Rule], error) {
		b := in.Body
		r := rule.Rule{ID: in.ID, Name: b.Name, Side: rule.Side(b.Side), InARow: b.InARow, RecoverInARow: b.RecoverInARow, Title: b.Title, Runbook: b.Runbook, Enabled: b.Enabled,
			Limits: map[domain.Level]rule.Limit{}}
		for word, x := range b.Limits {
			level, err := domain.ParseLevel(word)
			if err != nil || level == domain.LevelNone {
				return nil, domain.FieldErrors{"limits": "“" + word + "” is not a level."}
			}
			r.Limits[level] = rule.Limit(x)
		}
		saved, err := a.Judge.Save(ctx, r)
		if err != nil {
			return nil, err
		}
		return one(shown(saved), nil)
	})
}

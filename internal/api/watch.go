package api

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
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
	// Implausible are values that cannot be, kept apart.
	Implausible *domain.Implausible `json:"implausible,omitempty"`
}

func (a *api) devices() {
	const tag = "devices"
	type filter struct {
		Health string `query:"health" enum:"fine,notice,warning,critical,unreachable,unknown,paused,maintenance" required:"false"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/devices", tag, "All devices",
		func(ctx context.Context, in *filter) (*Body[Items[domain.Device]], error) {
			out, _, err := a.Store.Devices.Find(ctx, store.DeviceFilter{Health: domain.Health(in.Health), Sort: "name", Limit: -1})
			return items(out, err)
		})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}", tag, "One device",
		func(ctx context.Context, in *ByID) (*Body[domain.Device], error) {
			return one(a.Store.Devices.One(ctx, in.ID))
		})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}/parts", tag, "Parts of a device",
		func(ctx context.Context, in *ByID) (*Body[Items[domain.Part]], error) {
			if _, err := a.Store.Devices.One(ctx, in.ID); err != nil {
				return nil, err
			}
			return items(a.Store.Parts.Of(ctx, in.ID))
		})
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}/readings", tag, "Readings of a device with their newest values", a.readings)
	add(a, domain.AccessSee, http.MethodGet, "/devices/{id}/sources", tag, "What a device is asked, and how that goes",
		func(ctx context.Context, in *ByID) (*Body[Items[watch.Source]], error) {
			return items(a.Watch.Sources(ctx, in.ID))
		})
	type asked struct {
		Requests int `json:"requests" doc:"How many requests are on their way"`
	}
	add(a, domain.AccessOperate, http.MethodPost, "/devices/{id}/collect", tag, "Collect everything of a device now",
		func(ctx context.Context, in *ByID) (*Body[asked], error) {
			if _, err := a.Store.Devices.One(ctx, in.ID); err != nil {
				return nil, err
			}
			return one(asked{a.Engine.CollectNow(in.ID)}, nil)
		})
	type since struct {
		Page
		DeviceID int64     `query:"device_id"`
		From     time.Time `query:"from"`
		To       time.Time `query:"to"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/transitions", tag, "Changes of health, newest first",
		func(ctx context.Context, in *since) (*Body[Items[domain.Transition]], error) {
			f := store.TransitionFilter{DeviceID: in.DeviceID, From: in.From, Until: in.To, Limit: in.Limit, Offset: in.Offset}
			return items(a.Store.Transitions.Find(ctx, f))
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
	apart, err := a.Watch.Implausible(ctx, domain.IDsOf(series))
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
		if i, ok := apart[x.ID]; ok {
			r.Implausible = &i
		}
		out = append(out, r)
	}
	return items(out, nil)
}

// Samples is an answer about a series: rollups with their true extremes.
type Samples struct {
	Unit          string          `json:"unit"`
	RollupSeconds float64         `json:"rollup_seconds" doc:"Width of the rollups"`
	Resolution    float64         `json:"resolution_seconds" doc:"Finest parts that were read: 0 for single values, else the width of stored rollups"`
	Rollups       []domain.Rollup `json:"rollups" nullable:"false"`
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
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}/runs", "series",
		"Which values a series of states or texts had, and how long each stood",
		func(ctx context.Context, in *window) (*Body[Standing], error) {
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
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}", tag, "One series",
		func(ctx context.Context, in *ByID) (*Body[domain.Series], error) {
			return one(a.Store.Series.One(ctx, in.ID))
		})
	type window struct {
		ByID
		From   time.Time `query:"from" doc:"Begin; default is an hour before the end"`
		To     time.Time `query:"to" doc:"End, left out; default is now"`
		Points int       `query:"points" minimum:"1" maximum:"5000" default:"500" doc:"Most rollups to return"`
	}
	add(a, domain.AccessSee, http.MethodGet, "/series/{id}/samples", tag, "Values of a series as minimum, average and maximum of each rollup",
		func(ctx context.Context, in *window) (*Body[Samples], error) {
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
			rollups, width, resolution, err := a.Store.Values.Range(ctx, x, in.From.UTC(), in.To.UTC(), in.Points)
			if rollups == nil {
				rollups = []domain.Rollup{}
			}
			return one(Samples{x.Unit, width.Seconds(), resolution.Seconds(), rollups}, err)
		})
}

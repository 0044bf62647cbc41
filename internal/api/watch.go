package api

import (
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
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
		Search string `query:"q" doc:"Part of a name, address or place; role=standby; #tag"`
		Limit  int    `query:"limit" minimum:"0" maximum:"1000" doc:"At most so many; left out, all"`
		Offset int    `query:"offset" minimum:"0"`
	}
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/devices", tag, "All devices",
		func(ctx context.Context, in *filter) (*Body[Items[domain.Device]], error) {
			f := domain.DeviceFilter{Health: domain.Health(in.Health), Search: in.Search, Sort: "name", Limit: -1, Offset: in.Offset}
			if in.Limit > 0 {
				f.Limit = in.Limit
			}
			found, total, err := a.Watch.Find(ctx, caller(ctx), f)
			out, err := items(found, err)
			if err == nil {
				out.Body.Total = &total
			}
			return out, err
		})
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/devices/{id}", tag, "One device",
		func(ctx context.Context, in *ByID) (*Tagged[domain.Device], error) {
			d, err := a.Watch.One(ctx, caller(ctx), in.ID)
			return tagged(d, d.Version, err)
		})
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/devices/{id}/parts", tag, "Parts of a device",
		func(ctx context.Context, in *ByID) (*Body[Items[domain.Part]], error) {
			return items(a.Watch.Parts(ctx, caller(ctx), in.ID))
		})
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/devices/{id}/readings", tag,
		"Readings of a device with their newest values", a.readings)
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/devices/{id}/sources", tag,
		"What a device is asked, and how that goes",
		func(ctx context.Context, in *ByID) (*Body[Items[watch.Source]], error) {
			return items(a.Watch.Sources(ctx, caller(ctx), in.ID))
		})
	type asked struct {
		Requests int `json:"requests" doc:"How many requests are on their way"`
	}
	add(a, domain.AreaCollect, domain.AccessOperate, http.MethodPost, "/devices/{id}/collect", tag, "Collect everything of a device now",
		func(ctx context.Context, in *ByID) (*Body[asked], error) {
			n, err := a.Devices.CollectNow(ctx, caller(ctx), in.ID)
			return one(asked{n}, err)
		})
	type since struct {
		Page
		DeviceID int64     `query:"device_id"`
		From     time.Time `query:"from"`
		To       time.Time `query:"to"`
	}
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/transitions", tag, "Changes of health, newest first",
		func(ctx context.Context, in *since) (*Body[Items[domain.Transition]], error) {
			f := domain.TransitionFilter{DeviceID: in.DeviceID, From: in.From, Until: in.To, Limit: in.Limit, Offset: in.Offset}
			found, err := a.Watch.Transitions(ctx, caller(ctx), f)
			return items(found.Rows, err)
		})
}

func (a *api) readings(ctx context.Context, in *ByID) (*Body[Items[Reading]], error) {
	found, err := a.Watch.Readings(ctx, caller(ctx), in.ID)
	out := []Reading{}
	for _, x := range found {
		r := Reading{Series: x.Series, IntervalSeconds: int(x.Interval / time.Second), Stood: x.Stood, Implausible: x.Implausible}
		if x.Latest != nil {
			r.Value, r.At, r.PreviousValue = &x.Latest.Value, &x.Latest.At, x.Latest.BeforeValue
		}
		out = append(out, r)
	}
	return items(out, err)
}

// Samples is an answer about a series: rollups with their true extremes.
type Samples struct {
	Unit          string          `json:"unit"`
	RollupSeconds float64         `json:"rollup_seconds" doc:"Width of the rollups"`
	Resolution    float64         `json:"resolution_seconds" doc:"Finest parts read: 0 for single values, else the width of rollups"`
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
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/series/{id}/runs", "series",
		"Which values a series of states or texts had, and how long each stood",
		func(ctx context.Context, in *window) (*Body[Standing], error) {
			v, err := a.Watch.Standing(ctx, caller(ctx), in.ID, time.Duration(in.Span*float64(time.Hour)), time.Now().UTC())
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
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/series/{id}", tag, "One series",
		func(ctx context.Context, in *ByID) (*Body[domain.Series], error) {
			return one(a.Watch.Series(ctx, caller(ctx), in.ID))
		})
	type window struct {
		ByID
		From   time.Time `query:"from" doc:"Begin; default is an hour before the end"`
		To     time.Time `query:"to" doc:"End, left out; default is now"`
		Points int       `query:"points" minimum:"1" maximum:"5000" default:"500" doc:"Most rollups to return"`
	}
	add(a, domain.AreaWatch, domain.AccessSee, http.MethodGet, "/series/{id}/samples", tag, "Values of a series as minimum, "+
		"average and maximum of each rollup",
		func(ctx context.Context, in *window) (*Body[Samples], error) {
			if in.To.IsZero() {
				in.To = time.Now()
			}
			if in.From.IsZero() {
				in.From = in.To.Add(-time.Hour)
			}
			got, err := a.Watch.Samples(ctx, caller(ctx), in.ID, in.From, in.To, in.Points)
			if got.Rollups == nil {
				got.Rollups = []domain.Rollup{}
			}
			return one(Samples{got.Series.Unit, got.Width.Seconds(), got.Resolution.Seconds(), got.Rollups}, err)
		})
}

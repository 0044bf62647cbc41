package api

import (
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
)

// Samples is an answer about a series: rollups with their true extremes.
type Samples struct {
	Unit          string   `json:"unit" example:"bit/s"`
	RollupSeconds float64  `json:"rollup_seconds" example:"60" doc:"Width of the rollups"`
	Resolution    float64  `json:"resolution_seconds" example:"0" doc:"Finest parts read: 0 for single values, else the width of rollups"`
	Rollups       []Rollup `json:"rollups" nullable:"false"`
}

// Rollup summarises the samples within one span of time.
type Rollup struct {
	At    Moment  `json:"at" doc:"Begin of the span"`
	Count int     `json:"count" example:"6"`
	Min   float64 `json:"min" example:"0.1"`
	Avg   float64 `json:"avg" example:"0.2"`
	Max   float64 `json:"max" example:"0.4"`
}

func rollupOf(r domain.Rollup) Rollup { return Rollup{Moment{r.At}, r.Count, r.Min, r.Avg, r.Max} }

// Standing is which values of a state or text stood when.
type Standing struct {
	Runs           []Run   `json:"runs" nullable:"false" doc:"In the order of time; a run that began earlier is whole within its days"`
	KnownSeconds   float64 `json:"known_seconds" example:"86400"`
	UnknownSeconds float64 `json:"unknown_seconds" example:"0" doc:"Time without samples"`
	Shares         []Share `json:"shares" nullable:"false"`
}

// Share is how long one value stood in all.
type Share struct {
	Value   float64 `json:"value" example:"1"`
	Text    string  `json:"text" example:"up"`
	Seconds float64 `json:"seconds" example:"86400"`
	Share   float64 `json:"share" example:"1" doc:"Of the known time, 0 to 1"`
	Times   int     `json:"times" example:"1"`
}

// Value is the newest value of a series, with the names of what it belongs to.
type Value struct {
	SeriesID      int64    `json:"series_id" example:"815"`
	DeviceID      int64    `json:"device_id" example:"12"`
	Device        string   `json:"device" example:"gr-sw-1"`
	Part          string   `json:"part" example:"eth0" doc:"Empty where the device itself is meant"`
	Kit           string   `json:"kit" example:"interfaces"`
	Reading       string   `json:"reading" example:"traffic-in"`
	Name          string   `json:"name" example:"Traffic in"`
	Unit          string   `json:"unit" example:"bit/s"`
	Kind          string   `json:"kind" example:"number" enum:"number,state,text"`
	State         string   `json:"state" example:"ok" enum:"waiting,ok,failing,absent,off"`
	Error         string   `json:"error" example:""`
	Value         *float64 `json:"value" doc:"null while it waits for its first one"`
	Text          string   `json:"text" example:"" doc:"The value of a text"`
	At            Moment   `json:"at"`
	PreviousValue *float64 `json:"previous_value"`
}

func valueOf(v watch.ListedValue) Value {
	out := Value{
		SeriesID:      v.SeriesID,
		DeviceID:      v.DeviceID,
		Device:        v.Device,
		Part:          v.Part,
		Kit:           v.Kit,
		Reading:       v.Reading,
		Name:          v.Name,
		Unit:          v.Unit,
		Kind:          string(v.Kind),
		State:         v.State,
		Error:         v.Error,
		Value:         v.Value,
		Text:          v.Text,
		PreviousValue: v.BeforeValue,
	}
	if v.At != nil {
		out.At = Moment{*v.At}
	}
	return out
}

func (v Value) at(string) (string, domain.ID) { return "", v.SeriesID }

// ValueFilter picks newest values.
type ValueFilter struct {
	Paging
	Search  string `query:"q" maxLength:"200" doc:"Part of a device, part or reading"`
	Kit     string `query:"kit" maxLength:"200"`
	Reading string `query:"reading" maxLength:"200"`
	State   string `query:"state" enum:"waiting,ok,failing,absent,off,implausible"`
	PlaceID int64  `query:"place_id" doc:"A place, with all below it"`
}

func (a *api) series() {
	pages(a, operation{http.MethodGet, "/values", "List the newest values", domain.AreaWatch, domain.AccessSee}, orders{"id"},
		func(ctx context.Context, in ValueFilter, p domain.Page) ([]Value, int64, error) {
			f := domain.ValueFilter{Search: in.Search, Kit: in.Kit, Reading: in.Reading, State: in.State, PlaceID: in.PlaceID, Page: &p}
			found, total, err := a.Watch.Values(ctx, caller(ctx), f)
			return every(found, valueOf), total, err
		})
	add(a, operation{http.MethodGet, "/series/{id}", "Read a series", domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[Series], error) {
			s, err := a.Watch.Series(ctx, caller(ctx), in.ID)
			return one(seriesOf(s), err)
		})
	add(a, operation{http.MethodGet, "/series/{id}/why", "Why a series has the value that it has", domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *ByID) (*Body[why.Trace], error) {
			return one(a.Watch.WhyValue(ctx, caller(ctx), in.ID))
		})
	type window struct {
		ByID
		From   time.Time `query:"from" doc:"Begin; default is an hour before the end"`
		To     time.Time `query:"to" doc:"End, left out; default is now"`
		Points int       `query:"points" doc:"Most rollups to return" minimum:"1" maximum:"5000" default:"500"`
	}
	add(a, operation{http.MethodGet, "/series/{id}/samples", "Read the samples of a series as lowest, mean and highest of each rollup",
		domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *window) (*Body[Samples], error) {
			if in.To.IsZero() {
				in.To = time.Now()
			}
			if in.From.IsZero() {
				in.From = in.To.Add(-time.Hour)
			}
			got, err := a.Watch.Samples(ctx, caller(ctx), in.ID, in.From, in.To, in.Points)
			return one(Samples{got.Series.Unit, got.Width.Seconds(), got.Resolution.Seconds(), every(got.Rollups, rollupOf)}, err)
		})
	a.standing()
	a.transitions()
}

func (a *api) standing() {
	type window struct {
		ByID
		Span float64 `query:"hours" minimum:"0.1" maximum:"43800" default:"24" doc:"How far back from now"`
	}
	add(a, operation{http.MethodGet, "/series/{id}/runs", "Which values a series of states or texts had, and how long each stood",
		domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *window) (*Body[Standing], error) {
			v, err := a.Watch.Standing(ctx, caller(ctx), in.ID, time.Duration(in.Span*float64(time.Hour)), time.Now().UTC())
			out := Standing{Runs: []Run{}, KnownSeconds: v.Known.Seconds(), UnknownSeconds: v.Unknown.Seconds(), Shares: []Share{}}
			for _, s := range v.Spans {
				out.Runs = append(out.Runs, runOf(s.Run))
			}
			for _, s := range v.Shares {
				out.Shares = append(out.Shares, Share{s.Value, s.Text, s.Time.Seconds(), s.Part, s.Times})
			}
			return one(out, err)
		})
}

// Transition is one change of health of a device, or of a rule on a series.
type Transition struct {
	ID       int64     `json:"id" example:"4711"`
	DeviceID int64     `json:"device_id" example:"12"`
	Device   string    `json:"device" example:"gr-sw-1"`
	SeriesID Ref       `json:"series_id" doc:"null for the device as a whole"`
	RuleID   Ref       `json:"rule_id" doc:"null for the device as a whole"`
	From     string    `json:"from" example:"fine"`
	To       string    `json:"to" example:"warning"`
	At       Moment    `json:"at"`
	Reason   string    `json:"reason"`
	Held     bool      `json:"held" example:"false" doc:"No alert followed, since what it is reached through fails"`
	BehindID Ref       `json:"behind_id" doc:"The device that it is out of reach behind since then"`
	Why      why.Trace `json:"why"`
}

func (t Transition) at(order string) (string, domain.ID) {
	if order == "at" {
		return keyOf(t.At.Time), t.ID
	}
	return "", t.ID
}

func transitionOf(x watch.Timeline) []Transition {
	return every(x.Rows, func(t domain.Transition) Transition {
		return Transition{
			ID:       t.ID,
			DeviceID: t.DeviceID,
			Device:   x.Names[t.DeviceID],
			SeriesID: Ref(t.SeriesID),
			RuleID:   Ref(t.RuleID),
			From:     string(t.From),
			To:       string(t.To),
			At:       Moment{t.At},
			Reason:   t.Reason,
			Held:     t.Held,
			BehindID: Ref(t.BehindID),
			Why:      t.Why,
		}
	})
}

// TransitionFilter picks changes of health.
type TransitionFilter struct {
	Paging
	DeviceID int64     `query:"device_id" minimum:"1"`
	SeriesID int64     `query:"series_id" minimum:"1"`
	To       string    `query:"health" doc:"To this health only" enum:"fine,notice,warning,critical,unreachable,unknown,paused,maintenance"`
	From     time.Time `query:"from"`
	Until    time.Time `query:"to" doc:"End, left out"`
	Search   string    `query:"q" maxLength:"200" doc:"Part of a device's name, or of the reason"`
}

func (a *api) transitions() {
	pages(a, operation{http.MethodGet, "/transitions", "List changes of health", domain.AreaWatch, domain.AccessSee}, orders{"-at", "id"},
		func(ctx context.Context, in TransitionFilter, p domain.Page) ([]Transition, int64, error) {
			found, err := a.Watch.Transitions(ctx, caller(ctx), domain.TransitionFilter{
				DeviceID: in.DeviceID,
				SeriesID: in.SeriesID,
				To:       domain.Health(in.To),
				From:     in.From,
				Until:    in.Until,
				Search:   in.Search,
				Page:     &p,
			})
			return transitionOf(found), found.Total, err
		})
}

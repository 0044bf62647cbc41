package api

import (
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/core/aggregate"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
)

// CombinedValue is one step of many series combined.
type CombinedValue struct {
	At     Moment  `json:"at"`
	Value  float64 `json:"value"`
	Series int     `json:"series" doc:"How many series had a value in this step"`
}

// RankedSeries is one of the highest series.
type RankedSeries struct {
	SeriesID domain.ID `json:"series_id"`
	Device   string    `json:"device"`
	Part     string    `json:"part,omitempty"`
	Value    float64   `json:"value"`
}

// CombinedSamples is the answer about many series.
type CombinedSamples struct {
	Unit          string          `json:"unit"`
	Series        int             `json:"series"`
	RollupSeconds float64         `json:"rollup_seconds"`
	Resolution    float64         `json:"resolution_seconds" doc:"0 for single values, else the width of stored rollups"`
	Rollups       []CombinedValue `json:"rollups" nullable:"false"`
	Top           []RankedSeries  `json:"top" nullable:"false"`
}

func (a *api) combined() {
	type question struct {
		Kit     string    `query:"kit" required:"true"`
		Reading string    `query:"reading" required:"true"`
		Device  string    `query:"device" doc:"Name of a device; all when left out"`
		How     string    `query:"how" enum:"sum,avg,min,max" default:"sum"`
		Top     int       `query:"top" minimum:"0" maximum:"100" default:"10" doc:"How many of the highest series to name"`
		From    time.Time `query:"from" doc:"Begin; default is a day before the end"`
		To      time.Time `query:"to" doc:"End, left out; default is now"`
		Points  int       `query:"points" minimum:"1" maximum:"5000" default:"500"`
	}
	add(a, operation{http.MethodGet, "/samples/combined",
		"One reading over all its series: sum, mean, lowest or highest, and the highest series", domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *question) (*Body[CombinedSamples], error) {
			if in.To.IsZero() {
				in.To = time.Now()
			}
			if in.From.IsZero() {
				in.From = in.To.AddDate(0, 0, -1)
			}
			q := watch.Question{Kit: in.Kit, Reading: in.Reading, Device: in.Device, How: aggregate.How(in.How),
				From: in.From, To: in.To, Points: in.Points, Top: in.Top}
			got, err := a.Watch.Combine(ctx, caller(ctx), q)
			if err != nil {
				return nil, err
			}
			out := CombinedSamples{
				Unit:          got.Unit,
				Series:        len(got.Named),
				RollupSeconds: got.Width.Seconds(),
				Resolution:    got.Resolution.Seconds(),
				Rollups:       []CombinedValue{},
				Top:           []RankedSeries{},
			}
			for _, v := range got.Values {
				out.Rollups = append(out.Rollups, CombinedValue{Moment{time.UnixMilli(v.T)}, v.V, v.Series})
			}
			for _, r := range got.Top {
				out.Top = append(out.Top, RankedSeries{r.Series, got.Named[r.Series].Device, got.Named[r.Series].Part, r.V})
			}
			return one(out, nil)
		})
}

package api

import (
	"cmp"
	"context"
	"net/http"
	"slices"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// ReadingKeep is for how long the samples of a reading are kept.
type ReadingKeep struct {
	Kit     string          `json:"kit"`
	Reading string          `json:"reading"`
	Keep    domain.KeepDays `json:"keep"`
}

// AllKeeps is the setting for all readings, and those that differ.
type AllKeeps struct {
	Usual    domain.KeepDays `json:"usual"`
	Readings []ReadingKeep   `json:"readings" nullable:"false"`
}

func (a *api) keeps() {
	add(a, operation{http.MethodGet, "/samples/keep", "For how many days samples are kept", domain.AreaRun, domain.AccessSee},
		func(ctx context.Context, _ *none) (*Body[AllKeeps], error) {
			keeps, err := a.Kits.KeepsOf(ctx, caller(ctx))
			out := AllKeeps{Usual: a.Run.Usual(), Readings: []ReadingKeep{}}
			for k, days := range keeps {
				out.Readings = append(out.Readings, ReadingKeep{k.Kit, k.Reading, days})
			}
			slices.SortFunc(out.Readings, func(x, y ReadingKeep) int {
				return cmp.Or(cmp.Compare(x.Kit, y.Kit), cmp.Compare(x.Reading, y.Reading))
			})
			return one(out, err)
		})
	type change struct {
		Kit     string `path:"kit" maxLength:"200" example:"volumes"`
		Reading string `path:"reading" maxLength:"200" example:"used"`
		Body    domain.KeepDays
	}
	add(a, operation{http.MethodPut, "/samples/keep/{kit}/{reading}",
		"Keep the samples of a reading for another number of days; older ones go for good", domain.AreaRun, domain.AccessConfigure},
		func(ctx context.Context, in *change) (*Body[ReadingKeep], error) {
			err := a.Kits.SetKeep(ctx, caller(ctx), domain.ReadingKey{Kit: in.Kit, Reading: in.Reading}, in.Body)
			return one(ReadingKeep{in.Kit, in.Reading, in.Body}, err)
		})
	add(a, operation{http.MethodPost, "/samples/keep/{kit}/{reading}/rehearsal",
		"What keeping the samples of a reading for another number of days would remove and take", domain.AreaRun, domain.AccessSee},
		func(ctx context.Context, in *change) (*Body[collect.KeepRehearsal], error) {
			return one(a.Kits.RehearseKeep(ctx, caller(ctx), domain.ReadingKey{Kit: in.Kit, Reading: in.Reading}, in.Body, a.Run.Usual()))
		})
}

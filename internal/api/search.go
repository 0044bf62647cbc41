package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
)

// Hit is something that a search found.
type Hit struct {
	Kind string `json:"kind" example:"device"`
	ID   Ref    `json:"id"`
	Name string `json:"name" example:"gr-sw-1"`
	Note string `json:"note"`
}

// Hits are the best of what a search found, the best first.
type Hits struct {
	Items []Hit `json:"items" nullable:"false"`
}

func (a *api) search() {
	type question struct {
		Text  string `query:"q" required:"true" minLength:"1" maxLength:"200" doc:"Part of a name, address or attribute" example:"gr-sw"`
		Limit int    `query:"limit" minimum:"1" maximum:"100" default:"20"`
	}
	add(a, operation{http.MethodGet, "/search", "Find devices, parts, places, readings, rules and incidents by a fragment",
		domain.AreaWatch, domain.AccessSee},
		func(ctx context.Context, in *question) (*Body[Hits], error) {
			found, err := a.Watch.Search(ctx, caller(ctx), in.Text, in.Limit)
			return one(Hits{every(found, func(h watch.Hit) Hit { return Hit{h.Kind, Ref(h.ID), h.Name, h.Note} })}, err)
		})
}
